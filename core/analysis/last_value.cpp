#include "core/analysis/last_value.h"

#include <algorithm>

#include "core/analysis/lagging_value.h"
#include "core/dwarf/operations.h"
#include "core/machine/register_effects.h"
#include "core/machine/registers.h"
#include "core/support/error.h"
#include "core/values/place_text.h"
#include "core/values/variable_value.h"

namespace lantern {
namespace {

constexpr std::size_t kMostLinesOfLast = 2;  // a value that is of one of more is of no use
constexpr std::size_t kMostEnds = 8;

bool is_same(ByteSpan one, ByteSpan other) {
    return std::equal(one.begin(), one.end(), other.begin(), other.end());
}

// The call frame address is the same wherever the function stands; another frame base may not be.
bool has_steady_frame_base(const FunctionBody& body) {
    return body.frame_base.size() == 1 && !body.frame_base[0].range &&
           body.frame_base[0].expression.size() == 1 &&
           static_cast<std::uint8_t>(body.frame_base[0].expression[0]) ==
               dwarf::DW_OP_call_frame_cfa;
}

// A general register but the stack pointer, or a slot of the frame, and nothing computed from them
// (DWARF 5 §2.6.1.1.3, §2.5.1.2).
bool is_plain_place(ByteSpan expression, const FunctionBody& body) {
    auto first = expression.empty() ? 0 : static_cast<std::uint8_t>(expression[0]);
    bool is_register = first >= dwarf::DW_OP_reg0 && first < dwarf::DW_OP_reg0 + 16 &&
                       first != dwarf::DW_OP_reg0 + kStackPointerNumber;
    if (is_register) return expression.size() == 1;
    if (first != dwarf::DW_OP_fbreg || !has_steady_frame_base(body)) return false;
    ByteReader reader(expression, "location expression", 1);
    reader.sleb();
    return reader.at_end();
}

}  // namespace

LastValues::LastValues(const Moment& moment, const Frame& frame, const SourceChanges* changes,
                       std::size_t here)
    : moment_(moment), frame_(frame), changes_(changes), here_(here) {}

// False: there is no code to ask, or not all of its ways are known.
bool LastValues::read_code() {
    if (is_read_) return flow_ != nullptr;
    is_read_ = true;
    if (!frame_.module || !frame_.function || !frame_.body) return false;
    code_ = &kept_code(frame_.module->symbols(), *frame_.function);
    node_here_ = code_->flow().around(frame_.file_address());
    if (!code_->flow().is_complete() || node_here_ == FlowGraph::kNone) return false;
    flow_ = &code_->flow();
    blocks_ = &code_->blocks();
    before_ = &code_->ways_back();
    if (!frame_.scopes.empty()) read_names(*frame_.scopes.back());
    return true;
}

void LastValues::read_names(const Scope& scope) {
    for (const Variable& variable : scope.variables) names_.insert(variable.name);
    for (const auto& inner : scope.inner)
        if (!inner->inlined) read_names(*inner);
}

bool LastValues::Writers::operator[](std::uint32_t node) const {
    static const RegisterSet kLostByACall = lost_by_a_call();
    if (!effects) return stores[node];
    const auto& own = (*effects)[node];
    if (!own || !(own->writes & wanted).is_empty()) return true;
    return flow->nodes()[node].kind == Instruction::Kind::call &&
           !(kLostByACall & wanted).is_empty();
}

// The value stands in it: which nodes may change it.
LastValues::Writers LastValues::nodes_that_write(const Value& place) const {
    Writers writers;
    writers.flow = flow_;
    if (place.in_register) {
        writers.effects = &code_->effects();
        writers.wanted = RegisterSet::of(place.in_register->number);
        return writers;
    }
    std::vector<bool>& writes = writers.stores;
    writes.resize(flow_->nodes().size());
    if (!slots_) slots_ = code_->slots();
    auto slot = static_cast<std::int64_t>(place.address->value - frame_.call_frame_address->value);
    auto size = static_cast<unsigned>(plain(*place.type).size);
    FrameSlots::Stores stores =
        slots_->reaching(node_here_, slot, size, FrameSlots::any_object_with(slot, size));
    // A call that is under way may write what it was given the address of.
    bool may_be_written_now = frame_.level > 0 && !stores.address_taken.empty();
    if (stores.may_be_others || may_be_written_now) writes.assign(writes.size(), true);
    for (std::uint32_t node : stores.nodes) writes[node] = true;
    return writers;
}

std::optional<LastValues::WayBack> LastValues::way_back(const Variable& variable,
                                                        ByteSpan expression,
                                                        const Writers& writes) const {
    const auto& landings = flow_->landings();
    WayBack way;
    std::vector<bool> seen(before_->size());
    std::vector<std::uint32_t> next{node_here_};
    while (!next.empty()) {
        std::uint32_t at = next.back();
        next.pop_back();
        bool is_entered = at == flow_->entry() || (*before_)[at].empty() ||
                          std::find(landings.begin(), landings.end(), at) != landings.end();
        if (is_entered) return std::nullopt;
        for (std::uint32_t before : (*before_)[at]) {
            way.goes_round |=
                blocks_->dominates(blocks_->of_node(at), blocks_->of_node(before)) && at <= before;
            if (seen[before]) continue;
            seen[before] = true;
            if (writes[before]) return std::nullopt;
            auto account = dwarf::expression_at(variable.locations, flow_->nodes()[before].address,
                                                dwarf::kLastRow);
            bool has_account = account && !account->empty();
            if (has_account && !is_same(*account, expression)) return std::nullopt;
            (has_account ? way.ends : way.between).push_back(before);
            if (!has_account) next.push_back(before);
        }
    }
    return way.ends.empty() ? std::nullopt : std::optional(std::move(way));
}

// The statement that the instruction is of; nothing where the source cannot be asked.
std::optional<std::size_t> LastValues::statement_of(std::uint32_t node) const {
    std::uint32_t line = changes_ ? position_of(node).line : 0;
    auto statement = line ? changes_->statement_at(line) : std::nullopt;
    return statement && *statement < changes_->statements().size() ? statement : std::nullopt;
}

CodePosition LastValues::position_of(std::uint32_t node) const {
    const Scope* outermost = frame_.scopes.empty() ? nullptr : frame_.scopes.back();
    const Scope* own = outermost && outermost->inlined ? outermost : nullptr;
    return frame_.module->symbols()
        .positions_of(*frame_.function)
        .within(flow_->nodes()[node].address, own);
}

// What the place holds at those ends was put there by a statement that sets no variable at all:
// then the account of it is wrong.
bool LastValues::is_made_by_others(const WayBack& way, const Writers& writes) const {
    if (!changes_) return false;
    std::vector<bool> seen(before_->size());
    std::vector<std::uint32_t> next = way.ends;
    while (!next.empty()) {
        std::uint32_t at = next.back();
        next.pop_back();
        for (std::uint32_t before : (*before_)[at]) {
            if (seen[before]) continue;
            seen[before] = true;
            if (!writes[before])
                next.push_back(before);
            else if (!sets_a_variable(before))
                return true;
        }
    }
    return false;
}

bool LastValues::sets_a_variable(std::uint32_t node) const {
    auto statement = statement_of(node);
    return statement && std::any_of(names_.begin(), names_.end(), [&](const std::string& name) {
               return changes_->may_set(name, *statement);
           });
}

// What the place held there was of before an assignment already, as LaggingValues would tell there.
bool LastValues::account_lags_at(std::uint32_t node, const Variable& variable) const {
    CodePosition position = position_of(node);
    auto statement =
        changes_ && position.line ? changes_->statement_at(position.line) : std::nullopt;
    if (!statement) return false;
    Frame then = frame_;
    then.lookup_address = frame_.module->to_run(flow_->nodes()[node].address);
    then.position.reset();
    then.line->line = position.line;
    return LaggingValues(moment_, then, *changes_, *statement)
        .passed_over(variable, variable.name, 0, plain(*variable.type).size)
        .has_value();
}

// Neither by the order of the source, nor by an instruction of a statement that sets it on the way.
bool LastValues::is_unchanged_since(const Variable& variable, const WayBack& way) const {
    if (!changes_ || way.goes_round) return false;
    auto setter = changes_->setter(variable.name, here_);
    using Kind = SourceChanges::Setter::Kind;
    bool is_set =
        setter.kind == Kind::statement || (setter.kind == Kind::nobody && variable.is_parameter);
    if (!is_set) return false;
    for (std::uint32_t node : way.ends) {
        auto statement = statement_of(node);
        bool is_certain = statement && *statement <= here_ &&
                          changes_->setter(variable.name, *statement) == setter;
        if (!is_certain) return false;
    }
    return std::none_of(way.between.begin(), way.between.end(), [&](std::uint32_t node) {
        auto statement = statement_of(node);
        return statement && changes_->may_set(variable.name, *statement);
    });
}

std::optional<LastValue> LastValues::still_in(const Variable& variable, ByteSpan expression) {
    Variable kept = variable;
    kept.locations = {dwarf::LocationRange{std::nullopt, expression}};
    LastValue last;
    last.value = value_of_variable(moment_.target(), moment_.thread(), frame_, kept);
    if (!last.value.is_available()) return std::nullopt;
    bool is_slot = last.value.address && frame_.call_frame_address &&
                   *last.value.address < *frame_.call_frame_address &&
                   last.value.address->value >= frame_.registers.stack_pointer().value;
    if (!last.value.in_register && !is_slot) return std::nullopt;
    Writers writes = nodes_that_write(last.value);
    auto way = way_back(variable, expression, writes);
    if (!way || is_made_by_others(*way, writes)) return std::nullopt;
    for (std::uint32_t node : way->ends)
        if (std::uint32_t line = position_of(node).line) last.lines.push_back(line);
    std::sort(last.lines.begin(), last.lines.end());
    last.lines.erase(std::unique(last.lines.begin(), last.lines.end()), last.lines.end());
    if (last.lines.empty() || last.lines.size() > kMostLinesOfLast) return std::nullopt;
    // Of a line that sets it, it would be both.
    auto is_unsure = [&](std::uint32_t node) {
        auto statement = statement_of(node);
        return (statement && changes_->may_set(variable.name, *statement)) ||
               account_lags_at(node, variable);
    };
    if (way->ends.size() > kMostEnds || std::any_of(way->ends.begin(), way->ends.end(), is_unsure))
        return std::nullopt;
    last.is_current = is_unchanged_since(variable, *way);
    last.place = place_text(expression, variable.unit);
    return last;
}

std::optional<LastValue> LastValues::of(const Variable& variable) {
    bool has_begun = !frame_.line || frame_.line->line > variable.declared_line;
    if (!variable.type || !is_scalar(*variable.type) || !has_begun) return std::nullopt;
    try {
        if (!read_code()) return std::nullopt;
        std::vector<ByteSpan> tried;
        for (const dwarf::LocationRange& location : variable.locations) {
            auto is_it = [&](ByteSpan other) { return is_same(other, location.expression); };
            if (!is_plain_place(location.expression, *frame_.body) ||
                std::any_of(tried.begin(), tried.end(), is_it))
                continue;
            tried.push_back(location.expression);
            if (auto last = still_in(variable, location.expression)) return last;
        }
    } catch (const FormatError&) {  // damaged code or locations
    }
    return std::nullopt;
}

}  // namespace lantern
