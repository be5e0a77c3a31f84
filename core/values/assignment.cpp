#include "core/values/assignment.h"

#include "core/machine/effects.h"
#include "core/machine/registers.h"
#include "core/support/error.h"
#include "core/unwind/frame_context.h"
#include "core/unwind/unwinder.h"

namespace lantern {
namespace {

constexpr std::uint64_t kLargestFunction = 256 * 1024;  // bytes; beyond it the answer is "unknown"

// Address known: not assigned, but somebody may do it. Perhaps: somebody may have done it.
enum : unsigned char { kUnassigned = 1, kAssigned = 2, kAddressKnown = 4, kPerhaps = 8 };

}  // namespace

AssignmentAnalysis::AssignmentAnalysis(Target& target, const Frame& frame) : frame_(frame) {
    if (!frame.function || !frame.module || !frame.call_frame_address || frame.inlined) return;
    try {
        auto base = FrameContext(target, frame).frame_base();
        if (!base) return;
        frame_base_ = static_cast<std::int64_t>(*base - frame.call_frame_address->value);
        decode(target);
        connect();
    } catch (const Error&) {
        usable_ = false;
    }
}

void AssignmentAnalysis::decode(Target& target) {
    usable_ = true;
    descriptions_.reserve(frame_.function->ranges.size());  // steps point into its elements
    for (const FileRange& range : frame_.function->ranges) {
        if (range.size() > kLargestFunction) usable_ = false;
        if (!usable_) return;
        auto description = frame_.module->symbols().frame_description(range.low);
        if (!description) {
            usable_ = false;
            return;
        }
        descriptions_.push_back(std::move(*description));
        std::vector<std::byte> code(range.size());
        RunAddress start = frame_.module->to_run(range.low);
        target.read_memory(start, code);
        std::size_t row = 0;
        const auto& rows = descriptions_.back().rows;
        for (std::size_t offset = 0; offset < code.size();) {
            auto instruction = decode_instruction(ByteSpan(code).subspan(offset), start + offset);
            if (!instruction) {
                usable_ = false;
                return;
            }
            while (row < rows.size() && !rows[row].range.contains(range.low + offset)) ++row;
            Step step;
            if (auto effects = effects_of(ByteSpan(code).subspan(offset))) {
                aligns_stack_ |= effects->aligns_stack;
                step.copies_frame_register = effects->is_copy && std::any_of(effects->registers.begin(), effects->registers.end(), [](const RegisterUse& use) {
                    return use.reads && use.dwarf_number == kStackPointerNumber;
                });
            }
            step.instruction = std::move(*instruction);
            step.row = row < rows.size() ? &rows[row] : nullptr;
            at_[start + offset] = steps_.size();
            offset += step.instruction.length;
            steps_.push_back(std::move(step));
        }
    }
}

void AssignmentAnalysis::connect() {
    for (Step& step : steps_) {
        const Instruction& instruction = step.instruction;
        if (instruction.falls_through()) {
            if (auto next = at_.find(instruction.next()); next != at_.end()) step.next = next->second;
        }
        bool jumps = instruction.kind == Instruction::Kind::jump || instruction.kind == Instruction::Kind::conditional_jump;
        if (!jumps) continue;
        if (!instruction.target) usable_ = false;  // a jump through a table: where it goes is not in the code
        else if (auto target = at_.find(*instruction.target); target != at_.end()) step.branch = target->second;
    }
}

// The variable's place as an offset from the call frame address, when it has one for its whole life.
std::optional<std::int64_t> AssignmentAnalysis::slot_of(const Variable& variable) const {
    if (variable.locations.size() != 1 || variable.locations[0].range) return std::nullopt;
    ByteSpan expression = variable.locations[0].expression;
    if (expression.empty() || static_cast<std::uint8_t>(expression[0]) != dwarf::DW_OP_fbreg) return std::nullopt;
    try {
        ByteReader reader(expression.subspan(1), "location expression");
        std::int64_t offset = reader.sleb();
        if (!reader.at_end()) return std::nullopt;
        return *frame_base_ + offset;
    } catch (const FormatError&) {
        return std::nullopt;
    }
}

AssignmentAnalysis::Touch AssignmentAnalysis::touch(const Step& step, std::int64_t slot, std::uint64_t size, bool is_aggregate) const {
    if (!step.row || step.row->cfa_is_expression) return Touch::none;
    // The frame pointer is such a copy, and what it reaches is known.
    bool is_prologue = step.next != kNone && steps_[step.next].row && steps_[step.next].row->cfa_register != kStackPointerNumber;
    if (step.copies_frame_register && step.row->cfa_register == kStackPointerNumber && !is_prologue) return Touch::gives_address;
    for (const MemoryOperand& operand : step.instruction.memory) {
        if (!operand.writes && !operand.address_only) continue;
        if (aligns_stack_ && operand.base == kStackPointerNumber && step.row->cfa_register != kStackPointerNumber) return Touch::stores;  // how far it is from the frame is not known
        if (operand.base != step.row->cfa_register) continue;
        if (operand.index) {
            if (is_aggregate) return Touch::stores;  // which element is only known at run time
            continue;
        }
        std::int64_t low = operand.displacement - step.row->cfa_offset;
        std::int64_t high = low + (operand.address_only ? 1 : static_cast<std::int64_t>(operand.size));
        if (low < slot + static_cast<std::int64_t>(size) && slot < high) return operand.address_only ? Touch::gives_address : Touch::stores;
    }
    return Touch::none;
}

// Once somebody has its address, a call may write the slot, and so may a store through a pointer.
bool AssignmentAnalysis::may_store_elsewhere(const Step& step) const {
    if (step.instruction.kind == Instruction::Kind::call || step.instruction.kind == Instruction::Kind::system_call) return true;
    return std::any_of(step.instruction.memory.begin(), step.instruction.memory.end(), [&](const MemoryOperand& operand) {
        bool is_frame = operand.base == kStackPointerNumber || operand.base == kFramePointerNumber || operand.base == kProgramCounterNumber;
        return operand.writes && !operand.address_only && (!is_frame || operand.index);
    });
}

bool AssignmentAnalysis::scopes_hold_stores() const {
    return !frame_.function->unit->is_rust() && !looks_optimised(frame_.module->symbols().body_of(*frame_.function));
}

Assignment AssignmentAnalysis::of(const Variable& variable, const Scope& declared_in) const {
    if (!usable_) return Assignment::unknown;
    auto slot = slot_of(variable);
    auto here = at_.find(frame_.module->to_run(frame_.file_address()));
    if (!slot) return Assignment::unknown;
    if (variable.is_parameter && *slot >= 0) return Assignment::assigned;  // above the return address: the caller put it there
    std::size_t goal = kNone;
    if (here != at_.end()) {
        goal = here->second;
    } else {
        // A caller stands inside its call instruction.
        auto after = at_.upper_bound(frame_.lookup_address);
        if (after == at_.begin()) return Assignment::unknown;
        goal = std::prev(after)->second;
        if (steps_[goal].instruction.next() <= frame_.lookup_address) return Assignment::unknown;
    }
    if (plain(*variable.type).size == 0) return Assignment::assigned;
    std::uint64_t size = plain(*variable.type).size;
    bool is_aggregate_slot = is_aggregate(*variable.type);
    bool by_scopes = scopes_hold_stores();
    auto in_scope = [&](std::size_t i) {
        return !by_scopes || any_contains(declared_in.ranges, frame_.module->to_file(steps_[i].instruction.address));
    };
    RunAddress scope_start = frame_.module->to_run(declared_in.ranges.empty() ? frame_.function->low() : declared_in.ranges.front().low);
    bool whole_function = !by_scopes || declared_in.ranges == frame_.function->ranges;

    // Flow forward: each instruction collects in which states it can be reached.
    std::vector<unsigned char> states(steps_.size(), 0);
    std::vector<std::size_t> work;
    auto arrive = [&](std::size_t to, unsigned char state) {
        if (to == kNone || (states[to] | state) == states[to]) return;
        states[to] |= state;
        work.push_back(to);
    };
    auto entry = at_.find(frame_.module->to_run(frame_.function->low()));
    if (entry == at_.end()) return Assignment::unknown;
    arrive(entry->second, kUnassigned);
    while (!work.empty()) {
        std::size_t at = work.back();
        work.pop_back();
        const Step& step = steps_[at];
        bool inside = in_scope(at);
        Touch touched = inside ? touch(step, *slot, size, is_aggregate_slot) : Touch::none;
        unsigned char after = states[at];
        if (after & kAddressKnown && may_store_elsewhere(step)) after = static_cast<unsigned char>((after & ~kAddressKnown) | kPerhaps);
        if (touched == Touch::gives_address && after & kUnassigned) after = static_cast<unsigned char>((after & ~kUnassigned) | kAddressKnown);
        if (touched == Touch::stores) after = kAssigned;
        for (std::size_t to : {step.next, step.branch}) {
            if (to == kNone) continue;
            // Outside of its scope, and each time the scope is entered anew, the variable has no value.
            bool fresh = !whole_function && (!in_scope(to) || !inside || steps_[to].instruction.address == scope_start);
            arrive(to, fresh ? static_cast<unsigned char>(kUnassigned) : after);
        }
    }
    unsigned char found = states[goal];
    if (found & kAddressKnown) found = static_cast<unsigned char>((found & ~kAddressKnown) | kUnassigned);
    if (found & kPerhaps) return Assignment::unknown;
    switch (found) {
        case kUnassigned: return Assignment::not_yet;
        case kAssigned: return Assignment::assigned;
        // An array or structure is filled piece by piece, most often in a loop that the code alone cannot know to turn.
        case kUnassigned | kAssigned: return is_aggregate_slot || !by_scopes ? Assignment::unknown : Assignment::on_some_paths;
        default: return Assignment::unknown;
    }
}

}  // namespace lantern
