// What a core file holds, as facts (System V gABI chapters 4 and 5; core(5); the kernel's
// elfcore.h): the memory it kept, each thread's registers, the signal, what was mapped from where.
// Knows no modules and no symbols.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <vector>

#include "core/machine/registers.h"
#include "core/support/byte_reader.h"
#include "core/target/signal_origin.h"
#include "core/target/target.h"

namespace lantern {

struct CoreSegment {
    RunRange range;            // as it was in memory
    std::uint64_t offset = 0;  // in the core file
    std::uint64_t stored =
        0;  // how many bytes of it the file holds; the rest was left out, or cut off
    std::string permissions;  // "rw-"
};

struct CoreThread {
    ThreadId id = 0;
    Registers registers;
    SystemRegisters system;
    VectorRegisters vectors;
    ByteSpan extended_state;  // as XSAVE lays it out; borrowed from the file; may be empty
    int signal = 0;
};

struct CoreMapping {
    RunRange range;
    std::uint64_t offset = 0;  // bytes, in the file
    std::string path;
};

struct CoreImage {
    std::vector<CoreSegment> segments;                 // by address
    std::vector<CoreThread> threads;                   // the one that the signal met comes first
    std::vector<CoreMapping> mappings;                 // by address
    std::map<std::uint64_t, std::uint64_t> auxiliary;  // getauxval(3)
    pid_t process = 0;
    std::string name, command_line;  // cut by the kernel after 15 and 79 bytes
    int signal = 0;                  // 0: nobody says why the process ended
    SignalOrigin origin;             // of the signal; the sender's name is not in a core
    bool has_signal_information = false;
    std::optional<RunAddress> fault_address;
    std::uint64_t bytes_cut_off = 0;    // that the file should hold and does not
    std::vector<std::string> problems;  // what could not be read, a sentence each

    // The segment that holds an address; null if none does.
    const CoreSegment* segment_at(RunAddress address) const;
    const CoreMapping* mapping_at(RunAddress address) const;
};

// `file` is borrowed. Throws FormatError when it is no core file of this processor; what is damaged
// inside is left out and told.
CoreImage read_core_image(ByteSpan file);

}  // namespace lantern
