// All units of one module: those of its own .debug_info and .debug_types, those of the file that
// dwz shares between programs, and the split files. A damaged unit is left out and remembered; the
// rest stays usable.
#pragma once

#include <functional>
#include <memory>
#include <mutex>
#include <string>
#include <unordered_map>
#include <unordered_set>
#include <vector>

#include "core/dwarf/entry.h"

namespace lantern::dwarf {

// The sections of one .dwo file or of a package. Owned by whoever found it, for as long as the
// DebugInfo lives.
struct SplitFile {
    std::string path;
    Sections sections;
    std::vector<ByteSpan> more_info,
        more_types;  // a .dwo file may have a section of its own for each type
};

struct DebugInfoInput {
    Sections sections;
    std::optional<Sections> shared;  // of the file dwz moved common data to
    // Finds the split file of a skeleton. Returns null where there is none that fits, and says so
    // in `problem`.
    std::function<const SplitFile*(const Unit& skeleton, std::string& problem)> find_split;
};

class DebugInfo {
  public:
    // Reads the headers only. The bytes are borrowed. Never throws for damaged data: see
    // problems().
    explicit DebugInfo(DebugInfoInput input);

    // By position. A skeleton stands here only while its split file is missing.
    const std::vector<std::unique_ptr<Unit>>& units() const { return units_; }
    // What could not be read so far, one sentence each, with section and offset.
    std::vector<std::string> problems() const;
    // What is wrong with split files, one sentence each.
    const std::vector<std::string>& split_problems() const { return split_problems_; }
    std::size_t split_files() const { return split_sections_; }
    std::size_t missing_split_files() const { return split_problems_.size(); }

    const Unit* unit_holding(Position position) const;  // null if it lies in no sound unit
    const Unit* unit_starting(Position header) const;   // null if no unit's header stands there
    std::optional<Entry> entry_at(Position position) const;
    // The entry an attribute refers to, within the module or by type signature.
    std::optional<Entry> referred(const FormValue& value) const;
    std::optional<Entry> referred(const Entry& from, At name) const;
    // The entry, and what it stands for: its abstract origin or else its declaration, that one's,
    // and so on. Throws FormatError for a chain that does not end.
    std::vector<Entry> with_origins(const Entry& entry) const;
    std::optional<Position> type_of_signature(std::uint64_t signature) const;
    // A name by where it stands; empty if that is nowhere.
    std::string_view text(TextPosition position) const;
    const std::vector<std::unique_ptr<InfoSection>>& sections() const { return sections_; }

  private:
    InfoSection& add_section(ByteSpan bytes, std::string name, const Sections& sections);
    void read_headers(const InfoSection& section,
                      const std::unordered_map<std::uint64_t, Contribution>* parts);
    void join_split_units();
    void add_split_file(const SplitFile& file, const Unit& skeleton);
    void add_split_section(const SplitFile& file, ByteSpan bytes, const Sections& sections,
                           std::initializer_list<ByteSpan> indexes);
    void give_partial_units_a_language();

    DebugInfoInput input_;
    std::vector<std::unique_ptr<InfoSection>> sections_;
    std::vector<std::unique_ptr<Unit>> units_, skeletons_;
    std::unordered_map<std::uint64_t, Position> type_by_signature_;
    std::unordered_set<const SplitFile*> known_split_files_;
    std::size_t split_sections_ = 0;
    std::vector<std::string> problems_, split_problems_;
};

}  // namespace lantern::dwarf
