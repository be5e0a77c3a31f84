// Split files and packages joined to their skeletons.
#include "core/dwarf/location_list.h"
#include "core/dwarf/ranges.h"
#include "core/symbols/symbol_index.h"
#include "fuzz/fuzzing.h"

using namespace lantern;

int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    ByteSpan bytes = fuzzing::as_bytes(data, size);
    dwarf::SplitFile split{"input.dwo", fuzzing::sections_of(bytes, fuzzing::kSplit), {}, {}};
    dwarf::DebugInfoInput input;
    input.sections = fuzzing::sections_of(bytes);
    input.find_split = [&](const dwarf::Unit&, std::string&) { return &split; };
    dwarf::DebugInfo info(input);
    SymbolIndex index = SymbolIndex::build(info, CodeAreas());
    fuzzing::for_each_entry(info, [](const dwarf::Entry& entry) {
        try {
            dwarf::ranges_of(entry);
            dwarf::locations_of(entry);
        } catch (const Error&) {
        }
    });
    return 0;
}
