// Finds the source files that the compiler recorded, reads their lines, and says when they no longer match the program.
#pragma once

#include <cstdint>
#include <filesystem>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace lantern {

struct SourceMapping {
    std::string from, to;  // a recorded path that starts with `from` is looked for under `to`
};

struct SourceText {
    std::filesystem::path path;       // where it was found
    std::vector<std::string> lines;   // without their endings; lines[0] is line 1
    std::int64_t modified_at = 0;     // seconds since 1970
};

class SourceFiles {
  public:
    explicit SourceFiles(std::vector<SourceMapping> mappings = {}) : mappings_(std::move(mappings)) {}

    // Null if the file is nowhere to be found. Owned here; read once.

    const std::vector<SourceMapping>& mappings() const { return mappings_; }
    const SourceText* find(const std::string& recorded_path);
    // The line's text; nothing if the file or the line is not there.
    std::optional<std::string> line(const std::string& recorded_path, std::uint32_t number);

  private:
    std::vector<SourceMapping> mappings_;
    std::map<std::string, std::unique_ptr<SourceText>> texts_;  // null: looked for and not found
};

}  // namespace lantern
