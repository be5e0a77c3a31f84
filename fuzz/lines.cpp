// Line programs, all versions.
#include "core/symbols/line_table.h"
#include "core/symbols/names.h"
#include "fuzz/fuzzing.h"

using namespace lantern;

int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    dwarf::DebugInfoInput input;
    input.sections = fuzzing::sections_of(fuzzing::as_bytes(data, size));
    dwarf::DebugInfo info(input);
    for (const auto& unit : info.units()) {
        dwarf::may_mention_file(*unit, "lock.c");
        try {
            LineTable table(dwarf::read_line_program(*unit), CodeAreas());
            table.at(FileAddress(0x1234));
        } catch (const Error&) {
        }
    }
    return 0;
}
