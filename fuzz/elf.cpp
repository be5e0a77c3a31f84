// The ELF container, its symbols, links, and compressed sections.
#include "core/object/debug_link.h"
#include "core/object/symbol_table.h"
#include "fuzz/fuzzing.h"

using namespace lantern;

int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    ByteSpan input = fuzzing::as_bytes(data, size);
    try {
        ElfFile file(std::vector<std::byte>(input.begin(), input.end()), "input");
        for (const Section& section : file.sections()) {
            try {
                if (section.size < (16 << 20)) file.bytes(section);
            } catch (const Error&) {
            }
        }
        read_debug_link(file);
        read_shared_link(file);
        SymbolTable symbols(file);
        symbols.covering(file.entry());
        symbols.named("main");
        file.loaded_bytes(file.entry(), 64);
        open_inner_symbols(file);
    } catch (const Error&) {
    }
    return 0;
}
