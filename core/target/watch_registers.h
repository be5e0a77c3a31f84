// What the debug registers of all threads of a process watch (Intel SDM 3B, §17.2), and which of
// them a thread has met.
#pragma once

#include <vector>

#include "core/machine/debug_registers.h"
#include "core/target/kernel.h"

namespace lantern {

class WatchRegisters {
  public:
    struct Watch {
        RunAddress address;   // a multiple of `length`
        unsigned length = 0;  // 1, 2, 4 or 8 bytes; 0: not in use
        bool on_reads = false;
        bool meets(std::uint64_t begin, std::uint64_t size) const {
            return address.value < begin + size && begin < address.value + length;
        }
    };

    void use(unsigned number, Watch watch) { watches_[number] = watch; }
    void free(unsigned number) { watches_[number].length = 0; }
    void free_all();
    bool is_used(unsigned number) const { return watches_[number].length != 0; }
    const Watch& operator[](unsigned number) const { return watches_[number]; }
    bool were_ever_written() const { return are_written_; }

    // Into the thread, which stands. Throws TargetError where the kernel refuses.
    void write(Kernel& kernel, ThreadId thread);
    // Those that a thread has met since it was asked last, by bits.
    unsigned take_hits(Kernel& kernel, ThreadId thread) const;
    // What is watched, one behind the other.
    std::vector<std::byte> bytes(KernelMemory& memory) const;
    // Of those in `among` (by bits), the ones whose bytes differ. Nothing where the two are not of
    // the same watches.
    unsigned changed(const std::vector<std::byte>& before, const std::vector<std::byte>& now,
                     unsigned among) const;

  private:
    Watch watches_[kDebugAddresses];
    bool are_written_ = false;
};

}  // namespace lantern
