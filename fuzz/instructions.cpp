// Machine code: any bytes. Text, operands and jumps of each instruction; the length is never more
// than there is.
#include <cstdlib>

#include "core/machine/disassembler.h"
#include "fuzz/fuzzing.h"

using namespace lantern;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    static Disassembler intel(Syntax::intel,
                              [](RunAddress address) {
                                  return address.value % 2 ? std::string(address.value % 300, 'x')
                                                           : std::string();
                              }),
        att(Syntax::att);
    ByteSpan code = fuzzing::as_bytes(data, size);
    RegisterValue value = [](std::string_view name) -> std::optional<std::uint64_t> {
        return name.size() % 2 ? std::nullopt
                               : std::optional<std::uint64_t>(name.size() * 0x0101'0101'0101ull);
    };
    for (std::size_t at = 0; at < code.size();) {
        ByteSpan rest =
            code.subspan(at, std::min<std::size_t>(kLongestInstruction, code.size() - at));
        RunAddress address(0x400000 + at);
        auto line = intel.at(rest, address);
        auto other = att.at(rest, address);
        if (line.length == 0 || line.length > rest.size() || line.length != other.length ||
            line.is_instruction != other.is_instruction)
            std::abort();
        operands_of(rest, address, Syntax::att, value);
        jump_fact(rest, address, value);
        at += line.length;
    }
    return 0;
}
