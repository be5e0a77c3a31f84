// Units, abbreviations and entries; the name index, scopes and types made of them.
#include "core/symbols/scope_reader.h"
#include "core/symbols/symbol_index.h"
#include "core/symbols/unit_map.h"
#include "fuzz/fuzzing.h"

using namespace lantern;

int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    dwarf::DebugInfoInput input;
    input.sections = fuzzing::sections_of(fuzzing::as_bytes(data, size));
    dwarf::DebugInfo info(input);
    CodeAreas areas;
    SymbolIndex index = SymbolIndex::build(info, areas);
    UnitMap map(info, areas);
    map.find(FileAddress(0x1234));
    auto no_file = [](const dwarf::Unit&, std::uint64_t) { return std::string(); };
    TypeTable types(
        info, [](const dwarf::Entry&) { return std::optional<dwarf::Position>(); }, no_file,
        [](dwarf::Position) { return std::string(); });
    ScopeReader scopes(info, types, no_file, [](const dwarf::Entry&) { return std::string(); });
    std::size_t most = std::min<std::size_t>(index.names().size(), 300);
    for (const NameEntry& entry : index.names().first(most)) {
        index.qualified_name(entry);
        try {
            if (is_type(entry.kind)) {
                const Type* type = types.type_at(entry.position);
                type_text(*type);
                for (const Member& member : type->members()) type_text(*member.type);
            } else if (is_function(entry.kind)) {
                Function function;
                function.entry_offset = entry.position;
                chains_at(scopes.read(function), FileAddress(0x1234));
            } else if (auto at = info.entry_at(entry.position)) {
                scopes.read_variable(*at);
            }
        } catch (const Error&) {
        }
    }
    info.problems();
    return 0;
}
