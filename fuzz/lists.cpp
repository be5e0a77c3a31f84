// Range and location lists, and the expressions in them.
#include "core/dwarf/location_list.h"
#include "core/dwarf/ranges.h"
#include "fuzz/fuzzing.h"

using namespace lantern;

int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    dwarf::DebugInfoInput input;
    input.sections = fuzzing::sections_of(fuzzing::as_bytes(data, size));
    dwarf::DebugInfo info(input);
    fuzzing::for_each_entry(info, [](const dwarf::Entry& entry) {
        try {
            dwarf::ranges_of(entry);
        } catch (const Error&) {
        }
        try {
            dwarf::expression_at(dwarf::locations_of(entry), FileAddress(0x1234));
        } catch (const Error&) {
        }
    });
    return 0;
}
