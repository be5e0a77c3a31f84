// How rows get their inlined call. gcc numbers the rows of an address and says at which number a
// call begins; elsewhere the file and the nearest line above decide:
//
//     0x1180  lock.c:40  row 0      the function's own
//     0x1180  lock.c:41  row 1      the statement that calls: still outside
//     0x1180  gate.h:12  row 2      the call's entry (DW_AT_GNU_entry_view 2): inside from here
//
// A row that fits no call that may be running stays with the innermost that runs, for that is what
// the code does. docs/design/positions.md has the rules in full, and how they are held against a
// witness.
#include "core/symbols/position.h"

#include <algorithm>

#include "core/symbols/module_symbols.h"

namespace lantern {
namespace {

std::optional<FileAddress> entry_of(const Scope& scope) {
    if (scope.inlined->entry) return scope.inlined->entry;
    std::optional<FileAddress> lowest;
    for (const FileRange& range : scope.ranges)
        if (range.size() && (!lowest || range.low < *lowest)) lowest = range.low;
    return lowest;
}

unsigned depth_of(const Scope* scope) {
    unsigned depth = 0;
    for (; scope; scope = scope->around) ++depth;
    return depth;
}

const Scope* deepest_of(const std::vector<const Scope*>& scopes) {
    const Scope* deepest = nullptr;
    for (const Scope* scope : scopes)
        if (depth_of(scope) >= depth_of(deepest)) deepest = scope;
    return deepest;
}

const LineTable& table_of(const ModuleSymbols& symbols, const Function& function) {
    const dwarf::Unit* unit = function.has_code() ? symbols.unit_at(function.low()) : nullptr;
    return symbols.lines_of(unit ? *unit : *function.unit);
}

}  // namespace

bool is_within(const Scope* inner, const Scope* outer) {
    if (!outer) return true;
    for (; inner; inner = inner->around)
        if (inner == outer) return true;
    return false;
}

FunctionPositions::FunctionPositions(const ModuleSymbols& symbols, const Function& function)
    : symbols_(symbols), function_(function), lines_(table_of(symbols, function)) {
    if (function.has_code()) low_ = function.low();
    for (std::uint32_t i = 0; i < lines_.files().size(); ++i)
        numbers_.try_emplace(lines_.files()[i].path, i);
    own_ = declared(function);
    const FunctionBody& body = symbols.body_of(function);
    if (body.coroutine && has_statement_behind(body.coroutine->line)) resumed_at_ = *body.coroutine;
    collect(body.outermost);
    std::sort(claims_.begin(), claims_.end(),
              [](const Claim& a, const Claim& b) { return a.range.low < b.range.low; });
    for (const FileRange& range : function.ranges) read_range(range);
    std::stable_sort(all_.begin(), all_.end(), [](const CodePosition& a, const CodePosition& b) {
        return a.address < b.address;
    });
}

// Of the function itself: a coroutine may stand on one line.
bool FunctionPositions::has_statement_behind(std::uint32_t line) const {
    return std::ranges::any_of(lines_.entries(), [&](const LineEntry& row) {
        return row.is_statement && row.line > line && any_contains(function_.ranges, row.range.low);
    });
}

void FunctionPositions::collect(const Scope& scope) {
    for (const auto& inner : scope.inner) {
        if (inner->inlined) {
            const InlinedCall& call = *inner->inlined;
            has_views_ |= call.entry_view.has_value();
            for (const FileRange& range : inner->ranges)
                if (range.size()) claims_.push_back({range, inner.get()});
            if (auto entry = entry_of(*inner); entry && !any_contains(inner->ranges, *entry))
                points_.emplace(*entry, inner.get());
            if (const Function* origin = symbols_.function(call.origin))
                declared_[inner.get()] = declared(*origin);
        }
        collect(*inner);
    }
}

FunctionPositions::Declared FunctionPositions::declared(const Function& function) const {
    auto number = numbers_.find(function.declared_in);
    return {number == numbers_.end() ? ~0u : number->second, function.declared_line,
            function.is_closure};
}

bool FunctionPositions::fits(const Declared& function, const LineEntry& row) const {
    return function.line && row.line >= function.line && function.file != ~0u &&
           numbers_.at(lines_.files()[row.file].path) == function.file;
}

// Whose statement a row is, of the inlined calls that may be running and the function itself: the
// one whose source begins nearest above the line. `usual` where that does not tell.
const Scope* FunctionPositions::owner(const LineEntry& row, const Scopes& candidates,
                                      const Scope* usual) const {
    const Scope* best = nullptr;
    std::uint32_t best_line = fits(own_, row) ? own_.line : 0;
    auto usual_declared = declared_.find(usual);
    std::uint32_t usual_line =
        !usual ? best_line
        : usual_declared != declared_.end() && fits(usual_declared->second, row)
            ? usual_declared->second.line
            : 0;
    for (const Scope* scope : candidates) {
        auto known = declared_.find(scope);
        if (known == declared_.end() || !fits(known->second, row) ||
            known->second.line <= best_line)
            continue;
        // Lines behind a closure's end are its maker's again: only its ranges tell that it runs.
        if (known->second.is_closure && scope != usual) continue;
        best = scope;
        best_line = known->second.line;
    }
    return best_line > usual_line ? best : usual;
}

void FunctionPositions::read_range(const FileRange& range) {
    const auto& entries = lines_.entries();
    auto at =
        std::lower_bound(entries.begin(), entries.end(), range.low,
                         [](const LineEntry& entry, FileAddress a) { return entry.range.low < a; });
    std::vector<Claim> active;
    std::size_t next_claim = 0;
    while (at != entries.end() && at->range.low < range.high) {
        auto end = at;
        while (end != entries.end() && end->range.low == at->range.low) ++end;
        FileAddress address = at->range.low;
        for (; next_claim < claims_.size() && claims_[next_claim].range.low <= address;
             ++next_claim)
            active.push_back(claims_[next_claim]);
        Scopes running, ended;
        std::erase_if(active, [&](const Claim& claim) {
            if (claim.range.contains(address))
                running.push_back(claim.scope);
            else if (claim.range.high == address)
                ended.push_back(claim.scope);
            return claim.range.high <= address;
        });
        read_address({&*at, static_cast<std::size_t>(end - at)}, running, ended);
        at = end;
    }
}

void FunctionPositions::read_address(std::span<const LineEntry> rows, const Scopes& running,
                                     const Scopes& ended) {
    FileAddress address = rows.front().range.low;
    // Before a function's own first row may stand what was left of the one before it.
    if (address == low_)
        for (std::size_t i = rows.size(); i-- > 1;)
            if (rows[i].view == 0) rows = rows.subspan(i);
    std::size_t first = all_.size();
    for (const LineEntry& row : rows)
        all_.push_back(position_of(row, reading(row, address, running, ended, rows.size() > 1)));
    if (!has_views_) add_calls(address, running, first);
    for (std::size_t i = first; i < all_.size(); ++i)
        all_[i].order = static_cast<std::uint16_t>(i - first);
}

const Scope* FunctionPositions::reading(const LineEntry& row, FileAddress address,
                                        const Scopes& running, const Scopes& ended,
                                        bool has_others) {
    if (claims_.empty() && points_.empty() && !has_views_) return nullptr;
    // What begins only behind this row does not hold it, nor does what lies in that.
    auto begins_later = [&](const Scope* scope) {
        for (; scope; scope = scope->around) {
            const InlinedCall& call = *scope->inlined;
            if (call.entry == address && call.entry_view && row.view < *call.entry_view)
                return true;
        }
        return false;
    };
    Scopes candidates;
    for (const Scope* scope : running)
        if (!begins_later(scope)) candidates.push_back(scope);
    const Scope* usual = deepest_of(candidates);
    bool begins_at_row = false;
    auto [point, points_end] = points_.equal_range(address);
    for (; point != points_end; ++point) {
        const Scope* scope = point->second;
        if (begins_later(scope)) continue;
        candidates.push_back(scope);
        if (scope->inlined->entry_view != row.view || depth_of(scope) <= depth_of(usual)) continue;
        usual = scope;
        begins_at_row = true;
    }
    begins_at_row |=
        usual && usual->inlined->entry == address && usual->inlined->entry_view == row.view;
    bool is_plain = begins_at_row || row.line == 0 || row.file >= lines_.files().size() ||
                    (!has_views_ && !has_others);
    if (is_plain) return usual;
    candidates.insert(candidates.end(), ended.begin(), ended.end());
    const Scope* found = owner(row, candidates, usual);
    auto known = declared_.find(found);
    const Declared& whose = found ? (known == declared_.end() ? own_ : known->second) : own_;
    bool has_file = whose.line && whose.file != ~0u;
    return has_file && !fits(whose, row) ? unrecorded(row, found) : found;
}

// The row's line is not in the source of any function that is said to run there. gcc loses the
// record of an inlined call where it copies or threads its code: the function whose source it is
// runs there all the same.
const Scope* FunctionPositions::unrecorded(const LineEntry& row, const Scope* around) {
    const std::string& file = lines_.files()[row.file].path;
    const dwarf::Unit* unit = symbols_.unit_at(low_);
    const Function* whose =
        unit ? symbols_.inlined_function_around(*unit, file, row.line) : nullptr;
    if (!whose || whose->entry_offset == function_.entry_offset) return around;
    // A constructor sets members where the class declares them.
    std::string_view outer =
        around ? std::string_view(around->inlined->name) : std::string_view(function_.name);
    std::string_view last = last_component(outer),
                     scope = outer.substr(0, outer.size() - last.size());
    bool is_constructor =
        scope.size() > 2 &&
        without_template_arguments(last_component(scope.substr(0, scope.size() - 2))) == last;
    if (is_constructor) return around;
    auto& slot = unrecorded_[{around, whose}];
    if (!slot) {
        slot = std::make_unique<Scope>();
        slot->around = around;
        slot->inlined.emplace();
        slot->inlined->name = whose->name;
        slot->inlined->origin = whose->entry_offset;
        slot->inlined->is_recorded = false;
    }
    return slot.get();
}

CodePosition FunctionPositions::position_of(const LineEntry& row, const Scope* inlined) const {
    CodePosition position;
    position.address = row.range.low;
    position.end = row.range.high;
    position.row = row.view;
    position.inlined = inlined;
    position.ends_prologue = row.prologue_end;
    if (row.line == 0 || row.file >= lines_.files().size()) return position;
    position.file = &lines_.files()[row.file].path;
    position.line = row.line;
    position.column = row.column;
    // Where it goes on, and how it is left, gcc puts on the line that its source begins at.
    bool is_way_in_or_out = resumed_at_.line == row.line && resumed_at_.file == *position.file;
    position.is_statement = row.is_statement && !is_way_in_or_out;
    return position;
}

// Compilers that do not number rows leave only the innermost one: the statements around it, whose
// calls begin here, have none.
void FunctionPositions::add_calls(FileAddress address, Scopes running, std::size_t first) {
    std::sort(running.begin(), running.end(),
              [](const Scope* a, const Scope* b) { return depth_of(a) < depth_of(b); });
    for (const Scope* scope : running) {
        const InlinedCall& call = *scope->inlined;
        if (entry_of(*scope) != address || call.call_line == 0 || call.call_file.empty()) continue;
        std::size_t before = first;
        while (before < all_.size() && !is_within(all_[before].inlined, scope)) ++before;
        bool has_row = std::any_of(
            all_.begin() + static_cast<std::ptrdiff_t>(first),
            all_.begin() + static_cast<std::ptrdiff_t>(before), [&](const CodePosition& p) {
                return p.inlined == scope->around && p.is_on(call.call_file, call.call_line);
            });
        if (has_row) continue;
        CodePosition position;
        position.address = position.end = address;
        position.inlined = scope->around;
        position.file = &call.call_file;
        position.line = call.call_line;
        position.column = static_cast<std::uint16_t>(call.call_column);
        position.is_statement = position.is_call = true;
        all_.insert(all_.begin() + static_cast<std::ptrdiff_t>(before), position);
    }
}

std::span<const CodePosition> FunctionPositions::at(FileAddress address) const {
    auto first = std::lower_bound(
        all_.begin(), all_.end(), address,
        [](const CodePosition& position, FileAddress a) { return position.address < a; });
    auto end = first;
    while (end != all_.end() && end->address == address) ++end;
    return {first, end};
}

std::optional<CodePosition> FunctionPositions::in_force(FileAddress address) const {
    auto after = std::upper_bound(
        all_.begin(), all_.end(), address,
        [](FileAddress a, const CodePosition& position) { return a < position.address; });
    if (after == all_.begin()) return std::nullopt;
    --after;
    while (after->is_call && after != all_.begin()) --after;
    CodePosition position = *after;
    if (position.address == address) return position;
    if (position.end <= address) return std::nullopt;
    // In the middle of a row other inlined calls may be running than at its begin.
    if (position.inlined && !position.inlined->inlined->is_recorded) return position;
    Scopes running;
    for (const Claim& claim : claims_)
        if (claim.range.contains(address)) running.push_back(claim.scope);
    position.inlined = deepest_of(running);
    const LineEntry* row = has_views_ ? lines_.at(address) : nullptr;
    if (row && row->line) position.inlined = owner(*row, running, position.inlined);
    return position;
}

// What a compiler puts in on its own behalf has no line: behind a call, `mov ebp, eax` before the
// statement goes on.
std::optional<CodePosition> FunctionPositions::in_statement(FileAddress address) const {
    auto position = in_force(address);
    if (!position || position->line) return position;
    auto behind = std::ranges::lower_bound(all_, position->end, {}, &CodePosition::address);
    auto own = std::ranges::lower_bound(all_, position->address, {}, &CodePosition::address);
    bool is_alone = behind - own == 1 && own != all_.begin() && behind != all_.end();
    if (!is_alone) return position;
    const CodePosition& before = own[-1];
    bool goes_on = before.line && before.line == behind->line && before.file == behind->file &&
                   before.inlined == behind->inlined && !behind->is_statement;
    bool is_between = before.end == position->address && behind->address == position->end;
    if (!goes_on || !is_between) return position;
    CodePosition of_statement = before;
    of_statement.address = position->address;
    of_statement.end = position->end;
    of_statement.row = position->row;
    of_statement.order = position->order;
    of_statement.is_statement = false;
    return of_statement;
}

CodePosition FunctionPositions::within(FileAddress address, const Scope* inlined) const {
    for (const CodePosition& position : at(address))
        if (position.inlined == inlined && position.line) return position;
    CodePosition position = in_statement(address).value_or(CodePosition{});
    if (position.inlined == inlined) return position;
    // The call, of those around the row, that was made from there.
    const Scope* call = position.inlined;
    while (call && call->around != inlined) call = call->around;
    position.address = position.end = address;
    position.order = 0;
    position.inlined = inlined;
    position.is_statement = false;
    if (!call) return position;
    position.file = call->inlined->call_line ? &call->inlined->call_file : nullptr;
    position.line = call->inlined->call_line;
    position.column = static_cast<std::uint16_t>(call->inlined->call_column);
    position.is_call = true;
    return position;
}

std::optional<LineSpan> FunctionPositions::lines_of(std::span<const FileRange> ranges,
                                                    const Scope* inlined) const {
    std::optional<LineSpan> span;
    const std::string* own_file = nullptr;
    auto add = [&](const CodePosition& position) {
        if (position.inlined != inlined || !position.line || !position.file) return;
        if (!own_file) own_file = position.file;
        if (*position.file != *own_file) return;
        if (!span) span = LineSpan{position.line, position.line};
        span->first = std::min(span->first, position.line);
        span->last = std::max(span->last, position.line);
    };
    for (const FileRange& range : ranges) {
        if (range.size() == 0) continue;
        auto begin = in_force(range.low);
        if (begin && is_within(begin->inlined, inlined)) add(within(range.low, inlined));
        auto at = std::lower_bound(
            all_.begin(), all_.end(), range.low,
            [](const CodePosition& position, FileAddress a) { return position.address < a; });
        for (; at != all_.end() && at->address < range.high; ++at)
            if (is_within(at->inlined, inlined))
                add(at->inlined == inlined ? *at : within(at->address, inlined));
    }
    return span;
}

}  // namespace lantern
