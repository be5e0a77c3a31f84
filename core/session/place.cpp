#include "core/session/place.h"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <set>

#include "core/code/kept_code.h"
#include "core/session/library_function.h"
#include "core/session/library_rules.h"
#include "core/support/error.h"
#include "core/support/pattern.h"
#include "core/support/text.h"
#include "core/symbols/async.h"

namespace lantern {
namespace {

bool all_digits(std::string_view text) {
    return !text.empty() &&
           std::all_of(text.begin(), text.end(), [](unsigned char c) { return std::isdigit(c); });
}

std::uint32_t line_number(std::string_view digits) {
    if (digits.size() > 9 || digits == "0")
        throw RequestError(fmt::format("{} is no line number", std::string(digits)));
    return static_cast<std::uint32_t>(std::stoul(std::string(digits)));
}

std::string short_name(const std::string& file) {
    return std::filesystem::path(file).filename().string();
}

[[noreturn]] void refuse_line(const Place& place, const LineSites& found) {
    std::string where = fmt::format("{}:{}", short_name(place.file), place.line);
    if (found.lines_with_code.empty())
        throw RequestError(fmt::format("no code belongs to {}", where), Next::list_lines_with_code);
    std::vector<std::string> offers;
    for (std::uint32_t line : found.lines_with_code)
        offers.push_back(fmt::format("{}:{}", short_name(place.file), line));
    throw RequestError(fmt::format("no code belongs to {}", where),
                       fmt::format("the nearest line{} with code: {}",
                                   offers.size() == 1 ? "" : "s", join_with(offers, "and")));
}

std::vector<const Module*> own_modules_first(Target& target) {
    std::vector<const Module*> modules;
    for (const Module& module : target.modules()) modules.push_back(&module);
    std::stable_partition(modules.begin(), modules.end(),
                          [](const Module* module) { return !module->is_system_library(); });
    std::stable_partition(modules.begin(), modules.end(),
                          [](const Module* module) { return !is_loader(*module); });
    return modules;
}

std::vector<PlaceSite> resolve_line(const Place& place, const EvaluationContext& context) {
    std::vector<PlaceSite> sites;
    LineSites last;
    std::set<std::string> all_files;
    for (const Module* each : own_modules_first(*context.target)) {
        const Module& module = *each;
        if (!module.symbols().has_debug_information()) continue;
        if (module.is_system_library() && !sites.empty()) break;
        LineSites found = find_line(module.symbols(), place.file, place.line);
        for (const CodeSite& site : found.sites)
            sites.push_back({&module, module.to_run(site.address), site});
        if (!found.files.empty() && last.files.empty()) last = found;
        if (module.is_system_library()) continue;
        for (const auto& unit : module.symbols().debug_info().units())
            for (const auto& file : module.symbols().files_of(*unit))
                all_files.insert(short_name(file.path));
    }
    if (!sites.empty()) return sites;
    if (!last.files.empty()) refuse_line(place, last);
    if (all_files.empty())
        throw RequestError("the program has no line information",
                           "compile it with -g, or stop at a function's name or an address");
    std::vector<std::string> names(all_files.begin(), all_files.end());
    auto near = nearest_names(short_name(place.file), names);
    throw RequestError(fmt::format("the program was not built from a file {}", place.file),
                       did_you_mean(near, Next::find_files_of_module));
}

// The body of a function that only the linker's symbols know: after the usual "push, set frame
// pointer" it would be a guess, so it is the entry itself.
void add_symbol_sites(const Place& place, const Module& module, std::vector<PlaceSite>& sites) {
    for (const ElfSymbol& symbol : module.symbols().symbol_table().symbols()) {
        if (!symbol.is_function || symbol.name.substr(0, symbol.name.find('@')) != place.name)
            continue;
        CodeSite code;
        code.address = symbol.address;
        code.function = place.name;
        bool known = std::any_of(sites.begin(), sites.end(), [&](const PlaceSite& s) {
            return s.address == module.to_run(symbol.address);
        });
        if (!known) sites.push_back({&module, module.to_run(symbol.address), code});
    }
}

constexpr std::size_t kMostPatternSites = 2000;

// Every function of the user's own modules whose name fits "gate_*".
std::vector<PlaceSite> resolve_pattern(const Place& place, const EvaluationContext& context) {
    Pattern pattern(place.name);
    std::vector<PlaceSite> sites;
    std::set<RunAddress> known;
    for (const Module* each : own_modules_first(*context.target)) {
        if (each->is_system_library()) break;
        const ModuleSymbols& symbols = each->symbols();
        if (!symbols.has_debug_information()) continue;
        std::set<std::string> names;
        const SymbolIndex& index = symbols.index();
        for (const NameEntry& entry : index.names())
            if (is_function(entry.kind)) {
                std::string name = index.qualified_name(entry);
                if (pattern.matches(name)) names.insert(std::move(name));
            }
        for (const std::string& name : names)
            for (const CodeSite& site : sites_of_all(symbols, symbols.functions_named(name)))
                if (known.insert(each->to_run(site.address)).second)
                    sites.push_back({each, each->to_run(site.address), site});
        if (sites.size() > kMostPatternSites)
            throw RequestError(
                fmt::format("{} fits more than {} places", place.name, kMostPatternSites),
                {Next::find_functions, place.name});
    }
    if (sites.empty())
        throw RequestError(fmt::format("the program has no function that fits {}", place.name),
                           Next::find_functions_by_pattern);
    return sites;
}

// What a short name means: the user's own functions, not those of the standard library's templates
// that are compiled into the program as well, `push` or `lock`; these where there are no others.
std::vector<const Function*> functions_meant(const ModuleSymbols& symbols,
                                             const std::string& name) {
    std::vector<const Function*> functions = symbols.functions_named(name);
    auto is_library = [](const Function* function) {
        return LibraryRules{}.is_library_source(function->declared_in);
    };
    if (!std::ranges::all_of(functions, is_library)) std::erase_if(functions, is_library);
    return functions;
}

constexpr std::size_t kModulesBeforeLibraries = 3;  // the program, the loader, what the kernel maps

std::vector<PlaceSite> resolve_function(const Place& place, const EvaluationContext& context) {
    // A star between brackets may be a pointer's: a name comes before a pattern.
    bool may_be_pattern = place.name.find_first_of("*?") != std::string::npos &&
                          place.name.find("operator") == std::string::npos;
    if (may_be_pattern && place.name.find_first_of("<(") == std::string::npos)
        return resolve_pattern(place, context);
    std::vector<PlaceSite> sites;
    std::vector<std::string> names;
    bool known = false, looked_for_exported = false;
    for (const Module* each : own_modules_first(*context.target)) {
        const Module& module = *each;
        // A library's function of that name is meant only where the program has none.
        if (module.is_system_library() && !sites.empty()) break;
        if (module.is_system_library() && !looked_for_exported) {
            looked_for_exported = true;
            sites = exported_function(*context.target, place.name);
            if (!sites.empty()) break;
        }
        if (is_loader(module) && context.target->modules().size() <= kModulesBeforeLibraries)
            continue;  // the library that is meant is still to come
        std::vector<const Function*> functions = functions_meant(module.symbols(), place.name);
        if (functions.empty()) functions = async_bodies_named(module.symbols(), place.name);
        known |= !functions.empty();
        std::vector<CodeSite> described = sites_of_all(module.symbols(), functions);
        for (const CodeSite& site : described)
            sites.push_back({&module, module.to_run(site.address), site});
        // Also where debug information has lost hold of the code (gcc, -flto with -gsplit-dwarf).
        if (described.empty()) add_symbol_sites(place, module, sites);
    }
    if (!sites.empty()) return sites;
    if (may_be_pattern) return resolve_pattern(place, context);
    if (known)
        throw RequestError(
            fmt::format("no code of {} is left: the compiler has computed it away", place.name),
            "stop at a line that calls it, or compile with -O0");
    for (const Module& module : context.target->modules()) {
        if (module.is_system_library()) continue;
        const SymbolIndex& index = module.symbols().index();
        for (const NameEntry& entry : index.names())
            if (is_function(entry.kind)) names.push_back(index.qualified_name(entry));
    }
    if (names.empty())
        for (const Module& module : context.target->modules())
            for (const ElfSymbol& symbol : module.symbols().symbol_table().symbols())
                if (symbol.is_function) names.emplace_back(symbol.name);
    auto near = nearest_names(place.name, names);
    throw RequestError(fmt::format("the program has no function {}", place.name),
                       did_you_mean(near, Next::find_functions_by_pattern));
}

constexpr std::size_t kMostBlocks = 3000;

// Where a block begins is known only where every byte of the function is: elsewhere a trap could
// come to stand in the middle of an instruction.
std::vector<PlaceSite> resolve_blocks(const Place& place, const EvaluationContext& context) {
    std::vector<PlaceSite> sites;
    for (const Module* module : own_modules_first(*context.target)) {
        if (module->is_system_library() && !sites.empty()) break;
        for (const Function* function : functions_meant(module->symbols(), place.name)) {
            if (!function->has_code()) continue;
            KeptCode& code = kept_code(module->symbols(), *function);
            const FlowGraph& flow = code.flow();
            if (!flow.is_complete())
                throw RequestError(
                    fmt::format("some bytes of {} are no instruction: its blocks are not known",
                                function->name));
            const FunctionPositions& positions = module->symbols().positions_of(*function);
            for (const Blocks::Block& block : code.blocks().all()) {
                if (!block.is_reached) continue;
                CodeSite site;
                site.address = flow.nodes()[block.first].address;
                site.function = function->name;
                CodePosition own = positions.within(site.address, nullptr);
                if (own.file) site.file = *own.file;
                site.line = own.line;
                sites.push_back({module, module->to_run(site.address), site});
            }
            if (sites.size() > kMostBlocks)
                throw RequestError(
                    fmt::format("{} has more than {} blocks", place.name, kMostBlocks));
        }
    }
    if (sites.empty())
        throw RequestError(
            fmt::format("the program has no function {} with code of its own", place.name),
            Next::find_functions_by_pattern);
    return sites;
}

std::vector<PlaceSite> resolve_address(RunAddress address, const EvaluationContext& context) {
    const Module* module = context.target->module_at(address);
    std::byte probe;
    if (context.target->read_available(address, std::span(&probe, 1)) == 0)
        throw RequestError(fmt::format("nothing is mapped at {:#x}", address.value),
                           "an address of code is needed");
    CodeSite code;
    if (module) {
        code.address = module->to_file(address);
        if (auto nearest = module->symbols().nearest_name(code.address))
            code.function = nearest->name;
        if (auto line = module->symbols().line_at(code.address)) {
            code.file = line->file;
            code.line = line->line;
        }
    }
    return {{module, address, code}};
}

}  // namespace

namespace {

// "canal::Queue<int, 4>::first", "operator bool" and "toll(int) const" are names; "fill for" is
// none.
bool has_space_outside_of_brackets(std::string_view text) {
    constexpr std::string_view kConst = ") const";
    if (text.ends_with(kConst)) text.remove_suffix(kConst.size() - 1);
    int depth = 0;
    std::size_t word = text.find("operator");
    for (std::size_t i = 0; i < std::min(word, text.size()); ++i) {
        if (text[i] == '<' || text[i] == '(' || text[i] == '{' || text[i] == '[') ++depth;
        if (text[i] == '>' || text[i] == ')' || text[i] == '}' || text[i] == ']') --depth;
        if (text[i] == ' ' && depth <= 0) return true;
    }
    return false;
}

}  // namespace

Place parse_place(std::string_view given, const std::string& current_file) {
    std::string_view text = trimmed(given);
    Place place;
    place.text = text;
    if (text.empty()) throw RequestError("a place is missing", Next::name_place);
    if (text.starts_with("address ")) {
        place.kind = Place::Kind::address;
        place.expression = trimmed(text.substr(8));
        return place;
    }
    if (all_digits(text)) {
        if (current_file.empty())
            throw RequestError("there is no current file to count lines in",
                               {Next::name_in_file, std::string(text)});
        place.kind = Place::Kind::line;
        place.file = current_file;
        place.line = line_number(text);
        place.text = fmt::format("{}:{}", short_name(current_file), place.line);
        return place;
    }
    std::size_t colon = text.rfind(':');
    if (colon != std::string_view::npos && colon > 0 && text[colon - 1] != ':') {
        std::string_view digits = text.substr(colon + 1);
        bool is_name = text.find_first_of("<({") != std::string_view::npos && !all_digits(digits);
        if (is_name) {
            place.name = text;
            return place;
        }
        if (!all_digits(digits))
            throw RequestError(
                fmt::format("after FILE: comes a line number, not {}", quote(digits)));
        place.kind = Place::Kind::line;
        place.file = text.substr(0, colon);
        place.line = line_number(digits);
        return place;
    }
    if (has_space_outside_of_brackets(text))
        throw RequestError(fmt::format("{} is no place", quote(text)), Next::name_place);
    place.name = text;
    return place;
}

Place blocks_of(std::string_view function) {
    Place place;
    place.kind = Place::Kind::blocks;
    place.name = trimmed(function);
    place.text = "blocks of " + place.name;
    if (place.name.empty())
        throw RequestError("the function whose blocks are meant is missing",
                           "note blocks of pass_chamber, for example");
    return place;
}

std::vector<PlaceSite> resolve_place(const Place& place, const EvaluationContext& context) {
    switch (place.kind) {
        case Place::Kind::line: return resolve_line(place, context);
        case Place::Kind::address: {
            Value value = evaluate(place.expression, context);
            return resolve_address(RunAddress(ValueReader(*context.target).integer(value)),
                                   context);
        }
        case Place::Kind::code:
            return resolve_address(context.target->modules().front().to_run(place.in_program),
                                   context);
        case Place::Kind::blocks: return resolve_blocks(place, context);
        case Place::Kind::function: break;
    }
    return resolve_function(place, context);
}

}  // namespace lantern
