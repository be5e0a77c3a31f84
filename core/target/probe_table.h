// What of ours stands in the program's code: breakpoint bytes, who wants them, and the program's
// own bytes that they hide.
//
//     breakpoints want 0x1139 ─┐
//     a movement wants 0x1139 ─┴─> one byte at 0x1139, original 0x55 ── apply ──> memory
//
// Wanting and dropping write nothing. Before a thread goes on, `apply` writes what differs between
// what is wanted and what stands; most movements want what the one before wanted, and then nothing
// is written.
#pragma once

#include <array>
#include <map>
#include <vector>

#include "core/target/kernel.h"

namespace lantern {

enum class ProbeClient {
    breakpoint,
    loader,     // where it tells that libraries have come or gone
    movement,   // the places where the one that goes on now may have arrived
    frame_end,  // of a watched local variable
};
constexpr std::size_t kProbeClients = 4;

class ProbeTable {
  public:
    // Counted for each client. `original` is the program's byte there.
    void want(RunAddress at, ProbeClient client, std::byte original);
    void drop(RunAddress at, ProbeClient client);
    bool is_wanted(RunAddress at) const;
    bool is_wanted_by(RunAddress at, ProbeClient client) const;
    // Once or now: a thread may have met it and not told yet.
    bool has_stood(RunAddress at) const { return originals_.count(at) != 0; }
    bool is_empty() const { return probes_.empty(); }
    bool has_ever_stood() const { return !originals_.empty(); }

    // False: nothing is to be written.
    bool is_due() const { return is_due_ && !withdrawn_; }
    void apply(KernelMemory& memory);
    // For as long as the thread there runs the instruction itself.
    void lift(RunAddress at);
    void set_back(RunAddress at);
    // All bytes are out until `restore`, which may come after several: then `apply` puts them back.
    void withdraw(KernelMemory& memory);
    void restore();
    // The memory at the end of all, or a copy of it, which may be older than what stands now:
    // wherever one of ours ever stood and still stands, the program's own byte is put back.
    // Async-signal-safe.
    void clean(KernelMemory& memory) const;
    // The memory is gone, and our bytes with it. What has stood is forgotten too.
    void forget();

    // What was read from the memory, as the program has it.
    void hide(RunAddress address, std::span<std::byte> bytes) const;
    // What is about to be written there by the user: the bytes to write, with ours in them, and
    // what they hide.
    std::vector<std::byte> with_ours(RunAddress address, ByteSpan bytes) const;
    void take_originals(RunAddress address, ByteSpan bytes);

  private:
    struct Probe {
        std::array<unsigned, kProbeClients> wanted{};
        std::byte original{};
        bool stands = false, is_lifted = false;
        bool is_wanted() const;
    };

    std::map<RunAddress, Probe> probes_;
    std::map<RunAddress, std::byte> originals_;  // of all that have stood
    bool is_due_ = false;
    unsigned withdrawn_ = 0;
};

}  // namespace lantern
