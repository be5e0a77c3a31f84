#include "core/heap/margins.h"

#include <fmt/format.h>

#include <algorithm>

namespace lantern {
namespace {

using heap_tables::Block;
using heap_tables::GuardPage;
using heap_tables::State;

// Bytes of the process, read in large pieces: blocks lie one behind another.
class Pieces {
  public:
    explicit Pieces(Target& target) : target_(target), bytes_(kPiece) {}

    std::span<const std::byte> at(std::uint64_t address, std::uint64_t count) {
        if (address < begin_ || address + count > begin_ + size_) {
            begin_ = address;
            size_ = target_.read_bulk(RunAddress(address), bytes_);
        }
        if (address + count > begin_ + size_) return {};
        return std::span<const std::byte>(bytes_).subspan(address - begin_, count);
    }

  private:
    static constexpr std::size_t kPiece = 256 << 10;
    Target& target_;
    std::vector<std::byte> bytes_;
    std::uint64_t begin_ = 0, size_ = 0;
};

std::string bytes_are(std::uint64_t count) {
    return count == 1 ? "1 byte is" : fmt::format("{} bytes are", count);
}

struct Written {
    std::uint64_t first = 0, count = 0;  // of the bytes looked at: up to the last that differs
};
Written differing(std::span<const std::byte> bytes, unsigned char fill) {
    Written written;
    for (std::uint64_t i = 0; i < bytes.size(); ++i) {
        if (bytes[i] == std::byte{fill}) continue;
        if (!written.count) written.first = i;
        written.count = i + 1 - written.first;
    }
    return written;
}

class Margins {
  public:
    Margins(Target& target, Heap& heap) : pieces_(target), heap_(heap) {}

    void look_at(const Block& block, std::uint64_t end_before, std::uint64_t next) {
        if (block.state == State::dying) return;  // it is being filled
        if (block.state == State::kept) {
            if (block.guard != GuardPage::none) return;  // nobody may touch it
            look_at_fill(block);
            return;
        }
        // At least so many bytes are margin, and what two blocks leave between them belongs to
        // both.
        std::uint64_t before =
            std::min(heap_tables::kMargin, block.address - std::min(block.address, end_before));
        if (block.guard == GuardPage::before) before = 0;
        auto bytes = pieces_.at(block.address - before, before);
        if (Written written = differing(bytes, heap_tables::kMarginFill); written.count)
            add(block, block.address - before + written.first,
                fmt::format("{} written before the start of the block of {} bytes at {:#x}",
                            bytes_are(written.count), block.size, block.address));
        std::uint64_t end = block.address + block.size, page = heap_tables::kMargin * 256;
        std::uint64_t behind = std::min(heap_tables::kMargin, next - std::min(next, end));
        // The page that nobody may touch begins where the block's own ends.
        if (block.guard != GuardPage::none)
            behind = std::min(behind, (end + page - 1) / page * page - end);
        bytes = pieces_.at(end, behind);
        if (Written written = differing(bytes, heap_tables::kMarginFill); written.count)
            add(block, end + written.first,
                fmt::format("{} written behind the end of the block of {} bytes at {:#x}",
                            bytes_are(written.count), block.size, block.address));
    }

  private:
    void look_at_fill(const Block& block) {
        auto bytes = pieces_.at(block.address, std::min(block.size, heap_tables::kDeathFilled));
        Written written = differing(bytes, heap_tables::kDeathFill);
        if (!written.count) return;
        add(block, block.address + written.first,
            fmt::format("{} written into the block of {} bytes at {:#x} after it was freed",
                        bytes_are(written.count), block.size, block.address));
    }
    void add(const Block& block, std::uint64_t at, std::string what) {
        heap_.damage.push_back({HeapDamage::Kind::margin, RunAddress(at), 0, std::move(what),
                                HeapBlock(RunAddress(block.address), block.size, 1,
                                          block.state == State::live ? HeapBlock::State::in_use
                                                                     : HeapBlock::State::cached)});
    }

    Pieces pieces_;
    Heap& heap_;
};

}  // namespace

void find_written_margins(Target& target, std::span<const Block> blocks, Heap& heap) {
    Margins margins(target, heap);
    for (std::size_t i = 0; i < blocks.size(); ++i)
        margins.look_at(blocks[i], i ? blocks[i - 1].address + blocks[i - 1].size : 0,
                        i + 1 < blocks.size() ? blocks[i + 1].address : ~std::uint64_t{0});
}

}  // namespace lantern
