#include "core/values/assignment.h"

#include <algorithm>

#include "core/code/dispatch.h"
#include "core/code/kept_code.h"
#include "core/code/node_effects.h"
#include "core/code/resumption.h"
#include "core/code/since_entry.h"
#include "core/machine/registers.h"
#include "core/support/error.h"
#include "core/symbols/async.h"
#include "core/unwind/frame_context.h"
#include "core/unwind/unwinder.h"

namespace lantern {
namespace {

constexpr std::uint64_t kLargestFunction = 256 * 1024;  // bytes; beyond it the answer is "unknown"

// Address known: not assigned, but somebody may do it. Perhaps: somebody may have done it.
enum : std::uint16_t { kUnassigned = 1, kAssigned = 2, kAddressKnown = 4, kPerhaps = 8 };

constexpr unsigned kRaxNumber = 0;

// rbx, rbp and r12 to r15 (System V ABI x86-64 §3.2.1), each with a bit of a state.
constexpr unsigned kKeptRegisters[] = {3, kFramePointerNumber, 12, 13, 14, 15};
constexpr std::uint16_t kFirstRegisterBit = 16, kRegisterBits = 0x3f * kFirstRegisterBit;

std::uint16_t kept_register_bit(std::optional<unsigned> dwarf_number) {
    const auto* found = std::ranges::find(kKeptRegisters, dwarf_number.value_or(0));
    return dwarf_number && found != std::end(kKeptRegisters)
               ? static_cast<std::uint16_t>(kFirstRegisterBit << (found - kKeptRegisters))
               : std::uint16_t{0};
}

// The register that calls hand back which the variable is in here.
std::optional<unsigned> kept_register_of(const Variable& variable, const Frame& frame) {
    if (!frame.module || !frame.function || variable.locations.empty()) return std::nullopt;
    auto place = dwarf::expression_at(variable.locations, frame.file_address(), frame.row());
    if (!place || place->size() != 1) return std::nullopt;
    unsigned number = static_cast<std::uint8_t>((*place)[0]) - dwarf::DW_OP_reg0;
    return kept_register_bit(number) ? std::optional(number) : std::nullopt;
}

}  // namespace

PartOfVariable whole_of(const Variable& variable) {
    return {&variable, &plain(*variable.type), 0};
}

AssignmentAnalysis::AssignmentAnalysis(Target& target, const Frame& frame) : frame_(frame) {
    if (!frame.function || !frame.module || !frame.call_frame_address) return;
    for (const FileRange& range : frame.function->ranges)
        if (range.size() > kLargestFunction) return;
    try {
        auto base = FrameContext(target, frame).frame_base();
        if (!base) return;
        frame_base_ = static_cast<std::int64_t>(*base - frame.call_frame_address->value);
        code_ = &kept_code(frame.module->symbols(), *frame.function);
        flow_ = &code_->flow();
        find_entry(target);
        if (!flow_->is_complete() || entry_ == FlowGraph::kNone) {
            flow_ = nullptr;
        } else {
            read_steps();
            dispatch_ = dispatch_of(frame.module->symbols(), *flow_);
        }
    } catch (const Error&) {
        flow_ = nullptr;
    }
}

// No entry where a jump is computed and its table was not found. Of an async body, the first jump
// leads to where it goes on.
void AssignmentAnalysis::find_entry(Target& target) {
    bool has_unknown_ways = std::ranges::any_of(flow_->nodes(), [&](const FlowGraph::Node& node) {
        return node.jumps_by_value() && !flow_->targets_of(node);
    });
    if (has_unknown_ways) return;
    auto parameter = frame_.function->unit->is_rust() && frame_.body ? async_parameter(*frame_.body)
                                                                     : std::nullopt;
    auto slot = parameter ? slot_of(*parameter->variable) : std::nullopt;
    if (!slot) {
        entry_ = flow_->entry();
        return;
    }
    RunAddress pointer = *frame_.call_frame_address + static_cast<std::uint64_t>(*slot);
    RunAddress task(FrameContext(target, frame_).read_memory(pointer.value, 8));
    went_on_from_ = async_state(ValueReader(target), value_in_memory(*parameter->task, task));
    if (went_on_from_) entry_ = resumed_at(*flow_, went_on_from_->number);
}

void AssignmentAnalysis::take_kept_registers(const Effects& effects, Step& step) {
    for (const RegisterUse& use : effects.registers) {
        std::uint16_t bit = kept_register_bit(use.dwarf_number);
        if (use.reads) step.passes_on |= bit;
        if (use.writes) step.overwrites |= bit;
        if (use.writes && (effects.address || step.copies_frame_register))
            step.puts_address_in |= bit;
    }
    if (effects.address)
        step.passes_on |= static_cast<std::uint16_t>(kept_register_bit(effects.address->base) |
                                                     kept_register_bit(effects.address->index));
    for (const MemoryAccess& access : effects.memory)
        if (access.writes) step.stores_through |= kept_register_bit(access.base);
}

// What each instruction does, and by what rule the frame is found at it.
void AssignmentAnalysis::read_steps() {
    const ModuleSymbols& symbols = frame_.module->symbols();
    descriptions_.reserve(frame_.function->ranges.size());  // steps point into its elements
    for (const FileRange& range : frame_.function->ranges) {
        auto description = symbols.frame_description(range.low);
        if (!description) {
            flow_ = nullptr;
            return;
        }
        descriptions_.push_back(std::move(*description));
    }
    std::vector<const dwarf::FrameRow*> rows;
    for (const dwarf::FrameDescription& description : descriptions_)
        for (const dwarf::FrameRow& row : description.rows) rows.push_back(&row);
    std::sort(rows.begin(), rows.end(),
              [](const auto* a, const auto* b) { return a->range.low < b->range.low; });
    auto row = rows.begin();
    for (const FlowGraph::Node& node : flow_->nodes()) {
        Step step;
        while (row != rows.end() && (*row)->range.high <= node.address) ++row;
        if (row != rows.end() && (*row)->range.contains(node.address)) step.row = *row;
        if (auto effects = effects_of(node, symbols)) {
            aligns_stack_ |= effects->aligns_stack;
            step.copies_frame_register =
                effects->is_copy &&
                std::any_of(effects->registers.begin(), effects->registers.end(),
                            [](const RegisterUse& use) {
                                return use.reads && use.dwarf_number == kStackPointerNumber;
                            });
            step.address = effects->address;
            take_kept_registers(*effects, step);
            std::copy_if(
                effects->memory.begin(), effects->memory.end(), std::back_inserter(step.writes),
                [](const MemoryAccess& access) { return access.writes && !access.is_implied; });
        }
        steps_.push_back(std::move(step));
    }
}

// The place as an offset from the call frame address. `row`: by what that is found at the
// instruction; null where the place is not to be counted from a register.
std::optional<std::int64_t> AssignmentAnalysis::slot_at(ByteSpan place,
                                                        const dwarf::FrameRow* row) const {
    if (place.empty()) return std::nullopt;
    unsigned operation = static_cast<std::uint8_t>(place[0]);
    bool is_by_register =
        row && !row->cfa_is_expression && operation == dwarf::DW_OP_breg0 + row->cfa_register;
    if (operation != dwarf::DW_OP_fbreg && !is_by_register) return std::nullopt;
    try {
        ByteReader reader(place.subspan(1), "location expression");
        std::int64_t offset = reader.sleb();
        if (!reader.at_end()) return std::nullopt;
        return is_by_register ? offset - row->cfa_offset : *frame_base_ + offset;
    } catch (const FormatError&) {
        return std::nullopt;
    }
}

// When it has one place for its whole life.
std::optional<std::int64_t> AssignmentAnalysis::slot_of(const Variable& variable) const {
    if (variable.locations.size() != 1 || variable.locations[0].range) return std::nullopt;
    return slot_at(variable.locations[0].expression, nullptr);
}

// Where it is here, elsewhere it is in registers: `sds err; if (!check(&err))`, and what the call
// has set is worked with. Nobody has set it where no way here stores into the slot; all that lies
// from far below it up to it may be one object with it.
Assignment AssignmentAnalysis::of_place_here(const PartOfVariable& part, const Scope& declared_in,
                                             std::uint32_t goal) const {
    constexpr std::int64_t kLargestObject = 64 * 1024;  // bytes
    const Variable& variable = *part.variable;
    auto place = dwarf::expression_at(variable.locations, frame_.file_address(), frame_.row());
    auto here = place ? slot_at(*place, steps_[goal].row) : std::nullopt;
    if (!here || variable.is_parameter || frame_.function->unit->is_rust())
        return Assignment::unknown;
    std::uint64_t size = plain(*variable.type).size;
    Slot slot{*here + static_cast<std::int64_t>(part.offset), part.type->size,
              *here - kLargestObject, kLargestObject + size, true};
    if (!is_optimised() || may_be_pushed(*here, size)) return Assignment::unknown;
    std::uint16_t found = found_at(flow_forward(slot, declared_in, {}), goal);
    return found == kUnassigned ? Assignment::not_stored : Assignment::unknown;
}

// Some push may write there: a compiler that saves room makes slots so. (One of rax, which nobody
// passes anything in, only makes room.)
bool AssignmentAnalysis::may_be_pushed(std::int64_t slot, std::uint64_t size) const {
    constexpr std::int64_t kWord = 8;
    std::int64_t end = slot + static_cast<std::int64_t>(size);
    const auto slots = code_->slots();
    for (std::uint32_t node = 0; node < steps_.size(); ++node) {
        const Effects* effects = slots->effects_of(node);
        bool is_call = flow_->nodes()[node].kind == Instruction::Kind::call;
        if (is_call || !effects || !steps_[node].row) continue;
        bool makes_room = std::ranges::any_of(effects->registers, [](const RegisterUse& use) {
            return use.reads && !use.is_implied && use.dwarf_number == kRaxNumber;
        });
        bool pushes = std::ranges::any_of(effects->memory, [](const MemoryAccess& access) {
            return access.is_implied && access.writes;
        });
        const dwarf::FrameRow& row = *steps_[node].row;
        bool is_elsewhere = !row.cfa_is_expression && row.cfa_register == kStackPointerNumber &&
                            (-row.cfa_offset <= slot || -row.cfa_offset - kWord >= end);
        if (pushes && !is_elsewhere && !makes_room) return true;
    }
    return false;
}

// Known to somebody who has not run since: nobody has set it.
std::uint16_t AssignmentAnalysis::found_at(const States& states, std::uint32_t goal) {
    auto found = static_cast<std::uint16_t>(states[goal] & ~kRegisterBits);
    if (!(found & kAddressKnown)) return found;
    return static_cast<std::uint16_t>((found & ~kAddressKnown) | kUnassigned);
}

AssignmentAnalysis::Touch AssignmentAnalysis::touch(std::uint32_t node, const Slot& slot) const {
    const Step& step = steps_[node];
    if (!step.row || step.row->cfa_is_expression) return Touch::none;
    // The frame pointer is such a copy, and what it reaches is known.
    std::uint32_t next = flow_->nodes()[node].next;
    bool is_prologue = next != FlowGraph::kNone && steps_[next].row &&
                       steps_[next].row->cfa_register != kStackPointerNumber;
    Touch given = step.puts_address_in ? Touch::keeps_address : Touch::gives_address;
    if (step.copies_frame_register && step.row->cfa_register == kStackPointerNumber && !is_prologue)
        return given;
    auto reaches = [&](const MemoryAccess& access, std::uint64_t length, std::int64_t from,
                       std::uint64_t size) {
        if (access.base != step.row->cfa_register) return false;
        if (access.index) return slot.is_aggregate;  // which element is only known at run time
        std::int64_t low = access.displacement - step.row->cfa_offset;
        return low < from + static_cast<std::int64_t>(size) &&
               from < low + static_cast<std::int64_t>(length);
    };
    // How far an aligned stack pointer is from the frame is not known.
    auto may_be_anywhere = [&](const MemoryAccess& access) {
        return aligns_stack_ && access.base == kStackPointerNumber &&
               step.row->cfa_register != kStackPointerNumber;
    };
    for (const MemoryAccess& access : step.writes)
        if (may_be_anywhere(access) || reaches(access, access.size, slot.part, slot.part_size))
            return Touch::stores;
    if (!step.address) return Touch::none;
    if (may_be_anywhere(*step.address)) return Touch::stores;
    if (!reaches(*step.address, 1, slot.whole, slot.whole_size)) return Touch::none;
    return step.address->index ? Touch::stores : given;
}

// An address that is computed before a loop is given away where it is passed on:
//
//         lea  r13, [rsp+24]        struct entry entry;
//     L:  mov  rsi, r13             while (next(list, &entry))
//         call next
std::uint16_t AssignmentAnalysis::behind(std::uint32_t node, Touch touched,
                                         std::uint16_t state) const {
    const Step& step = steps_[node];
    bool is_passed_on =
        touched == Touch::gives_address || state & (step.passes_on | step.stores_through);
    if (is_passed_on && state & kUnassigned)
        state = static_cast<std::uint16_t>((state & ~kUnassigned) | kAddressKnown);
    if (state & step.stores_through && state & kAddressKnown)
        state = static_cast<std::uint16_t>((state & ~kAddressKnown) | kPerhaps);
    if (touched == Touch::stores)
        state = static_cast<std::uint16_t>((state & kRegisterBits) | kAssigned);
    state = static_cast<std::uint16_t>(state & ~step.overwrites);
    if (touched == Touch::keeps_address)
        state = static_cast<std::uint16_t>(state | step.puts_address_in);
    return state;
}

// Once somebody has its address, a call may write the slot, and so may a store through a pointer.
bool AssignmentAnalysis::may_store_elsewhere(std::uint32_t node) const {
    Instruction::Kind kind = flow_->nodes()[node].kind;
    if (kind == Instruction::Kind::call || kind == Instruction::Kind::system_call) return true;
    const std::vector<MemoryAccess>& writes = steps_[node].writes;
    return std::any_of(writes.begin(), writes.end(), [](const MemoryAccess& access) {
        bool is_frame = access.base == kStackPointerNumber || access.base == kFramePointerNumber ||
                        access.base == kProgramCounterNumber;
        return !is_frame || access.index;
    });
}

bool AssignmentAnalysis::is_optimised() const {
    return looks_optimised(frame_.module->symbols().body_of(*frame_.function));
}

bool AssignmentAnalysis::scopes_hold_stores() const {
    return !frame_.function->unit->is_rust() && !is_optimised();
}

Assignment AssignmentAnalysis::of_kept_register(unsigned dwarf_number) const {
    try {
        KeptCode& code = kept_code(frame_.module->symbols(), *frame_.function);
        std::uint32_t here = code.flow().around(frame_.file_address());
        if (!may_hold_since_entry(code, here, dwarf_number)) return Assignment::unknown;
        return holds_since_entry(code, here, dwarf_number) ? Assignment::not_stored
                                                           : Assignment::on_some_paths;
    } catch (const Error&) {
        return Assignment::unknown;
    }
}

Assignment AssignmentAnalysis::of(const Variable& variable, const Scope& declared_in) const {
    return of_part(whole_of(variable), declared_in);
}

Assignment AssignmentAnalysis::of_part(const PartOfVariable& part, const Scope& declared_in) const {
    const Variable& variable = *part.variable;
    if (auto number = kept_register_of(variable, frame_))
        // The caller has given a parameter its value, on every way.
        return variable.is_parameter ? Assignment::unknown : of_kept_register(*number);
    if (!flow_) return Assignment::unknown;
    std::uint32_t goal = flow_->around(frame_.file_address());
    if (goal == FlowGraph::kNone) return Assignment::unknown;
    auto whole = slot_of(variable);
    if (!whole) return of_place_here(part, declared_in, goal);
    if (variable.is_parameter && *whole >= 0)
        return Assignment::assigned;  // above the return address: the caller put it there
    if (variable.is_parameter && frame_.inlined)
        return Assignment::unknown;  // it may be given before the inlined code begins
    if (part.type->size == 0) return Assignment::assigned;
    Slot slot{*whole + static_cast<std::int64_t>(part.offset), part.type->size, *whole,
              plain(*variable.type).size, is_aggregate(*variable.type)};
    States states = flow_forward(slot, declared_in, {});
    std::uint16_t found = found_at(states, goal);
    if (found == kUnassigned) return is_optimised() ? Assignment::not_stored : Assignment::not_yet;
    if (found == kAssigned) return Assignment::assigned;
    // In Rust what can be named is set; a way on which it is not is no way of the program.
    if (frame_.function->unit->is_rust())
        return found == (kUnassigned | kAssigned) && has_waited() ? Assignment::on_some_paths
                                                                  : Assignment::unknown;
    if (!(found & kUnassigned) || variable.is_parameter) return Assignment::unknown;
    bool is_scalar_by_scopes = !slot.is_aggregate && scopes_hold_stores() && !(found & kPerhaps);
    if (!is_scalar_by_scopes &&
        !(found_at(flow_forward(slot, declared_in, filled_by_loops(slot, states, goal)), goal) &
          kUnassigned))
        return Assignment::unknown;
    return Assignment::on_some_paths;
}

// Most often a loop that fills an array, or hands a structure to what fills it, turns at least
// once, which the code alone cannot know:
//
//         struct reading day;         the way past the loop's end leads by its head too: a loop
//         while (read(&day))          that may set the variable counts as having done so
//             total += day.cm;        where it begins
//         report(day.cm);
//
// In optimised code the test for no turn at all stands before the loop, and the address may be
// taken there.
std::vector<bool> AssignmentAnalysis::filled_by_loops(const Slot& slot, const States& states,
                                                      std::uint32_t goal) const {
    const Blocks& blocks = code_->blocks();
    std::vector<bool> filled(flow_->nodes().size(), false);
    for (const Blocks::Loop& loop : blocks.loops()) {
        auto touches = [&](std::uint32_t number) {
            const Blocks::Block& block = blocks.all()[number];
            for (std::uint32_t node = block.first; node < block.end; ++node)
                if (touch(node, slot) != Touch::none ||
                    (states[node] & (kAddressKnown | kPerhaps) && may_store_elsewhere(node)))
                    return true;
            return false;
        };
        if (std::ranges::find(loop.blocks, blocks.of_node(goal)) != loop.blocks.end() ||
            std::ranges::none_of(loop.blocks, touches))
            continue;
        filled[blocks.all()[loop.head].first] = true;
        if (!is_optimised()) continue;
        std::uint32_t before = blocks.all()[loop.head].dominator;
        while (before != Blocks::kNone && blocks.all()[before].to.size() == 1)
            before = blocks.all()[before].dominator;
        if (before != Blocks::kNone) filled[blocks.all()[before].end - 1] = true;
    }
    return filled;
}

AssignmentAnalysis::States AssignmentAnalysis::flow_forward(const Slot& slot,
                                                            const Scope& declared_in,
                                                            const std::vector<bool>& filled) const {
    bool by_scopes = scopes_hold_stores();
    const auto& nodes = flow_->nodes();
    auto in_scope = [&](std::uint32_t node) {
        return !by_scopes || any_contains(declared_in.ranges, nodes[node].address);
    };
    // On the way to a handler that lies in the scope, it lives on.
    auto lives_on = [&](std::uint32_t node) {
        return in_scope(node) || (!dispatch_.empty() && dispatch_[node]);
    };
    FileAddress scope_start =
        declared_in.ranges.empty() ? frame_.function->low() : declared_in.ranges.front().low;
    bool whole_function = !by_scopes || declared_in.ranges == frame_.function->ranges;

    States states(nodes.size(), 0);
    std::vector<std::uint32_t> work;
    auto arrive = [&](std::uint32_t to, std::uint16_t state) {
        if ((states[to] | state) == states[to]) return;
        states[to] |= state;
        work.push_back(to);
    };
    std::uint16_t thrown = 0;  // with what calls may end in an exception
    arrive(entry_, kUnassigned);
    while (!work.empty()) {
        std::uint32_t at = work.back();
        work.pop_back();
        bool inside = in_scope(at);
        Touch touched = inside ? touch(at, slot) : Touch::none;
        std::uint16_t after = states[at];
        if (!filled.empty() && filled[at] && after & (kUnassigned | kAddressKnown))
            after = static_cast<std::uint16_t>((after & ~(kUnassigned | kAddressKnown)) | kPerhaps);
        if (after & kAddressKnown && may_store_elsewhere(at))
            after = static_cast<std::uint16_t>((after & ~kAddressKnown) | kPerhaps);
        after = behind(at, touched, after);
        auto lead_to = [&](std::uint32_t to) {
            if (to == FlowGraph::kNone) return;
            // Outside of its scope, and each time the scope is entered anew, the variable has no
            // value.
            bool fresh = !whole_function &&
                         (!lives_on(to) || !lives_on(at) || nodes[to].address == scope_start);
            arrive(to, fresh ? static_cast<std::uint16_t>((after & kRegisterBits) | kUnassigned)
                             : after);
        };
        lead_to(nodes[at].next);
        lead_to(nodes[at].branch);
        if (const auto* targets = flow_->targets_of(nodes[at]))
            std::ranges::for_each(*targets, lead_to);
        lead_to(nodes[at].landing);
        bool throws_more = !flow_->knows_landings() && nodes[at].kind == Instruction::Kind::call &&
                           (thrown | after) != thrown;
        if (!throws_more) continue;
        thrown |= after;
        std::ranges::for_each(flow_->landings(), lead_to);
    }
    return states;
}

}  // namespace lantern
