#include "core/comparison/build_comparison.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>
#include <unordered_map>

#include "core/analysis/survey.h"
#include "core/analysis/survey_units.h"
#include "core/code/stack_depth.h"
#include "core/support/error.h"
#include "core/support/pattern.h"
#include "core/unwind/frame.h"

namespace lantern {
namespace {

constexpr std::size_t kIntoShown = 3;

// What a build has of a name, quickly: of all functions of that name together.
struct OfName {
    FunctionInBuild in;
    dwarf::Position entry = 0;  // of the largest with code
    std::uint64_t largest = 0;
    double covered = 0;
    std::vector<dwarf::Position> into;
};

struct Looked {
    std::shared_ptr<const ModuleSymbols> symbols;
    std::unordered_map<std::string, OfName> names;
    std::unordered_map<dwarf::Position, const OfName*> by_entry;
    std::unordered_map<dwarf::Position, std::string> names_of;
};

Looked look_at(const std::string& program, const SymbolSearch& search, BuildInComparison& build,
               const std::function<void(double)>& progress) {
    Looked looked;
    looked.symbols = std::make_shared<const ModuleSymbols>(program, search);
    const ModuleSymbols& symbols = *looked.symbols;
    if (!symbols.has_debug_information())
        throw RequestError(fmt::format("{} has no symbols to compare it by", program),
                           "compile it with -g");
    build.program = program;
    build.compiler = compiler_of(symbols);
    const SymbolIndex& index = symbols.index();
    for (const NameEntry& entry : index.names())
        if (is_function(entry.kind))
            looked.names_of.emplace(entry.position, index.qualified_name(entry));
    for (const dwarf::UnitSurvey& unit :
         dwarf::survey_units(symbols.debug_info(), symbols.code_areas(), progress)) {
        build.functions += unit.functions;
        build.code_bytes += unit.code_bytes;
        build.inlined_calls += unit.inlined_calls;
        build.variables += unit.variables;
        build.cover += unit.coverage;
        for (const dwarf::UnitSurvey::OfFunction& each : unit.each) {
            auto name = looked.names_of.find(each.entry);
            if (name == looked.names_of.end()) continue;
            OfName& of = looked.names[name->second];
            of.in.bytes += each.code_bytes;
            of.in.variables += each.variables;
            of.covered += static_cast<double>(each.coverage);
            if (each.code_bytes <= of.largest) continue;
            of.largest = each.code_bytes;
            of.entry = each.entry;
        }
        for (auto [origin, into] : unit.copies) {
            auto name = looked.names_of.find(origin);
            if (name == looked.names_of.end()) continue;
            OfName& of = looked.names[name->second];
            ++of.in.copies;
            if (!of.entry) of.entry = origin;
            if (of.into.size() < kIntoShown && std::ranges::find(of.into, into) == of.into.end())
                of.into.push_back(into);
        }
    }
    if (build.variables) build.cover /= static_cast<double>(build.variables);
    for (auto& [name, of] : looked.names)
        of.in.cover = of.in.variables ? of.covered / static_cast<double>(of.in.variables) : 0;
    return looked;
}

double change(const FunctionInBuild& first, const FunctionInBuild& second) {
    double bytes = std::abs(static_cast<double>(first.bytes) - static_cast<double>(second.bytes));
    double cover = first.variables && second.variables
                       ? std::abs(first.cover - second.cover) * static_cast<double>(first.bytes) / 2
                       : 0;
    double copies = first.copies == second.copies ? 0 : 8;
    return bytes + cover + copies;
}

// By the rules for the frame; where those count from a frame pointer, by the code.
std::optional<std::uint64_t> frame_bytes(const ModuleSymbols& symbols, const Function& function,
                                         const FlowGraph& flow) {
    constexpr std::uint64_t kReturnAddress = 8;
    constexpr unsigned kStackPointer = 7;
    auto description = symbols.frame_description(function.low());
    if (!description) return stack_depth(flow, symbols);
    std::uint64_t most = 0;
    for (const dwarf::FrameRow& row : description->rows) {
        if (row.cfa_is_expression || row.cfa_register != kStackPointer)
            return stack_depth(flow, symbols);
        if (row.cfa_offset > 0) most = std::max(most, static_cast<std::uint64_t>(row.cfa_offset));
    }
    return most > kReturnAddress ? most - kReturnAddress : 0;
}

// Of its own source; what is inlined into it counts as its calls do.
std::set<std::uint32_t> lines_with_code(const ModuleSymbols& symbols, const Function& function) {
    std::set<std::uint32_t> lines;
    for (const CodePosition& position : symbols.positions_of(function).all())
        if (!position.inlined && position.line && position.file &&
            *position.file == function.declared_in)
            lines.insert(position.line);
    return lines;
}

std::set<std::string> calls_of(const ModuleSymbols& symbols, const FlowGraph& flow) {
    std::set<std::string> calls;
    for (const FlowGraph::Node& node : flow.nodes()) {
        bool is_call = node.kind == Instruction::Kind::call || node.leaves();
        if (!is_call || !node.target) continue;
        const Function* called = symbols.function_at(*node.target);
        if (called && called->low() == *node.target) {
            calls.insert(called->name);
        } else if (auto nearest = symbols.nearest_name(*node.target); nearest && !nearest->offset) {
            calls.insert(nearest->name.substr(0, nearest->name.find('@')));
        }
    }
    return calls;
}

template <class Item>
std::vector<Item> only_in(const std::set<Item>& first, const std::set<Item>& second) {
    std::vector<Item> only;
    std::ranges::set_difference(first, second, std::back_inserter(only));
    return only;
}

void add_details(FunctionComparison& row, const std::array<const Function*, 2>& functions,
                 const std::array<Looked, 2>& looked) {
    std::array<std::set<std::uint32_t>, 2> lines;
    std::array<std::set<std::string>, 2> calls;
    for (unsigned side : {0u, 1u}) {
        if (!functions[side] || !functions[side]->has_code()) continue;
        const ModuleSymbols& symbols = *looked[side].symbols;
        FlowGraph flow(symbols, *functions[side]);
        row.in[side].frame_bytes = frame_bytes(symbols, *functions[side], flow);
        lines[side] = lines_with_code(symbols, *functions[side]);
        row.in[side].lines = lines[side].size();
        calls[side] = calls_of(symbols, flow);
    }
    bool have_both = row.in[0].bytes && row.in[1].bytes;
    if (!have_both) return;
    row.lost_lines = only_in(lines[0], lines[1]);
    row.new_lines = only_in(lines[1], lines[0]);
    row.lost_calls = only_in(calls[0], calls[1]);
    row.new_calls = only_in(calls[1], calls[0]);
    for (auto* list : {&row.lost_calls, &row.new_calls}) {
        unsigned other = list == &row.lost_calls ? 1 : 0;
        for (std::string& call : *list) {
            auto of = looked[other].names.find(call);
            if (of != looked[other].names.end() && of->second.in.copies) call += " (inlined)";
        }
    }
}

struct CommonFunction {
    const std::string* name = nullptr;
    const OfName* in[2] = {};
    double change = 0;
};

std::vector<CommonFunction> candidates(const std::array<Looked, 2>& looked, const Pattern& wanted) {
    static const OfName nothing;
    std::vector<CommonFunction> all;
    for (unsigned side : {0u, 1u})
        for (const auto& [name, of] : looked[side].names) {
            auto other = looked[1 - side].names.find(name);
            bool is_there = other != looked[1 - side].names.end();
            if ((side == 1 && is_there) || !wanted.matches(name)) continue;
            CommonFunction each{&name, {&nothing, &nothing}, 0};
            each.in[side] = &of;
            if (is_there) each.in[1 - side] = &other->second;
            each.change = lantern::change(each.in[0]->in, each.in[1]->in);
            all.push_back(each);
        }
    std::ranges::sort(all, [](const CommonFunction& one, const CommonFunction& other) {
        return one.change != other.change ? one.change > other.change : *one.name < *other.name;
    });
    return all;
}

}  // namespace

BuildComparison compare_builds(const BuildComparisonRequest& request) {
    BuildComparison report;
    std::array<Looked, 2> looked;
    for (unsigned side : {0u, 1u})
        looked[side] =
            look_at(request.programs[side], request.search, report.builds[side], [&](double done) {
                if (request.progress) request.progress((side + done) / 2);
            });
    for (const CommonFunction& each : candidates(looked, Pattern(request.functions))) {
        std::array<const Function*, 2> functions{};
        for (unsigned side : {0u, 1u})
            if (each.in[side]->entry)
                functions[side] = looked[side].symbols->function(each.in[side]->entry);
        const Function* known = functions[0] ? functions[0] : functions[1];
        bool is_user_s = known && !known->declared_in.empty() &&
                         !request.libraries.is_library_source(known->declared_in);
        if (!is_user_s) continue;
        if (each.change == 0) {
            ++report.alike;
            continue;
        }
        ++report.changed;
        if (report.rows.size() >= request.rows) continue;
        FunctionComparison row;
        row.name = *each.name;
        row.file = known->declared_in;
        row.line = known->declared_line;
        for (unsigned side : {0u, 1u}) {
            row.in[side] = each.in[side]->in;
            for (dwarf::Position into : each.in[side]->into)
                if (auto name = looked[side].names_of.find(into);
                    name != looked[side].names_of.end())
                    row.in[side].into.push_back(name->second);
        }
        try {
            add_details(row, functions, looked);
        } catch (const Error&) {  // damaged there: without details
        }
        report.rows.push_back(std::move(row));
    }
    return report;
}

}  // namespace lantern
