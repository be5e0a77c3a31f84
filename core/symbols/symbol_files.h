// Finds the files that hold a module's symbols where the module itself does not: a separate debug
// file, the file that dwz shares between programs, split files and packages. What does not belong
// to this very build is refused, and said.
#pragma once

#include <filesystem>
#include <functional>
#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <vector>

#include "core/dwarf/debug_info.h"
#include "core/object/elf_file.h"
#include "core/object/section_cache.h"

namespace lantern {

// Where to look. The command line fills this in; nothing here reads the environment.
struct SymbolSearch {
    std::vector<std::filesystem::path> folders;  // named by the user; looked into first
    std::vector<std::filesystem::path> system_folders = {"/usr/lib/debug"};
    // Asks a server for the debug file of a build id; empty unless the user has switched that on.
    // Returns the path of the fetched file, or nothing. Throws nothing.
    std::function<std::optional<std::filesystem::path>(const std::string& build_id)> fetch;
    std::filesystem::path index_folder;  // where finished indexes are kept; empty: nowhere
    std::uint64_t index_limit = std::uint64_t{512} << 20;  // bytes that folder may hold
    // Told how far a long pass over a module's names has come, 0 to 1.
    std::function<void(const std::string& file, double done)> progress;
};

enum class SymbolOrigin { nowhere, program, build_id, debug_link, beside, server };

class SymbolFiles {
  public:
    // `program` is borrowed. Never throws: what could not be used is in refused().
    SymbolFiles(const ElfFile& program, const SymbolSearch& search);
    SymbolFiles(const SymbolFiles&) = delete;
    SymbolFiles& operator=(const SymbolFiles&) = delete;

    // The file with the DWARF: the program itself or its separate debug file.
    const ElfFile& dwarf_file() const { return separate_ ? *separate_ : program_; }
    const ElfFile* separate() const { return separate_.get(); }
    SymbolOrigin origin() const { return origin_; }
    const ElfFile* shared() const {
        return shared_.get();
    }                                                      // dwz's; null if none is needed or found
    const ElfFile* inner() const { return inner_.get(); }  // .gnu_debugdata; null if there is none
    // The program, its debug file or what is inside it: whichever has the fullest table of linker
    // symbols.
    const ElfFile& symbol_file() const;
    // Files that were looked at and cannot be used, and files that are missing, one sentence each.
    const std::vector<std::string>& refused() const { return refused_; }
    const std::string& package() const {
        return package_path_;
    }  // of split files; empty if none was found

    // The split file of a skeleton; null with a sentence in `problem`.
    const dwarf::SplitFile* split_file(const dwarf::Unit& skeleton, std::string& problem);

  private:
    std::unique_ptr<ElfFile> open_candidate(const std::filesystem::path& path);
    void find_separate();
    bool take_by_build_id(const std::filesystem::path& path, SymbolOrigin origin);
    bool take_by_link(const std::filesystem::path& path, std::uint32_t checksum);
    void find_shared();
    const dwarf::SplitFile* find_package();
    const dwarf::SplitFile* open_split(const std::filesystem::path& path);

    const ElfFile& program_;
    const SymbolSearch& search_;
    // Of separate files, which are the system's: a user's own program is built anew too often.
    std::optional<SectionCache> cache_;
    std::unique_ptr<ElfFile> separate_, shared_, inner_;
    SymbolOrigin origin_ = SymbolOrigin::nowhere;
    std::vector<std::string> refused_;
    struct OpenSplit {
        std::unique_ptr<ElfFile> file;
        dwarf::SplitFile split;
    };
    std::map<std::filesystem::path, std::unique_ptr<OpenSplit>> splits_;  // null: not there
    bool package_looked_for_ = false;
    const dwarf::SplitFile* package_ = nullptr;
    std::string package_path_;
};

// The DWARF sections of a file; with `.dwo` behind their names for a split file. What cannot be
// decompressed is empty and told in `problems`.
dwarf::Sections dwarf_sections(const ElfFile& file, std::string_view ending,
                               std::vector<std::string>& problems);
// What cannot be decompressed of the sections that are left packed until they are asked for.
std::vector<std::string> problems_of_packed_sections(const ElfFile& file);

}  // namespace lantern
