// Writes a live, stopped process down as a standard core file (System V gABI chapters 4 and 5;
// core(5)): every thread with its registers, the signal, what is mapped from where, and all memory
// that can be read. Pages of zeros become holes.
#pragma once

#include <functional>
#include <string>

#include "core/target/live_process.h"

namespace lantern {

struct CoreWish {
    ThreadId thread = 0;  // the one that comes first: whose stop it is
    int signal = 0;       // 0: none has met it
    bool is_fault = false;
    RunAddress fault_address{};
    int signal_code = 0;                        // si_code, as the kernel gave it
    std::function<void(double done)> progress;  // 0 to 1; may throw to give up
};

struct WrittenCore {
    std::uint64_t size = 0, stored = 0;  // bytes: as the file looks, and what of it is no hole
};

// Replaces the file only when it is whole. Throws FileError.
WrittenCore write_core(LiveProcess& process, const CoreWish& wish, const std::string& path);

}  // namespace lantern
