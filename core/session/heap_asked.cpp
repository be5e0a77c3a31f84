#include "core/session/heap_asked.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cstddef>
#include <vector>

#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern {
namespace {

using HeapAsked = heap_tables::Asked;
using heap_tables::Head;

constexpr const char* kExample = "pause on heap born number 7, or pause on heap freed size 24..64";

std::uint64_t number_in(std::string_view text) {
    std::uint64_t number = 0;
    auto [end, problem] = std::from_chars(text.data(), text.data() + text.size(), number);
    if (problem != std::errc() || end != text.data() + text.size())
        throw RequestError(fmt::format("{} is no number", quote(text)), kExample);
    return number;
}

void take_size(std::string_view text, HeapAsked& asked) {
    std::size_t dots = text.find("..");
    asked.least = number_in(text.substr(0, dots));
    asked.most = dots == text.npos ? asked.least : number_in(text.substr(dots + 2));
}

}  // namespace

std::optional<RunAddress> heap_library_head(Target& target) {
    for (const Module& module : target.modules()) {
        if (!module.is_heap_library()) continue;
        const ElfSymbol* symbol = module.symbols().symbol_table().named(heap_tables::kHeadSymbol);
        if (symbol) return module.to_run(symbol->address);
    }
    return std::nullopt;
}

std::optional<HeapAsked> asked_of(std::string_view subject) {
    if (subject.empty()) return std::nullopt;
    HeapAsked asked{HeapAsked::kBirth | HeapAsked::kDeath, 0, 0, 0, ~std::uint64_t{0}};
    std::string_view rest = subject;
    auto word = [&] {
        rest = trimmed(rest);
        std::string_view first = rest.substr(0, rest.find(' '));
        rest.remove_prefix(first.size());
        return first;
    };
    for (std::string_view each = word(); !each.empty(); each = word()) {
        if (each == "born")
            asked.what = HeapAsked::kBirth;
        else if (each == "freed")
            asked.what = HeapAsked::kDeath;
        else if (each == "size")
            take_size(word(), asked);
        else if (each == "number")
            asked.number = number_in(word());
        else if (each != "of")
            throw RequestError(fmt::format("pause on heap does not know {}", quote(each)),
                               "pause on heap [born | freed] [of size N..M] [number N]");
    }
    return asked;
}

void tell_heap_library(Target& target, const std::list<Breakpoint>& breakpoints) {
    auto head = heap_library_head(target);
    if (!head) return;
    std::vector<HeapAsked> all;
    for (const Breakpoint& breakpoint : breakpoints) {
        if (breakpoint.cause != Cause::heap || !breakpoint.is_on) continue;
        if (auto asked = asked_of(breakpoint.subject)) all.push_back(*asked);
    }
    if (all.size() > heap_tables::kMostAsked)
        throw RequestError(fmt::format("the library watches for {} kinds of blocks at a time",
                                       heap_tables::kMostAsked));
    std::uint64_t count = all.size();
    target.write_memory(*head + offsetof(Head, asked), std::as_bytes(std::span(all)));
    target.write_memory(*head + offsetof(Head, asked_count), std::as_bytes(std::span(&count, 1)));
}

bool has_met(Target& target, const Breakpoint& breakpoint) {
    auto asked = asked_of(breakpoint.subject);
    auto history = HeapHistory::in(target);
    if (!asked || !history) return !asked;
    auto block = history->record(history->head().met.block);
    return block && heap_tables::is_asked(*asked, *block, history->head().met.is_death);
}

}  // namespace lantern
