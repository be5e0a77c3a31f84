// Finds the source files that the compiler recorded, reads their lines, and says when they no
// longer match the program.
#pragma once

#include <array>
#include <cstdint>
#include <filesystem>
#include <map>
#include <memory>
#include <optional>
#include <set>
#include <string>
#include <vector>

namespace lantern {

class ModuleSymbols;

struct SourceMapping {
    std::string from, to;  // a recorded path that starts with `from` is looked for under `to`
};

using FunctionNames = std::set<std::string, std::less<>>;

struct SourceText {
    std::filesystem::path path;      // where it was found
    std::vector<std::string> lines;  // without their endings; lines[0] is line 1
    std::int64_t modified_at = 0;    // seconds since 1970
    std::array<std::uint8_t, 16> md5{};
    // Those that a line which is not indented declares or defines: "static int low(". Gone through
    // once, when they are asked for first.
    const FunctionNames& functions() const;
    // Where what is made of the text of one function is kept with it, for the symbols that it was
    // made with (see core/analysis/recomputed_value.cpp, which alone knows what that is). From one
    // thread only.
    std::shared_ptr<void>& kept_with(std::uint32_t declared_line,
                                     const ModuleSymbols& symbols) const {
        return kept_with_[{declared_line, &symbols}];
    }

  private:
    mutable std::optional<FunctionNames> functions_;
    mutable std::map<std::pair<std::uint32_t, const ModuleSymbols*>, std::shared_ptr<void>>
        kept_with_;
};
FunctionNames functions_declared_in(const std::vector<std::string>& lines);

// How a source file stands to the program that was built from it.
enum class SourceState {
    good,
    missing,    // not where it was, nor where a mapping leads
    newer,      // changed after the program was built; the build recorded no checksum to compare
    different,  // its MD5 is not the one the compiler recorded (DWARF 5 §6.2.4.1)
};

class SourceFiles {
  public:
    explicit SourceFiles(std::vector<SourceMapping> mappings = {})
        : mappings_(std::move(mappings)) {}

    const std::vector<SourceMapping>& mappings() const { return mappings_; }
    // Null if the file is nowhere to be found. Owned here; read once.
    const SourceText* find(const std::string& recorded_path);
    // `recorded` is the checksum the compiler wrote down, if it did; `built_at` in seconds since
    // 1970.
    SourceState state(const std::string& recorded_path,
                      const std::optional<std::array<std::uint8_t, 16>>& recorded,
                      std::int64_t built_at);
    // The line's text; nothing if the file or the line is not there.
    std::optional<std::string> line(const std::string& recorded_path, std::uint32_t number);

  private:
    std::vector<SourceMapping> mappings_;
    std::map<std::string, std::unique_ptr<SourceText>> texts_;  // null: looked for and not found
};

}  // namespace lantern
