// What one pass over a unit finds: the names it defines, the scopes they stand in, and which
// function owns which code. Records are small and hold positions, not text, so that a program with
// a million names fits into some tens of megabytes and the same records can lie in a file (DWARF 5
// §3.3, §4.1, §5; declarations and origins: §2.13, §3.3.8).
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "core/dwarf/debug_info.h"

namespace lantern {

enum class NameKind : std::uint8_t {
    function,          // with code of its own
    inlined_function,  // the abstract entry of one that was inlined; a copy with code has an entry
                       // of its own
    global,
    structure,
    union_,
    enumeration,
    alias,
    base_type,
};
inline bool is_type(NameKind kind) {
    return kind >= NameKind::structure;
}
inline bool is_function(NameKind kind) {
    return kind <= NameKind::inlined_function;
}

constexpr std::uint32_t kNoScope = ~std::uint32_t{0};

struct NameEntry {
    dwarf::Position position = 0;
    dwarf::TextPosition name = 0;    // 0: it has none
    std::uint32_t scope = kNoScope;  // index into the scopes
    NameKind kind = NameKind::function;
    std::uint8_t padding[3] = {};
};

// A namespace, a module or a class: the entries between `begin` and `end` stand in it.
struct NameScope {
    dwarf::Position begin = 0, end = 0;
    dwarf::TextPosition name = 0;  // 0: anonymous
    std::uint32_t parent = kNoScope;
    std::uint32_t padding = 0;
};

struct CodeRange {
    FileAddress low;
    dwarf::Position function = 0;
    std::uint64_t size = 0;  // bytes

    bool contains(FileAddress address) const { return low <= address && address - low < size; }
};

struct UnitNames {
    std::vector<NameEntry> names;
    std::vector<NameScope> scopes;  // by `begin`
    std::vector<CodeRange> code;    // by address
    std::string damage;             // what ended the pass early; empty if nothing did
};

// Where a program's code may lie at all. What the linker threw away keeps entries that claim
// addresses outside of it.
class CodeAreas {
  public:
    CodeAreas() = default;
    explicit CodeAreas(std::vector<FileRange> areas);
    bool holds(FileAddress address) const;

  private:
    std::vector<FileRange> areas_;  // by address; empty: everything but 0 counts
};

// Passes over units; one for each thread.
class NameScanner {
  public:
    NameScanner(const dwarf::DebugInfo& info, const CodeAreas& areas);
    ~NameScanner();
    NameScanner(const NameScanner&) = delete;
    NameScanner& operator=(const NameScanner&) = delete;

    // Never throws for damaged data: see UnitNames::damage.
    UnitNames scan(const dwarf::Unit& unit);
    // Stands in NameEntry::scope until the scopes of all units are known: the declaration is in
    // another unit.
    static constexpr std::uint32_t kForeignScope = kNoScope - 1;
    // Where the entry that gives `definition` its name and scope stands. Nothing if that is
    // nowhere. Throws FormatError.
    static std::optional<dwarf::Position> declaration_of(const dwarf::DebugInfo& info,
                                                         dwarf::Position definition);

  private:
    struct Work;
    std::unique_ptr<Work> work_;
};

// The ranges a unit's root claims; of a split unit, its skeleton's. Throws FormatError.
std::vector<FileRange> ranges_of_unit(const dwarf::Unit& unit);

// The innermost of `scopes` (one unit's, or all of them) that holds the position; kNoScope if none
// does.
std::uint32_t scope_at(std::span<const NameScope> scopes, dwarf::Position position);

// "fill<int>" → "fill"; "operator<" stays.
std::string_view without_template_arguments(std::string_view name);
// "canal::flight<Lock>::fill<int>" → "canal::flight::fill"
std::string without_all_template_arguments(std::string_view name);
// The part behind the last "::" that is not inside brackets.
std::string_view last_component(std::string_view name);

}  // namespace lantern
