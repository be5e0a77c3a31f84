// The functions of a module by where their code or their entry is, and what stands inside of them.
#include <algorithm>

#include "core/dwarf/ranges.h"
#include "core/support/error.h"
#include "core/symbols/async.h"
#include "core/symbols/coroutine.h"
#include "core/symbols/demangle.h"
#include "core/symbols/module_symbols.h"

namespace lantern {

using namespace dwarf;

const Function* ModuleSymbols::function_at(FileAddress address) const {
    const Unit* unit = dwarf().unit_map->find(address);
    if (!unit) return nullptr;
    std::span<const CodeRange> code = dwarf().index->code_of(*unit);
    auto after =
        std::upper_bound(code.begin(), code.end(), address,
                         [](FileAddress a, const CodeRange& range) { return a < range.low; });
    if (after == code.begin() || !std::prev(after)->contains(address)) return nullptr;
    return function(std::prev(after)->function);
}

const Function* ModuleSymbols::function(Position position) const {
    auto [slot, is_new] = functions_.try_emplace(position);
    if (!is_new) return slot->second.get();
    try {
        auto entry = debug_info().entry_at(position);
        if (!entry || entry->tag() != DW_TAG_subprogram) return nullptr;
        auto made = std::make_unique<Function>(read_function(*entry));
        return (functions_[position] = std::move(made)).get();
    } catch (const FormatError& error) {
        function_problems_.push_back(error.what());
        return nullptr;
    }
}

namespace {

constexpr std::string_view kLinkersClosure = "{{closure}}";

// "main::(lambda)::operator()", "Queue::<lambda(int)>::operator()", "flight::main::{closure#0}".
bool is_name_of_closure(std::string_view name) {
    std::string_view last = last_component(name);
    if (last.starts_with("{closure")) return true;
    if (last != "operator()" || last.size() + 2 >= name.size()) return false;
    name.remove_suffix(last.size() + 2);
    return last_component(name).find("lambda") != std::string_view::npos;
}

}  // namespace

// gcc says of a lambda's code that it is artificial, and not where it stands; its class tells.
void ModuleSymbols::take_place_of_closure(const Entry& entry, Function& function) const {
    for (const Entry& each : debug_info().with_origins(entry)) {
        auto around = entries_around(each.unit(), each.offset());
        auto line = around.empty() ? std::nullopt : around.back().number(DW_AT_decl_line);
        auto file = around.empty() ? std::nullopt : around.back().number(DW_AT_decl_file);
        bool is_class = !around.empty() && (around.back().tag() == DW_TAG_structure_type ||
                                            around.back().tag() == DW_TAG_class_type);
        if (!is_class || !line || !file) continue;
        function.declared_line = static_cast<std::uint32_t>(*line);
        function.declared_in = file_name(each.unit(), *file);
        return;
    }
}

Function ModuleSymbols::read_function(const Entry& entry) const {
    Function function;
    function.entry_offset = entry.offset();
    function.unit = &entry.unit();
    for (const FileRange& range : ranges_of(entry))
        if (areas_.holds(range.low)) function.ranges.push_back(range);
    // A definition may say its name itself, or leave that to its declaration or abstract origin.
    for (const Entry& each : debug_info().with_origins(entry)) {
        if (function.name.empty() && each.has(DW_AT_name))
            function.name = qualified_name(each.offset());
        if (function.linkage_name.empty()) {
            if (auto name = each.text(DW_AT_linkage_name))
                function.linkage_name = *name;
            else if (auto old = each.text(DW_AT_MIPS_linkage_name))
                function.linkage_name = *old;
        }
        if (!function.declared_line) {
            function.declared_line =
                static_cast<std::uint32_t>(each.number(DW_AT_decl_line).value_or(0));
            if (auto file = each.number(DW_AT_decl_file))
                function.declared_in = file_name(each.unit(), *file);
        }
    }
    function.is_closure = is_name_of_closure(function.name);
    if (function.is_closure && !function.declared_line) take_place_of_closure(entry, function);
    // The compiler numbers Rust's impl blocks; the linkage name tells whose they are:
    // "<flight::Narrow as flight::Toll>::toll".
    if (function.name.find("{impl#") != std::string::npos &&
        function.linkage_name.starts_with("_")) {
        std::string own(last_component(function.name));
        function.name = demangled(function.linkage_name);
        // For the linker an async body is a closure like any other.
        if (own.starts_with("{async_") && function.name.ends_with(kLinkersClosure))
            function.name.replace(function.name.size() - kLinkersClosure.size(),
                                  kLinkersClosure.size(), own);
    }
    if (function.name.empty()) {
        const ElfSymbol* symbol = function.linkage_name.empty() && function.has_code()
                                      ? symbol_table().covering(function.low())
                                      : nullptr;
        std::string linked = symbol ? std::string(symbol->name) : function.linkage_name;
        function.name = linked.empty() ? "(unnamed)" : demangled(linked);
    }
    return function;
}

const FunctionBody& ModuleSymbols::body_of(const Function& function) const {
    auto& slot = bodies_[function.entry_offset];
    if (!slot) {
        slot = std::make_unique<FunctionBody>();
        try {
            *slot = dwarf().scopes->read(function);
            if (may_be_part_of_coroutine(*slot)) look_at_coroutine(function, *slot);
            if (function.unit->is_rust()) {
                hide_contexts(slot->outermost);
                if (async_parameter(*slot)) take_as_async_body(function, *slot);
            }
        } catch (const FormatError& error) {
            slot->outermost.ranges = function.ranges;
            function_problems_.push_back(error.what());
        }
    }
    return *slot;
}

// Null where it is no part of one.
const ElfSymbol* ModuleSymbols::coroutine_symbol(const Function& function) const {
    const ElfSymbol* symbol =
        function.has_code() ? symbol_table().covering(function.low()) : nullptr;
    return symbol && is_part_of_coroutine(symbol->name) ? symbol : nullptr;
}

void ModuleSymbols::look_at_coroutine(const Function& function, FunctionBody& body) const {
    if (!coroutine_symbol(function)) return;
    std::vector<CoroutineBeginning> begins;
    for (const Function* other : functions_named(function.name))
        if (other->unit == function.unit && other->declared_line && !coroutine_symbol(*other))
            begins.push_back({*other, body_of(*other)});
    take_as_part_of_coroutine(body, begins);
}

const FunctionPositions& ModuleSymbols::positions_of(const Function& function) const {
    auto& slot = positions_[function.entry_offset];
    if (!slot) slot = std::make_unique<FunctionPositions>(*this, function);
    return *slot;
}

const Function* ModuleSymbols::inlined_function_around(const Unit& unit, const std::string& file,
                                                       std::uint32_t line) const {
    auto [slot, is_new] = inlined_functions_.try_emplace(&unit);
    if (is_new)
        for (const NameEntry& entry : dwarf().index->names_of(unit).names)
            if (entry.kind == NameKind::inlined_function)
                if (const Function* one = function(entry.position);
                    one && one->declared_line && !one->is_closure)
                    slot->second[one->declared_in][one->declared_line] = one;
    auto of_file = slot->second.find(file);
    if (of_file == slot->second.end()) return nullptr;
    auto after = of_file->second.upper_bound(line);
    return after == of_file->second.begin() ? nullptr : std::prev(after)->second;
}

std::vector<InlinedCall> ModuleSymbols::inlined_calls_at(const Function& function,
                                                         FileAddress address) const {
    try {
        return dwarf().scopes->inlined_at(function, address);
    } catch (const FormatError& error) {
        function_problems_.push_back(error.what());
        return {};
    }
}

const std::vector<TailCall>& ModuleSymbols::tail_calls_of(const Function& function) const {
    auto [found, is_new] = tail_calls_.try_emplace(function.entry_offset);
    if (!is_new) return found->second;
    try {
        found->second = dwarf().scopes->tail_calls_of(function);
    } catch (const FormatError&) {  // damaged: nothing is known of them
    }
    return found->second;
}

std::optional<CallSite> ModuleSymbols::call_site_at(const Function& caller,
                                                    FileAddress return_address) const {
    return dwarf().scopes->call_site_at(caller, return_address);
}

}  // namespace lantern
