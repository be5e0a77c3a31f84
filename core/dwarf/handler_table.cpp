#include "core/dwarf/handler_table.h"

#include "core/dwarf/constants.h"
#include "core/dwarf/encoded_pointer.h"

namespace lantern::dwarf {

std::vector<GuardedCalls> read_handler_table(ByteSpan bytes, FileAddress table, FileAddress code) {
    ByteReader reader(bytes, ".gcc_except_table");
    auto pointer = [&](std::uint8_t encoding) {
        return read_encoded_pointer(reader, encoding, table, {});
    };
    FileAddress landings = code;
    if (std::uint8_t encoding = reader.u8(); encoding != DW_EH_PE_omit)
        landings = FileAddress(pointer(encoding));
    if (std::uint8_t types = reader.u8(); types != DW_EH_PE_omit) reader.uleb();
    std::uint8_t encoding = reader.u8();
    std::uint64_t length = reader.uleb(), end = reader.offset() + length;
    if (length > reader.remaining()) reader.fail("a table of handlers runs past the section");
    std::vector<GuardedCalls> found;
    while (reader.offset() < end) {
        std::uint64_t from = pointer(encoding), size = pointer(encoding),
                      landing = pointer(encoding);
        reader.uleb();  // what is done there: which types are caught
        if (landing) found.push_back({{code + from, code + from + size}, landings + landing});
    }
    return found;
}

}  // namespace lantern::dwarf
