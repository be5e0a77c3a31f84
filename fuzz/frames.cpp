// Call-frame information, both sections, and tables of handlers.
#include "core/dwarf/call_frame_information.h"
#include "core/dwarf/handler_table.h"
#include "fuzz/fuzzing.h"

using namespace lantern;

int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    using Cfi = dwarf::CallFrameInformation;
    for (auto flavour : {Cfi::Flavour::eh_frame, Cfi::Flavour::debug_frame}) {
        try {
            Cfi frames(fuzzing::as_bytes(data, size), FileAddress(0x2000), flavour);
            for (std::uint64_t pc : {0x0, 0x1000, 0x1039, 0x1171, 0x2000, 0x401136})
                frames.describe(FileAddress(pc));
        } catch (const Error&) {
        }
    }
    try {
        dwarf::read_handler_table(fuzzing::as_bytes(data, size), FileAddress(0x2000),
                                  FileAddress(0x1000));
    } catch (const Error&) {
    }
    return 0;
}
