#include "core/analysis/became_report.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <filesystem>

#include "core/analysis/became_inlined_loops.h"
#include "core/analysis/became_loops.h"
#include "core/analysis/became_statement.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/symbols/places.h"
#include "core/symbols/source_files.h"
#include "core/values/place_text.h"

namespace lantern {
namespace {

using Ground = BecameFact::Ground;

// "pass.constprop.0" of "pass": what the compiler did when it made this copy.
std::string meaning_of(const std::string& symbol) {
    std::vector<std::string> all;
    // ".part.0": a name of Rust's may have "..partition.." in it.
    auto has = [&](std::string_view part) {
        std::size_t at = symbol.rfind(part);
        return at != std::string::npos && at + part.size() < symbol.size() &&
               std::isdigit(static_cast<unsigned char>(symbol[at + part.size()]));
    };
    if (has(".constprop."))
        all.push_back("some parameters are fixed, as its callers pass the same there");
    if (has(".isra.")) all.push_back("parameters are passed in parts, or not at all");
    if (has(".part."))
        all.push_back("only a part of the function: the rest is inlined into callers");
    return fmt::format("{}", fmt::join(all, "; "));
}

void tell_of_the_whole(BecameReport& report, const Became& became) {
    const ElfSymbol* symbol =
        became.module.symbols().symbol_table().covering(became.function.low());
    std::string meaning = symbol ? meaning_of(std::string(symbol->name)) : "";
    if (!meaning.empty()) {
        report.symbol = symbol->name;
        report.facts.push_back(
            {Ground::seen,
             fmt::format("the copy {}: {}", escape_for_display(symbol->name), meaning)});
    }
    for (const Variable& variable : became.body.outermost.variables) {
        if (!variable.is_parameter || variable.name.empty()) continue;
        auto number = constant_of(variable);
        if (number)
            report.facts.push_back(
                {Ground::seen, fmt::format("the parameter {} is always {}",
                                           escape_for_display(variable.name), *number)});
        else if (!meaning.empty() && variable.locations.empty())
            report.facts.push_back(
                {Ground::seen, fmt::format("the parameter {} does not come in any more",
                                           escape_for_display(variable.name))});
    }
    if (!became.code.flow.is_complete())
        report.facts.push_back(
            {Ground::seen,
             "some of its bytes are no instruction: there may be ways that are not "
             "told here"});
}

// A source by two names: one may be from the folder where the compiler ran.
bool is_same_file(const std::string& one, const std::string& other) {
    return path_matches(one, other) || path_matches(other, one);
}

// Of all that a compiler tells of what it did not do, only why a loop or a call stayed as it is.
bool tells_why_not(const CompilerRecord& record) {
    return record.text.starts_with("not vectorized") || record.text.starts_with("loop not") ||
           record.text.find("not inlined") != std::string::npos;
}

std::size_t stretches_of(const FunctionCode& code, const std::vector<std::uint32_t>& nodes) {
    std::size_t stretches = 0;
    for (std::size_t i = 0; i < nodes.size(); ++i)
        stretches += i == 0 || code.node(nodes[i - 1]).behind() != code.node(nodes[i]).address;
    return stretches;
}

class LineReporter {
  public:
    LineReporter(BecameReport& report, const Became& became, const SourceText* source)
        : report_(report), became_(became), source_(source) {}

    void tell_lines() {
        auto of_source = source_loops(became_);
        auto loops = facts_of_loops(became_, of_source);
        inlined_loops_ = facts_of_inlined_loops(became_, of_source);
        std::uint32_t told = 0;  // the last line
        for (std::size_t i = 0; i < became_.statements.size(); ++i) {
            const SourceStatement& statement = became_.statements[i];
            tell_lines_between(told, statement.first_line);
            auto of_loop = loops.find(i);
            if (statement.last_line <= told) {  // more of a line that is told already
                if (of_loop != loops.end() && !report_.lines.empty() &&
                    report_.lines.back().last_line == told)
                    add(report_.lines.back().facts, of_loop->second);
                continue;
            }
            BecameLine line =
                line_of(std::max(statement.first_line, told + 1), statement.last_line);
            line.is_expected = statement.kind != SourceStatement::Kind::declaration &&
                               statement.kind != SourceStatement::Kind::jump;
            line.facts = facts_of_statement(became_, of_source, i);
            if (of_loop != loops.end()) add(line.facts, of_loop->second);
            add_inlined_loops(line);
            told = statement.last_line;
            if (line.is_expected || line.instructions) report_.lines.push_back(std::move(line));
        }
        tell_lines_between(told, ~std::uint32_t{0});
        std::stable_sort(report_.lines.begin(), report_.lines.end(),
                         [](const BecameLine& a, const BecameLine& b) { return a.line < b.line; });
    }

  private:
    static void add(std::vector<BecameFact>& facts, const std::vector<BecameFact>& more) {
        facts.insert(facts.end(), more.begin(), more.end());
    }

    void add_inlined_loops(BecameLine& line) const {
        for (auto it = inlined_loops_.lower_bound(line.line);
             it != inlined_loops_.end() && it->first <= line.last_line; ++it)
            add(line.facts, it->second);
    }

    // Lines with code that no statement has: braces, the function's head, or all of them where the
    // source is not here.
    void tell_lines_between(std::uint32_t behind, std::uint32_t before) {
        const auto& lines = became_.lines.lines();
        for (auto it = lines.upper_bound(behind); it != lines.end() && it->first < before; ++it) {
            if (it->second.nodes.empty()) continue;
            BecameLine line = line_of(it->first, it->first);
            line.is_expected = false;
            line.facts = facts_of_calls(became_, it->second);
            add_inlined_loops(line);
            report_.lines.push_back(std::move(line));
        }
    }

    BecameLine line_of(std::uint32_t first, std::uint32_t last) const {
        CodeOfLine code = became_.lines.together(first, last);
        BecameLine line;
        line.line = first;
        line.last_line = last;
        if (source_ && first <= source_->lines.size()) line.source = source_->lines[first - 1];
        line.instructions = code.nodes.size();
        line.stretches = stretches_of(became_.code, code.nodes);
        if (code.nodes.empty() && !code.marks.empty())
            line.passed_at = became_.module.to_run(code.marks.front()).value;
        return line;
    }

    BecameReport& report_;
    const Became& became_;
    const SourceText* source_;
    std::map<std::uint32_t, std::vector<BecameFact>> inlined_loops_;  // by the line of the call
};

std::string text_of_record(const CompilerRecord& record) {
    std::string text = escape_for_display(record.text), means = meaning_of_record(record.text);
    while (text.ends_with('.')) text.pop_back();
    return means.empty() ? text : fmt::format("{}; that is, {}", text, means);
}

// What was done; and where nothing was, why not.
void tell_records(BecameReport& report, const Became& became,
                  const std::vector<CompilerRecord>& records) {
    constexpr std::size_t kMostDone = 8, kMostNot = 2;
    const Function& function = became.function;
    for (BecameLine& line : report.lines) {
        std::vector<BecameFact> done, not_done;
        for (const CompilerRecord& record : records) {
            bool is_here = line.line <= record.line && record.line <= line.last_line;
            bool is_of_function = record.function.empty() ||
                                  record.function == function.linkage_name ||
                                  record.function == function.name;
            if (!is_here || !is_of_function || !is_same_file(record.file, function.declared_in))
                continue;
            if (record.is_done && done.size() < kMostDone)
                done.push_back({Ground::said, text_of_record(record)});
            else if (tells_why_not(record) && not_done.size() < kMostNot)
                not_done.push_back({Ground::said, text_of_record(record)});
        }
        const auto& told = done.empty() ? not_done : done;
        line.facts.insert(line.facts.end(), told.begin(), told.end());
    }
}

}  // namespace

CodeWanted wanted_function(const Moment& moment, const std::optional<Place>& place) {
    if (!place) {
        const Frame* frame = moment.selected_frame();
        if (!frame || !frame->function)
            throw RequestError("there is no function here", "became FUNCTION, for example");
        return {frame->module, frame->function};
    }
    std::string inlined_into;
    for (const PlaceSite& site : resolve_place(*place, moment.context())) {
        const Function* function =
            site.module ? site.module->symbols().function_at(site.module->to_file(site.address))
                        : nullptr;
        bool is_own =
            function && (!site.code.is_inlined_copy || place->kind == Place::Kind::address);
        if (is_own) return {site.module, function};
        if (function) inlined_into = function->name;
    }
    if (!inlined_into.empty())
        throw RequestError(
            fmt::format("{} has no code of its own: it is inlined where it is called",
                        escape_for_display(place->text)),
            fmt::format("became {} tells of one of those places", inlined_into));
    throw RequestError(fmt::format("no function with debug information is at {}",
                                   escape_for_display(place->text)));
}

BecameReport report_became(const Moment& moment, const std::optional<Place>& place,
                           const std::vector<CompilerRecord>& records) {
    auto [module, function] = wanted_function(moment, place);
    const ModuleSymbols& symbols = module->symbols();
    BecameReport report;
    report.function = function->name;
    report.file = function->declared_in;
    report.address = module->to_run(function->low()).value;
    report.parts = function->ranges.size();
    for (const FileRange& range : function->ranges) report.bytes += range.size();
    const SourceText* source = moment.sources().find(function->declared_in);
    report.has_source = source != nullptr;
    report.is_stale = source && is_stale(moment, function->declared_in);
    FunctionCode code(symbols, *function);
    report.instructions = static_cast<std::size_t>(
        std::count_if(code.flow.nodes().begin(), code.flow.nodes().end(),
                      [](const FlowGraph::Node& node) { return !node.is_filler; }));
    const FunctionBody& body = symbols.body_of(*function);
    CodeOfLines lines(code, symbols.positions_of(*function), body, function->declared_in);
    auto statements = source && !report.is_stale
                          ? statements_of_function(source->lines, function->declared_line,
                                                   code_language(function->declared_in))
                          : std::vector<SourceStatement>();
    Became became{moment.target(), *module, *function, body, code, lines, statements};
    tell_of_the_whole(report, became);
    LineReporter(report, became, source).tell_lines();
    tell_records(report, became, records);
    return report;
}

}  // namespace lantern
