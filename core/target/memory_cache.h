// Pages read from a process since it last moved: many small reads become few system calls.
#pragma once

#include <array>
#include <cstddef>
#include <functional>
#include <memory>
#include <span>
#include <unordered_map>

#include "core/support/address.h"

namespace lantern {

class MemoryCache {
  public:
    static constexpr std::size_t kPage = 4096;
    // Reads one whole page; false if it is not mapped.
    using ReadPage = std::function<bool(RunAddress page, std::span<std::byte> out)>;
    explicit MemoryCache(ReadPage read_page) : read_page_(std::move(read_page)) {}

    // How many bytes from the start of `out` could be filled.
    std::size_t read(RunAddress address, std::span<std::byte> out);
    void clear() { pages_.clear(); }
    std::uint64_t pages_read() const {
        return pages_read_;
    }  // since it was made; each is one system call

  private:
    const std::array<std::byte, kPage>* page(RunAddress address);

    ReadPage read_page_;
    std::uint64_t pages_read_ = 0;
    std::unordered_map<RunAddress, std::unique_ptr<std::array<std::byte, kPage>>>
        pages_;  // null: not mapped
};

}  // namespace lantern
