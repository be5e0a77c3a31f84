#include "core/target/memory_cache.h"

#include <algorithm>
#include <cstring>

namespace lantern {

const std::array<std::byte, MemoryCache::kPage>* MemoryCache::page(RunAddress address) {
    auto [slot, is_new] = pages_.try_emplace(address);
    if (is_new) {
        auto bytes = std::make_unique<std::array<std::byte, kPage>>();
        ++pages_read_;
        if (read_page_(address, *bytes)) slot->second = std::move(bytes);
    }
    return slot->second.get();
}

std::size_t MemoryCache::read(RunAddress address, std::span<std::byte> out) {
    constexpr std::size_t kMostPages =
        4096;  // 16 MiB; the cache is for many small reads, not for whole heaps
    if (pages_.size() > kMostPages) clear();
    std::size_t done = 0;
    while (done < out.size()) {
        RunAddress at = address + done;
        if (at < address) break;  // wrapped around the end of the address space
        RunAddress start(at.value & ~std::uint64_t{kPage - 1});
        const auto* bytes = page(start);
        if (!bytes) break;
        std::size_t inside = at - start;
        std::size_t count = std::min(kPage - inside, out.size() - done);
        std::memcpy(out.data() + done, bytes->data() + inside, count);
        done += count;
    }
    return done;
}

}  // namespace lantern
