// Sections that took long to decompress, kept between sessions in one folder: a file for each,
// named by the build id of the object file and the section. A file that is not exactly what was
// kept is as good as none.
#pragma once

#include <filesystem>
#include <memory>
#include <string>

#include "core/support/byte_reader.h"

namespace lantern {

class SectionCache {
  public:
    // `limit`: bytes that the folder may hold (see keep_file).
    SectionCache(std::filesystem::path folder, std::uint64_t limit)
        : folder_(std::move(folder)), limit_(limit) {}

    // Smaller ones are decompressed as quickly as they would be found.
    static constexpr std::uint64_t kWorthKeeping = 1 << 20;

    // `size` bytes of a mapping, which lives as long as the answer; null if there are none.
    std::shared_ptr<const std::byte> find(const std::string& build_id, const std::string& section,
                                          std::uint64_t size) const;
    void keep(const std::string& build_id, const std::string& section, ByteSpan bytes) const;

  private:
    std::filesystem::path path_of(const std::string& build_id, const std::string& section) const;

    std::filesystem::path folder_;
    std::uint64_t limit_;
};

}  // namespace lantern
