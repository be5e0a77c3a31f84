#include "core/session/heap_guards.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstddef>

#include "core/session/heap_asked.h"
#include "core/support/error.h"
#include "core/symbols/code_query.h"

namespace lantern {
namespace {

using heap_tables::Head;
using heap_tables::NamedPlaces;

// Of the function that a site is of: the copy that was inlined there, the function itself, or what
// the linker calls so.
std::vector<FileRange> code_around(const ModuleSymbols& symbols, const CodeSite& site) {
    const Scope* copy = site.position ? site.position->inlined : nullptr;
    if (copy && !copy->ranges.empty()) return copy->ranges;
    if (const Function* function = symbols.function_at(site.address)) return function->ranges;
    const ElfSymbol* symbol = symbols.symbol_table().covering(site.address);
    if (!symbol) return {};
    return {{symbol->address, symbol->address + std::max<std::uint64_t>(symbol->size, 1)}};
}

std::vector<FileRange> code_of_site(const Place& place, const PlaceSite& site) {
    const ModuleSymbols& symbols = site.module->symbols();
    if (place.kind != Place::Kind::line) return code_around(symbols, site.code);
    std::vector<FileRange> code;
    for (const LineBlock& block : blocks_of_line(symbols, site.code.file, site.code.line))
        code.push_back(block.range);
    return code;
}

// By address, each byte once.
void join_ranges(std::vector<RunRange>& code) {
    std::ranges::sort(code, {}, &RunRange::low);
    std::vector<RunRange> joined;
    for (const RunRange& range : code) {
        if (!joined.empty() && range.low <= joined.back().high)
            joined.back().high = std::max(joined.back().high, range.high);
        else
            joined.push_back(range);
    }
    code = std::move(joined);
}

}  // namespace

std::vector<RunRange> code_of_place(const Place& place, Target& target) {
    EvaluationContext where;
    where.target = &target;
    std::vector<RunRange> code;
    for (const PlaceSite& site : resolve_place(place, where)) {
        if (!site.module) continue;
        for (const FileRange& range : code_of_site(place, site))
            code.push_back({site.module->to_run(range.low), site.module->to_run(range.high)});
    }
    join_ranges(code);
    if (code.size() > NamedPlaces::kMost)
        throw RequestError(fmt::format("the code of {} lies in {} parts; {} can be watched",
                                       place.text, code.size(), NamedPlaces::kMost),
                           "name a function or a line that fewer others have inlined");
    return code;
}

void tell_guarded_places(Target& target, std::span<const Place> places) {
    auto head = heap_library_head(target);
    if (!head || places.empty()) return;
    NamedPlaces named{};
    RunAddress at = *head + offsetof(Head, named);
    target.read_available(at, std::as_writable_bytes(std::span(&named.round, 1)));
    std::vector<RunRange> code;
    for (const Place& place : places) {
        try {
            std::ranges::copy(code_of_place(place, target), std::back_inserter(code));
        } catch (const RequestError&) {  // a library may still bring it
        }
    }
    join_ranges(code);
    named.count = static_cast<std::uint32_t>(std::min(code.size(), NamedPlaces::kMost));
    for (std::uint32_t i = 0; i < named.count; ++i)
        named.code[i] = {code[i].low.value, code[i].high.value};
    ++named.round;
    target.write_memory(at, std::as_bytes(std::span(&named, 1)));
}

std::vector<std::string> guarded_places_not_met(Target& target, std::span<const Place> places) {
    std::vector<std::string> why;
    for (const Place& place : places) {
        try {
            code_of_place(place, target);
        } catch (const RequestError& error) {
            why.emplace_back(error.what());
        }
    }
    return why;
}

}  // namespace lantern
