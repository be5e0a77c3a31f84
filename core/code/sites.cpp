#include "core/code/sites.h"

#include <algorithm>
#include <map>
#include <set>
#include <unordered_map>
#include <utility>

#include "core/code/kept_unit.h"
#include "core/code/resumption.h"
#include "core/code/statement_begins.h"
#include "core/code/ways_in.h"
#include "core/support/error.h"
#include "core/symbols/async.h"

namespace lantern {

using namespace dwarf;

namespace {

CodeSite site_of(const Function* function, const CodePosition& position) {
    CodeSite site;
    site.address = position.address;
    site.is_inlined_copy = position.inlined != nullptr;
    site.is_statement = position.is_statement;
    if (position.inlined && function) site.inlined_into = function->name;
    site.function = position.inlined ? position.inlined->inlined->name
                    : function       ? function->name
                                     : "";
    if (position.file) site.file = *position.file;
    site.line = position.line;
    site.position = position;
    return site;
}

// Compilers that do not number their rows give the statement around an inlined call none.
bool gives_calls_no_rows(const Unit& unit) {
    return unit.root().producer.substr(0, 4) != "GNU ";
}

// The functions of a unit that may have code of the line, and the lines of the file that have some.
struct Candidates {
    std::set<const Function*> functions;
    std::set<std::uint32_t> lines;
    std::optional<CodeSite> outside;  // the first row of the line that is in no function
};
void collect_candidates(const ModuleSymbols& symbols, const Unit& unit, std::string_view file,
                        std::uint32_t line, Candidates& candidates) {
    const LineTable& lines = symbols.lines_of(unit);
    std::vector<bool> matches = matching_files(lines, file);
    bool any_row = gives_calls_no_rows(unit);
    const Function* last = nullptr;
    for (const LineEntry& entry : lines.entries()) {
        if (entry.line == 0 || entry.file >= matches.size() || !matches[entry.file]) continue;
        if (entry.is_statement) candidates.lines.insert(entry.line);
        if (entry.line != line && !any_row) continue;
        if (!last || !any_contains(last->ranges, entry.range.low))
            last = symbols.function_at(entry.range.low);
        if (last)
            candidates.functions.insert(last);
        else if (entry.line == line && entry.is_statement &&
                 (!candidates.outside || entry.range.low < candidates.outside->address))
            candidates.outside = CodeSite{.address = entry.range.low,
                                          .function = {},
                                          .file = lines.files()[entry.file].path,
                                          .line = line,
                                          .inlined_into = {},
                                          .position = {}};
    }
}

using Copy = const Scope*;

void add_sites_of_line(const ModuleSymbols& symbols, const Function& function,
                       std::string_view file, std::uint32_t line, LineSites& result) {
    const auto& positions = symbols.positions_of(function);
    std::map<std::pair<Copy, std::string>, std::vector<const CodePosition*>> by_copy;
    for (const CodePosition& position : positions.all())
        if (position.line == line && position.file && path_matches(*position.file, file))
            by_copy[{position.inlined, *position.file}].push_back(&position);
    if (by_copy.empty()) return;
    std::optional<FlowGraph> flow;
    for (auto& [copy, all] : by_copy) {
        std::vector<const CodePosition*> chosen = all;
        if (all.size() > 1) {
            if (!flow) flow.emplace(symbols, function);
            chosen = statement_begins(*flow, positions, copy.first, copy.second, line);
        }
        bool are_begins = !chosen.empty() && std::ranges::any_of(all, &CodePosition::is_statement);
        // Where no known way leads to the line, it stands wherever the line has code.
        if (chosen.empty()) chosen = all;
        for (const CodePosition* position : chosen) {
            bool opens = !position->inlined && position->address == function.low();
            CodeSite site = site_of(&function, *position);
            site.is_statement |= are_begins;
            if (CodePosition body = opens ? body_start(symbols, function) : *position;
                body.address != position->address) {
                site = site_of(&function, body);
                site.line = line;
            }
            result.sites.push_back(std::move(site));
        }
    }
}

// Only link-time optimisation inlines a function of one unit into another.
bool refers_to_other_units(const Unit& unit) {
    bool refers = false;
    const AbbreviationTable& table = unit.abbreviations();
    table.for_each([&](std::uint64_t, const Abbreviation& abbreviation) {
        for (const AttributeSpec& spec : table.specs(abbreviation))
            refers |= spec.name == DW_AT_abstract_origin &&
                      (spec.form == DW_FORM_ref_addr || spec.form == DW_FORM_GNU_ref_alt);
    });
    return refers;
}

std::optional<FileAddress> entry_of_copy(const Scope& copy) {
    std::optional<FileAddress> entry = copy.inlined->entry;
    for (const FileRange& range : copy.ranges)
        if (!copy.inlined->entry && (!entry || range.low < *entry)) entry = range.low;
    return entry;
}

// At the address itself, also where the row that it belongs to begins before the copy.
CodePosition standing_at(FileAddress address, const FunctionPositions& positions,
                         const Scope& copy) {
    CodePosition position = positions.within(address, &copy);
    if (position.address == address) return position;
    position.address = position.end = address;
    position.order = 0;
    position.is_statement = false;
    return position;
}

// Where control comes into an inlined copy, and where its first statement begins again in a loop
// that was unrolled. `flow`: of the holder, made when it is first needed.
void add_sites_of_copy(const ModuleSymbols& symbols, const Function& holder, const Scope& copy,
                       std::optional<FlowGraph>& flow, std::vector<CodeSite>& sites) {
    std::optional<FileAddress> entry = entry_of_copy(copy);
    if (!entry) return;
    const FunctionPositions& positions = symbols.positions_of(holder);
    if (!flow) flow.emplace(symbols, holder);
    CodePosition first = positions.within(*entry, &copy);
    std::vector<FileAddress> ways = ways_into(*flow, positions, copy, first);
    if (ways.empty()) ways.push_back(*entry);
    for (FileAddress way : ways)
        sites.push_back(site_of(&holder, standing_at(way, positions, copy)));
    if (first.is_call || !first.line || copy.ranges.size() < 2) return;
    for (const CodePosition* begin :
         statement_begins_again(*flow, positions, &copy, *first.file, first.line))
        if (begin->column == first.column && !std::ranges::binary_search(ways, begin->address))
            sites.push_back(site_of(&holder, *begin));
}

bool is_made_of(const ModuleSymbols& symbols, const Function& made, const Function& origin) {
    auto entry = symbols.debug_info().entry_at(made.entry_offset);
    if (!entry) return false;
    return std::ranges::any_of(symbols.debug_info().with_origins(*entry), [&](const Entry& each) {
        return each.offset() == origin.entry_offset;
    });
}

// gcc makes a part of a function a function of its own, and may inline that again: its call is said
// to stand where the function is declared. Within the function it is no call of it.
bool is_part_inlined_again(const ModuleSymbols& symbols, const Scope& copy, const Function& origin,
                           const Function& holder) {
    const InlinedCall& call = *copy.inlined;
    if (!origin.declared_line || call.call_line != origin.declared_line ||
        call.call_file != origin.declared_in)
        return false;
    auto entry = symbols.debug_info().entry_at(origin.entry_offset);
    auto column = entry ? entry->number(DW_AT_decl_column) : std::nullopt;
    if (column != call.call_column) return false;
    for (const Scope* around = copy.around; around; around = around->around)
        if (around->inlined->origin == origin.entry_offset) return true;
    return is_made_of(symbols, holder, origin);
}

// Which functions of a unit hold copies of which: this asks far less than reading their bodies.
class CopiesInUnit {
  public:
    // Borrows it.
    explicit CopiesInUnit(const DebugInfo& info) : info_(info) {}

    void add(const Function& holder) {
        if (auto entry = info_.entry_at(holder.entry_offset)) add_within(*entry, holder, 0);
    }
    KeptUnit::Holders take() { return std::move(holders_); }

  private:
    void add_within(const Entry& entry, const Function& holder, unsigned depth) {
        constexpr unsigned kDeepest = 300;
        if (depth > kDeepest) return;
        for (auto child = entry.first_child(); child; child = child->next_sibling()) {
            bool is_call = child->tag() == DW_TAG_inlined_subroutine;
            bool is_block =
                child->tag() == DW_TAG_lexical_block || child->tag() == DW_TAG_try_block;
            if (is_call) holders_[origin_of(*child)].push_back(&holder);
            if (is_call || is_block) add_within(*child, holder, depth + 1);
        }
    }

    // As InlinedCall::origin has it: with link-time optimisation an origin has an origin.
    Position origin_of(const Entry& call) {
        auto origin = info_.referred(call, DW_AT_abstract_origin);
        if (!origin) return 0;
        auto [known, is_new] = origins_.try_emplace(origin->offset(), origin->offset());
        for (int hops = 0; is_new && hops < 4; ++hops) {
            origin = info_.referred(*origin, DW_AT_abstract_origin);
            if (!origin) break;
            known->second = origin->offset();
        }
        return known->second;
    }

    const DebugInfo& info_;
    KeptUnit::Holders holders_;
    std::unordered_map<Position, Position> origins_;  // of what calls refer to at once
};

// In the order of the unit, each once.
std::vector<const Function*> holders_in(const ModuleSymbols& symbols, const Unit& unit,
                                        Position wanted) {
    auto& kept = kept_unit(symbols, unit).holders;
    if (!kept) {
        CopiesInUnit copies(symbols.debug_info());
        for (const Function* function : symbols.functions_of(unit)) copies.add(*function);
        kept = copies.take();
    }
    auto found = kept->find(wanted);
    if (found == kept->end()) return {};
    std::vector<const Function*> holders = found->second;
    holders.erase(std::unique(holders.begin(), holders.end()), holders.end());
    return holders;
}

void collect_copies(const ModuleSymbols& symbols, const Scope& scope, const Function& wanted,
                    const Function& holder, std::optional<FlowGraph>& flow,
                    std::vector<CodeSite>& sites) {
    for (const auto& inner : scope.inner) {
        if (inner->inlined && inner->inlined->origin == wanted.entry_offset &&
            !is_part_inlined_again(symbols, *inner, wanted, holder))
            add_sites_of_copy(symbols, holder, *inner, flow, sites);
        collect_copies(symbols, *inner, wanted, holder, flow, sites);
    }
}

// Copies that no record tells of, only the lines of the function's source (see
// InlinedCall::is_recorded).
void collect_unrecorded(const ModuleSymbols& symbols, const Function& wanted,
                        const Function& holder, std::vector<CodeSite>& sites) {
    std::set<const Scope*> seen;
    const FunctionPositions& positions = symbols.positions_of(holder);
    for (const CodePosition& position : positions.all()) {
        const Scope* copy = position.inlined;
        bool is_copy = copy && !copy->inlined->is_recorded &&
                       copy->inlined->origin == wanted.entry_offset && position.is_statement;
        if (!is_copy || !seen.insert(copy).second) continue;
        for (const CodePosition* begin : statement_begins(FlowGraph(symbols, holder), positions,
                                                          copy, *position.file, position.line))
            sites.push_back(site_of(&holder, *begin));
    }
}

// True if the parameters lie in the frame, each at one place for the whole function: they are there
// once the prologue has run.
bool parameters_wait_for_prologue(const FunctionBody& body) {
    for (const Variable& variable : body.outermost.variables)
        if (variable.is_parameter && !variable.locations.empty()) {
            const auto& location = variable.locations.front();
            return !location.range && !location.expression.empty() &&
                   static_cast<std::uint8_t>(location.expression[0]) == DW_OP_fbreg;
        }
    return false;
}

bool is_of_drop(const CodeSite& site) {
    return site.function.starts_with("core::ptr::drop_in_place<");
}

// Nothing between the node and the address goes anywhere else.
bool is_straight(const FlowGraph& flow, std::uint32_t from, FileAddress until) {
    for (std::uint32_t node = from; node != FlowGraph::kNone; node = flow.nodes()[node].next) {
        const FlowGraph::Node& facts = flow.nodes()[node];
        if (facts.address == until) return true;
        if (facts.is_jump() || facts.kind == Instruction::Kind::call) return false;
    }
    return false;
}

}  // namespace

LineSites find_line(const ModuleSymbols& symbols, std::string_view file, std::uint32_t line) {
    LineSites result;
    result.files = find_files(symbols, file);
    Candidates candidates;
    for (const Unit* unit : units_mentioning(symbols, file))
        collect_candidates(symbols, *unit, file, line, candidates);
    for (const Function* function : candidates.functions)
        add_sites_of_line(symbols, *function, file, line, result);
    if (candidates.outside) result.sites.push_back(*candidates.outside);
    // A part of a statement counts only where no statement of the line begins anywhere.
    bool has_statement = std::any_of(result.sites.begin(), result.sites.end(),
                                     [](const CodeSite& site) { return site.is_statement; });
    if (has_statement)
        std::erase_if(result.sites, [](const CodeSite& site) { return !site.is_statement; });
    // What drops a task that waits there is of that line too, but nothing that the user wrote.
    if (!std::ranges::all_of(result.sites, is_of_drop)) std::erase_if(result.sites, is_of_drop);
    std::sort(result.sites.begin(), result.sites.end(), [](const CodeSite& a, const CodeSite& b) {
        auto order = [](const CodeSite& site) { return site.position ? site.position->order : 0; };
        return a.address != b.address ? a.address < b.address : order(a) < order(b);
    });
    if (result.sites.empty()) {
        auto after = candidates.lines.upper_bound(line);
        if (after != candidates.lines.begin()) result.lines_with_code.push_back(*std::prev(after));
        if (after != candidates.lines.end()) result.lines_with_code.push_back(*after);
    }
    return result;
}

namespace {

// Of an async body: the first row behind its opening brace, where it begins and waits for nothing.
std::optional<CodePosition> async_start(const ModuleSymbols& symbols, const Function& function) {
    constexpr std::size_t kStatesWithoutWait = 3;  // there is one way then, and nothing to go on at
    auto parameter = async_parameter(symbols.body_of(function));
    if (!parameter) return std::nullopt;
    FlowGraph flow(symbols, function);
    std::uint32_t begin = resumed_at(flow, 0);
    bool is_sure = begin != FlowGraph::kNone;
    if (!is_sure && parameter->task->variants().size() != kStatesWithoutWait) return std::nullopt;
    FileAddress from = is_sure ? flow.nodes()[begin].address : function.low();
    std::uint16_t brace = 0;
    for (const CodePosition& position : symbols.positions_of(function).all()) {
        bool is_first_line = position.line == function.declared_line;
        if (position.ends_prologue && is_first_line) brace = position.column;
        bool is_behind =
            position.line > function.declared_line || (is_first_line && position.column > brace);
        if (position.address < from || position.inlined || !is_behind) continue;
        if (!is_sure || is_straight(flow, begin, position.address)) return position;
    }
    return std::nullopt;
}

}  // namespace

CodePosition body_start(const ModuleSymbols& symbols, const Function& function) {
    if (auto start = async_start(symbols, function)) return *start;
    FileAddress low = function.low();
    const auto& positions = symbols.positions_of(function);
    if (positions.at(low).empty()) return positions.within(low, nullptr);
    const FileRange& range = function.ranges.front();
    bool waits = parameters_wait_for_prologue(symbols.body_of(function));
    auto is_sure = [&](FileAddress at) {
        if (waits || at == low) return true;
        FlowGraph flow(symbols, function);
        return is_straight(flow, flow.entry(), at);
    };
    // The compiler may say where the prologue ends; where some ways do not lead there, the
    // parameters are in place from the start.
    for (const CodePosition& position : positions.all())
        if (position.ends_prologue && range.contains(position.address))
            return positions.within(is_sure(position.address) ? position.address : low, nullptr);
    // Else the second statement is where the body starts.
    bool is_first = true;
    for (const CodePosition& position : positions.all()) {
        if (position.address < low || !range.contains(position.address) || !position.is_statement)
            continue;
        if (std::exchange(is_first, false)) continue;
        if (position.address == low && position.inlined) break;
        if (is_sure(position.address))
            return position.inlined ? positions.within(position.address, nullptr) : position;
        break;
    }
    return positions.within(low, nullptr);
}

std::vector<CodePosition> body_starts(const ModuleSymbols& symbols, const Function& function) {
    std::vector<CodePosition> starts{body_start(symbols, function)};
    const FunctionBody& body = symbols.body_of(function);
    if (!async_parameter(body)) return starts;
    FlowGraph flow(symbols, function);
    const auto& positions = symbols.positions_of(function);
    for (const Resumption& resumed : resumptions(flow, body)) {
        if (!resumed.line) continue;
        auto start = std::ranges::find_if(positions.all(), [&](const CodePosition& position) {
            return position.is_statement && !position.inlined &&
                   position.address >= flow.nodes()[resumed.node].address &&
                   is_straight(flow, resumed.node, position.address);
        });
        starts.push_back(start != positions.all().end()
                             ? *start
                             : positions.within(flow.nodes()[resumed.node].address, nullptr));
    }
    return starts;
}

namespace {

// A part of a function that gcc has made a function of its own: what is left of it, or was inlined
// of it, calls that in the middle.
bool is_split_off(const ModuleSymbols& symbols, const Function& function) {
    const ElfSymbol* symbol =
        function.has_code() ? symbols.symbol_table().covering(function.low()) : nullptr;
    return symbol && symbol->name.find(".part.") != std::string_view::npos;
}

}  // namespace

std::vector<CodeSite> sites_of_all(const ModuleSymbols& symbols,
                                   const std::vector<const Function*>& functions) {
    std::vector<CodeSite> sites;
    for (const Function* function : with_async_bodies(symbols, functions)) {
        bool is_part = is_split_off(symbols, *function);
        for (CodeSite& site : sites_of(symbols, *function)) {
            site.is_split_off = is_part;
            sites.push_back(std::move(site));
        }
    }
    return sites;
}

std::vector<CodeSite> sites_of(const ModuleSymbols& symbols, const Function& function) {
    std::vector<CodeSite> sites;
    if (function.has_code()) sites.push_back(site_of(&function, body_start(symbols, function)));
    // A function that was also inlined has its abstract entry listed on its own.
    if (!function.has_code()) {
        for (const auto& unit : symbols.debug_info().units()) {
            if (unit.get() != function.unit && !refers_to_other_units(*unit)) continue;
            for (const Function* holder : holders_in(symbols, *unit, function.entry_offset)) {
                std::optional<FlowGraph> flow;
                collect_copies(symbols, symbols.body_of(*holder).outermost, function, *holder, flow,
                               sites);
            }
        }
        if (sites.empty() && function.unit)
            for (const Function* holder : symbols.functions_of(*function.unit))
                collect_unrecorded(symbols, function, *holder, sites);
    }
    return sites;
}

}  // namespace lantern
