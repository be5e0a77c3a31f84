// One object file as it is loaded in a process: the only place where file addresses become run
// addresses.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "core/support/address.h"
#include "core/symbols/module_symbols.h"
#include "heap/tables.h"

namespace lantern {

inline constexpr std::string_view kHeapLibraryFile = heap_tables::kLibraryFile;

class Module {
  public:
    Module(std::string path, std::uint64_t bias, std::shared_ptr<const ModuleSymbols> symbols)
        : path_(std::move(path)), bias_(bias), symbols_(std::move(symbols)) {}

    const std::string& path() const { return path_; }
    const ModuleSymbols& symbols() const { return *symbols_; }
    const std::shared_ptr<const ModuleSymbols>& shared_symbols() const { return symbols_; }
    // Comes with the system, not with the program: steps do not stop there, and its names come
    // after the user's own.
    bool is_system_library() const {
        for (const char* folder : {"/lib/", "/lib64/", "/usr/lib/", "/usr/lib64/", "[vdso]"})
            if (path_.starts_with(folder)) return true;
        return is_heap_library();
    }
    // Our own, that stands in front of the program's allocator.
    bool is_heap_library() const { return path_.ends_with(kHeapLibraryFile); }
    RunAddress to_run(FileAddress address) const { return RunAddress(address.value + bias_); }
    FileAddress to_file(RunAddress address) const { return FileAddress(address.value - bias_); }
    // True if one of the file's segments is loaded there.
    bool holds(RunAddress address) const {
        FileAddress file = to_file(address);
        for (const Segment& segment : symbols_->elf().segments())
            if (segment.range.contains(file)) return true;
        return false;
    }

  private:
    std::string path_;
    std::uint64_t bias_;
    std::shared_ptr<const ModuleSymbols> symbols_;
};

}  // namespace lantern
