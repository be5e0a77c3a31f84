// find
#include <fmt/format.h>
#include <fnmatch.h>

#include <algorithm>
#include <set>

#include "cli/commands/command.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

constexpr std::size_t kMostShown = 50;

bool matches(const std::string& name, const std::string& pattern) {
    if (pattern.find_first_of("*?[") != std::string::npos) return fnmatch(pattern.c_str(), name.c_str(), 0) == 0;
    return lower_case(name).find(lower_case(pattern)) != std::string::npos;
}

void find_functions(Session& session, FindReport& report) {
    bool any_described = false;
    for (const Module& module : session.target().modules()) {
        const ModuleSymbols& symbols = module.symbols();
        for (const NameEntry& entry : symbols.index().names()) {
            if (!is_function(entry.kind)) continue;
            any_described = true;
            if (!matches(symbols.index().qualified_name(entry), report.pattern)) continue;
            const Function& function = *symbols.function(entry.position);
            FoundName found;
            found.name = function.name;
            found.file = function.declared_in;
            found.line = function.declared_line;
            found.is_inlined_only = !function.has_code();
            if (function.has_code()) found.address = module.to_run(function.low()).value;
            report.found.push_back(std::move(found));
        }
    }
    // Programs and libraries without debug information still have the linker's names.
    for (const Module& module : session.target().modules()) {
        if (module.symbols().has_debug_information() || (any_described && report.pattern.empty())) continue;
        for (const ElfSymbol& symbol : module.symbols().symbol_table().symbols()) {
            std::string name(symbol.name.substr(0, symbol.name.find('@')));
            if (!symbol.is_function || !matches(name, report.pattern)) continue;
            FoundName found;
            found.name = name;
            found.file = module.path();
            found.address = module.to_run(symbol.address).value;
            report.found.push_back(std::move(found));
        }
    }
}

void find_globals(Session& session, FindReport& report) {
    for (const Module& module : session.target().modules()) {
        for (const NameEntry& entry : module.symbols().index().names()) {
            if (entry.kind != NameKind::global || !matches(module.symbols().index().qualified_name(entry), report.pattern)) continue;
            auto variable = module.symbols().global(entry);
            if (variable) report.found.push_back({variable->name, type_text(*variable->type), variable->declared_in, variable->declared_line, 0, false});
        }
    }
}

void find_types(Session& session, FindReport& report) {
    for (const Module& module : session.target().modules()) {
        for (const NameEntry& entry : module.symbols().index().names()) {
            std::string name = module.symbols().index().qualified_name(entry);
            if (!is_type(entry.kind) || name.empty() || !matches(name, report.pattern)) continue;
            const Type* type = module.symbols().types().type_at(entry.position);
            report.found.push_back({name, counted(plain(*type).size, "byte"), type->declared_in, type->declared_at, 0, false});
        }
    }
}

void find_files(Session& session, FindReport& report) {
    std::set<std::string> seen;
    for (const Module& module : session.target().modules())
        for (const auto& unit : module.symbols().debug_info().units())
            for (const auto& file : module.symbols().files_of(*unit))
                if (matches(file.path, report.pattern) && seen.insert(file.path).second) {
                    std::string state = session.sources().find(file.path) ? session.is_stale(file.path) ? "newer than the program" : "" : "not here";
                    report.found.push_back({file.path, state, "", 0, 0, false});
                }
}

}  // namespace

void run_find(Shell& shell, std::string_view arguments) {
    std::string_view rest = arguments;
    FindReport report;
    report.what = take_word(rest);
    report.pattern = rest;
    using Finder = void (*)(Session&, FindReport&);
    static constexpr std::pair<std::string_view, Finder> kFinders[] = {
        {"functions", find_functions}, {"globals", find_globals}, {"types", find_types}, {"files", find_files}};
    Finder finder = nullptr;
    std::string word;
    for (auto [name, candidate] : kFinders) {
        if (report.what.empty() || !name.starts_with(report.what)) continue;
        finder = candidate;
        word = name;
    }
    if (!finder) throw RequestError("find looks for functions, globals, types or files", "find functions chamber, for example");
    report.what = word;
    finder(shell.session(), report);
    std::sort(report.found.begin(), report.found.end(), [](const FoundName& a, const FoundName& b) {
        return std::tie(a.name, a.file, a.line, a.address) < std::tie(b.name, b.file, b.line, b.address);
    });
    report.total = report.found.size();
    if (report.found.size() > kMostShown) report.found.resize(kMostShown);
    shell.show(report);
}

}  // namespace lantern::cli
