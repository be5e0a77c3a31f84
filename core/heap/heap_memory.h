// The words of a range of the process's memory, read in pieces from its beginning to its end.
#pragma once

#include <algorithm>
#include <cstring>
#include <vector>

#include "core/machine/page.h"
#include "core/target/target.h"

namespace lantern {

// What is not mapped is passed over. Each thread that reads has one of its own.
class HeapMemory {
  public:
    explicit HeapMemory(Target& target) : target_(target) {}

    // Nothing at or behind that address will be asked for: as much is read at once.
    void read_up_to(std::uint64_t address) { limit_ = address; }

    // Calls `visit` with the address and the value of each whole word. Ranges one behind another
    // are read together.
    template <class Visit>
    void for_each_word(std::uint64_t low, std::uint64_t high, Visit visit) {
        low = (low + kWord - 1) & ~(kWord - 1);
        while (low + kWord <= high) {
            if (low < begin_ || low + kWord > begin_ + size_) low = read(low, high);
            std::uint64_t end = std::min(high, begin_ + size_);
            for (; low + kWord <= end; low += kWord) {
                std::uint64_t word;
                std::memcpy(&word, bytes_.data() + (low - begin_), sizeof word);
                visit(low, word);
            }
        }
    }

  private:
    static constexpr std::uint64_t kWord = 8, kPiece = 256 << 10;

    // Reads from there on, else from the next page that can be read. Returns where: `high` or
    // behind it if there is none.
    std::uint64_t read(std::uint64_t low, std::uint64_t high) {
        for (; low < high; low = (low / kPageSize + 1) * kPageSize) {
            bytes_.resize(kPiece);
            std::uint64_t wanted = std::min(kPiece, std::max(high, limit_) - low);
            begin_ = low;
            size_ = target_.read_bulk(RunAddress(low), std::span(bytes_).first(wanted));
            if (size_ >= kWord) break;
        }
        return low;
    }

    Target& target_;
    std::vector<std::byte> bytes_;
    std::uint64_t begin_ = 0, size_ = 0, limit_ = 0;
};

}  // namespace lantern
