// What a compiler wrote down about its own work, where it was asked to: gcc's
// -fsave-optimization-record (JSON, compressed by gzip) and clang's (YAML), files beside the
// objects. Facts about lines, in the compiler's own words.
#pragma once

#include <cstdint>
#include <filesystem>
#include <string>
#include <vector>

namespace lantern {

struct CompilerRecord {
    bool is_done = false;  // false: it says why it did not do it
    std::string file;      // as the compiler was given it
    std::uint32_t line = 0;
    std::string function;  // as the compiler names it: by the linker's name, often; may be empty
    std::string text;
};

// Of a file, or of all such files (*.opt-record.json, *.opt-record.json.gz, *.opt.yaml) in a folder
// and those below. Only what has a line is kept, each once. Throws FileError, and FormatError for a
// file that is no such record.
std::vector<CompilerRecord> read_compiler_records(const std::filesystem::path& path);

// What the compiler's words mean, for those that are met most; empty for others.
std::string meaning_of_record(const std::string& text);

}  // namespace lantern
