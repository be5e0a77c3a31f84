#include "core/analysis/value_origin.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/analysis/call_target.h"
#include "core/analysis/origin_link.h"
#include "core/analysis/passed_argument.h"
#include "core/analysis/possible_definitions.h"
#include "core/analysis/statement_parts.h"
#include "core/machine/calling_convention.h"
#include "core/machine/instruction.h"
#include "core/support/text.h"
#include "core/symbols/demangle.h"
#include "core/target/code_at.h"
#include "core/target/linkage.h"

namespace lantern {
namespace {

constexpr unsigned kMostLinks = 16, kMostSteps = 64;
constexpr unsigned kReturned = 0;  // rax

using From = PlainMove::From;

class OriginWalk {
  public:
    explicit OriginWalk(const Moment& moment) : moment_(moment), names_(moment) {}

    ValueOrigin of_register(unsigned level, unsigned dwarf_number, std::uint64_t value) {
        auto place = begin(level, value);
        if (!place) return origin_;
        if (auto name = names_.in_register(*place, dwarf_number)) {
            take_name(*place, *name);
        } else if (auto element = names_.element_in(*place, dwarf_number)) {
            auto index = names_.value_of(*place->frame, element->index.text);
            auto begin = names_.value_of(*place->frame, element->pointer.text);
            std::uint64_t size = plain(target_of(plain(*element->pointer.type))).size;
            if (index && begin && *begin + *index * size == value) {
                bool is_index = moment_.target().region_at(RunAddress(*begin)) != nullptr;
                origin_.value = value_ = is_index ? *index : *begin;
                if (is_index) origin_.index_of = element->pointer.text;
                take_name(*place, is_index ? element->index : element->pointer);
                follow_register(is_index ? element->place : element->made,
                                is_index ? element->dwarf_number : element->pointer_register);
                return origin_;
            }
        }
        if (origin_.name.empty())
            if (auto name = names_.in_register_with(*place, dwarf_number, value))
                take_name(*place, *name);
        if (origin_.name.empty())
            if (auto name = names_.stored_from(*place, dwarf_number, value))
                take_name(*place, *name);
        follow_register(*place, dwarf_number);
        return origin_;
    }

    // Of what the source names so in the frame.
    ValueOrigin of_name(unsigned level, const SourceName& name, std::uint64_t value) {
        auto place = begin(level, value);
        origin_.name = name.text;
        origin_.type = name.type;
        origin_.name_is_checked = true;
        if (!place) return origin_;
        follow_name(*place, *moment_.stack().frame(level), name.text);
        return origin_;
    }

    // Of the one argument of the frame's call that is that number.
    ValueOrigin of_argument(unsigned level, std::uint64_t value, const Frame& called) {
        auto place = begin(level, value);
        auto passed = place ? argument_that_is(names_, *place, called, value) : std::nullopt;
        if (!passed) return origin_;
        lead(*place, fmt::format("{} passes ", place->code->flow.function().name));
        std::string as = passed->parameter.empty() ? "" : fmt::format(" as {}", passed->parameter);
        tail_ = fmt::format("{} to {}", as, frame_function_name(called));
        doubt(Certainty::likely, "it is the only pointer it passes that is that");
        if (passed->name) {
            take_name(*place, *passed->name);
            tell_name(*place, passed->name->text, passed->name->text);
        }
        follow_register(*place, passed->dwarf_number);
        return origin_;
    }

    ValueOrigin of_memory(unsigned level, const MemoryAccess& access, std::uint64_t value) {
        auto place = begin(level, value);
        if (!place) return origin_;
        if (auto name = names_.in_memory(*place, access)) take_name(*place, *name);
        follow_memory(*place, access);
        return origin_;
    }

  private:
    std::optional<PlaceInCode> begin(unsigned level, std::uint64_t value) {
        origin_.value = value_ = value;
        const Frame* frame = names_.function_frame(level);
        auto place = frame ? names_.place_of(*frame) : std::nullopt;
        if (!place) origin_.end = "the code there has no symbols";
        return place;
    }

    void take_name(PlaceInCode place, const SourceName& name) {
        origin_.name = name.text;
        std::size_t table = name.text.find("->_vptr");
        if (table != std::string::npos)
            origin_.name = "the table of virtual functions of " + name.text.substr(0, table);
        origin_.type = name.type;
        for (const Frame* frame = place.frame; frame;) {
            auto now = names_.value_of(*frame, name.text);
            std::uint64_t size = plain(*name.type).size;
            std::uint64_t kept =
                size < 8 && size ? (std::uint64_t{1} << (8 * size)) - 1 : ~std::uint64_t{0};
            origin_.name_is_checked = now && (*now & kept) == (origin_.value & kept);
            if (origin_.name_is_checked || frame->level == 0) break;
            const Frame* inner = moment_.stack().frame(frame->level - 1);  // an inlined call's name
            frame = inner && inner->is_inlined() ? inner : nullptr;
        }
    }

    std::string value_text() const {
        bool is_pointer = origin_.type && plain(*origin_.type).kind == TypeKind::pointer;
        if (value_ == 0) return is_pointer || !origin_.type ? "null" : "0";
        bool is_address = is_pointer || (!origin_.type && value_ > 0xffff);
        return is_address ? fmt::format("{:#x}", value_) : fmt::format("{}", value_);
    }
    bool is_value(std::uint64_t constant, unsigned size) const {
        return is_same_number(constant, size, value_);
    }

    // ---- telling

    void tell(PlaceInCode place, const std::string& what) {
        OriginLink link;
        link.text = std::exchange(lead_, "").append(what).append(std::exchange(tail_, ""));
        link.level = place.frame->level;
        link.certainty = std::exchange(certainty_, Certainty::certain);
        link.because = std::exchange(because_, "");
        place_link(link, *place.code, place.node, place.frame->module);
        origin_.links.push_back(std::move(link));
    }
    void tell_name(PlaceInCode place, const std::string& what, const std::string& name) {
        tell(place, what);
        origin_.links.back().name = name;
    }
    // What was begun is told without what it would have led to.
    void end(std::string why) {
        if (!lead_.empty() && lead_place_.code) tell(lead_place_, "something that is not followed");
        origin_.end = std::move(why);
    }
    void lead(PlaceInCode place, std::string begins) {
        lead_ = std::move(begins);
        lead_place_ = place;
    }
    void doubt(Certainty certainty, const std::string& because) {
        if (certainty <= certainty_) return;
        certainty_ = certainty;
        because_ = because;
    }
    std::string lead_or(const std::string& otherwise) const {
        return lead_.empty() ? otherwise : "";
    }
    bool goes_on() {
        if (origin_.links.size() < kMostLinks && ++steps_ < kMostSteps) return true;
        end("it goes on from there");
        return false;
    }
    // ---- registers

    void follow_register(PlaceInCode place, unsigned number) {
        if (!goes_on()) return;
        auto definitions = place.code->data.reaching(place.node, number);
        auto [nodes, from_outside, because] = that_can_have_set(
            names_, place, number, {definitions.nodes, definitions.from_outside, {}}, value_);
        if (!because.empty()) doubt(Certainty::likely, because);
        if (nodes.empty() && from_outside) return follow_out(place, number);
        if (nodes.size() != 1 || from_outside)
            return end(fmt::format("it was set at {}, and which way was taken is not known",
                                   lines_of_nodes(*place.code, nodes)));
        follow_definition(place.at(nodes[0]), number);
    }

    void follow_definition(PlaceInCode made, unsigned number) {
        const FlowGraph::Node& node = made.code->node(made.node);
        if (node.kind == Instruction::Kind::call) return follow_return(made, number);
        auto move = move_into_register(*made.code, made.node, number);
        if (!move) {
            if (auto sum = names_.sum_of(made, number)) return follow_sum(made, *sum);
            std::string text = instruction_text(made.code->bytes(made.node),
                                                made.frame->module->to_run(node.address));
            std::string from = names_.inputs_of(made);
            tell(made, lead_or("it is ") + (lead_.empty() ? "" : "what is ") +
                           (from.empty() ? fmt::format("computed by {}", text)
                                         : fmt::format("computed from {}", from)));
            return end("what it was computed from is not followed");
        }
        switch (move->from) {
            case From::in_register: return follow_register(made, move->dwarf_number);
            case From::memory: return follow_memory(made, move->access);
            case From::constant:
                tell(made, lead_or("it is set to ") + value_text());
                if (!is_value(move->constant, move->size))
                    doubt_last("the code sets another number there than it has now");
                return;
        }
    }
    void doubt_last(const std::string& because) {
        origin_.links.back().certainty = Certainty::guess;
        origin_.links.back().because = because;
    }

    void follow_name(PlaceInCode place, const Frame& frame, const std::string& name) {
        auto held = names_.place_of_name(frame, name);
        if (held && held->in_register) return follow_register(place, held->in_register->number);
        if (held) return follow_memory_at(place, *held->address, {name, held->type});
        auto inputs = names_in(name);
        if (inputs.size() == 1 && inputs[0] == name)
            return end(fmt::format("the compiler keeps no place for {}: it knew what it is", name));
        std::vector<std::string> values;
        for (const std::string& input : inputs)
            if (auto now = names_.value_of(frame, input)) {
                values.push_back(fmt::format("{}, which is {}", input, *now));
                value_ = *now;
            }
        if (values.empty()) return;
        tell(place, "it is computed from " + join_with(values, "and"));
        if (inputs.size() == 1) follow_name(place, frame, inputs[0]);
    }

    // A member's address: what it was before the distance to the member was added.
    void follow_sum(PlaceInCode made, const SourceNames::Sum& sum) {
        auto name = names_.in_register(made, sum.dwarf_number);
        tell(made, lead_or("it is ") +
                       fmt::format("{} + {}", name ? name->text : "an address", sum.constant));
        if (name) origin_.links.back().name = name->text;
        value_ -= static_cast<std::uint64_t>(sum.constant);
        follow_register(made, sum.dwarf_number);
    }

    // ---- memory

    void follow_memory_at(PlaceInCode place, RunAddress address, const SourceName& name) {
        std::uint64_t size = plain(*name.type).size;
        const Frame& frame = *place.frame;
        bool is_of_frame = frame.call_frame_address && address < *frame.call_frame_address &&
                           frame.registers.stack_pointer() <= address + kRedZone;
        if (is_of_frame)
            return follow_slot(
                place, static_cast<std::int64_t>(address.value - frame.call_frame_address->value),
                static_cast<unsigned>(size));
        tell_name(place, "it is read from " + name.text, name.text);
        end(fmt::format("who wrote {} last, the code here does not tell", name.text));
    }

    void follow_memory(PlaceInCode place, const MemoryAccess& access) {
        if (!goes_on()) return;
        if (auto slot = place.code->slots.slot_of(place.node, access))
            return follow_slot(place, *slot, access.size);
        auto name = names_.in_memory(place, access);
        if (name && name->text.find("->_vptr") != std::string::npos) {
            // What the part says already.
            tell(place, lead_or("it is read from ") + "the object's first word");
            return end("whether there is an object of that class, its memory tells");
        }
        std::string where = name ? name->text : "memory that the source has no name for";
        tell_name(place, lead_or("it is read from ") + where, name ? name->text : "");
        if (name && !is_still(place, *name))
            doubt_last(fmt::format("{} holds something else now", where));
        end(name ? fmt::format("who wrote {} last, the code here does not tell", where)
                 : "who wrote that, the code here does not tell");
    }

    bool is_still(PlaceInCode place, const SourceName& name) {
        auto now = names_.value_of(*place.frame, name.text);
        return !now || is_value(*now, static_cast<unsigned>(plain(*name.type).size));
    }

    void follow_slot(PlaceInCode place, std::int64_t slot, unsigned size) {
        auto name = names_.in_slot(place, slot);
        auto stores =
            place.code->slots.reaching(place.node, slot, size, names_.object_at(place, slot, size));
        if (stores.may_be_others) {
            origin_.others_may_write = true;
            std::string whose = name ? name->text : "it";
            if (stores.address_taken.empty())
                return end(fmt::format("who wrote {} last, the code alone does not tell", whose));
            return end(
                fmt::format("the address of {} was given away at {}: who wrote it last, the "
                            "code alone does not tell",
                            whose, lines_of_nodes(*place.code, stores.address_taken)));
        }
        auto [nodes, from_outside, because] =
            that_can_have_stored(names_, place, {stores.nodes, stores.from_outside, {}}, value_);
        if (!because.empty()) doubt(Certainty::likely, because);
        if (nodes.empty()) {
            if (slot >= 0) return end("the caller passed it on the stack");
            if (!name) return end("nothing here sets it");
            tell(place, fmt::format("{} was never set on any way to here", name->text));
            return end("what was there before it is left over");
        }
        if (nodes.size() != 1 || from_outside)
            return end(fmt::format("{} was set at {}{}, and which way was taken is not known",
                                   name ? name->text : "it", lines_of_nodes(*place.code, nodes),
                                   from_outside ? " or not at all" : ""));
        PlaceInCode made = place.at(nodes[0]);
        auto move = move_into_memory(*made.code, made.node);
        if (name) lead(made, fmt::format("{} is set to ", name->text));
        if (!move) {
            tell(made, "something that is computed there");
            return end("what it was computed from is not followed");
        }
        if (move->from == From::in_register) {
            // A parameter that is put into its own place.
            bool is_parameter = is_from_outside(made, move->dwarf_number);
            if (is_parameter) lead_.clear();
            return follow_register(made, move->dwarf_number);
        }
        tell(made, lead_or("it is set to ") + value_text());
        if (!is_value(move->constant, move->size))
            doubt_last("the code sets another number there than it has now");
    }

    bool is_from_outside(PlaceInCode place, unsigned number) {
        auto definitions = place.code->data.reaching(place.node, number);
        return definitions.nodes.empty() && definitions.from_outside;
    }

    // ---- other functions

    // It was there when the function was entered.
    void follow_out(PlaceInCode place, unsigned number) {
        bool is_kept = is_kept_by_calls(number);
        auto parameter = is_kept ? std::nullopt : names_.parameter_in(place, number);
        const Frame* caller = moment_.stack().caller_of_function(*place.frame);
        if (!caller) return end("the stack ends there");
        const Frame* next = moment_.stack().frame(place.frame->level + 1);
        bool is_by_jump = next && next->has_left;
        bool is_sure = caller->origin == FrameOrigin::call_frame_information;
        if (!is_sure || caller->is_signal_frame || place.frame->is_signal_frame)
            return end("its caller is not known for certain");
        const Frame* own = caller;
        while (own && own->is_inlined()) own = moment_.stack().frame(own->level + 1);
        auto call = own ? names_.place_of(*own) : std::nullopt;
        if (!call) return end("the caller's code has no symbols");
        if (is_library(*place.frame, *own))
            return end(fmt::format("behind {} the stack goes on in a library, with {}",
                                   place.code->flow.function().name, frame_function_name(*caller)));
        Calls does_call = calls(moment_.target(), *call, *place.frame);
        if (is_by_jump || does_call == Calls::no)
            return end("it was called by a jump, which leaves no trace of who passed it");
        if (does_call == Calls::unknown)
            return end("it was called through a pointer, perhaps from another place");
        std::size_t before = origin_.links.size();
        if (!is_kept) {
            lead(*call, fmt::format("{} passes ", frame_function_name(*caller)));
            tail_ = parameter ? " as " + parameter->text : "";
            if (auto name = names_.in_register(*call, number))
                tell_name(*call, name->text, name->text);
        }
        follow_register(*call, number);
        if (origin_.links.size() == before && !lead_.empty()) tell(*call, "something");
    }

    // A library called the user's code, and what it passes is its own business.
    bool is_library(const Frame& called, const Frame& caller) {
        const LibraryRules& rules = moment_.libraries();
        return caller.module && called.module && rules.is_library(*caller.module) &&
               !rules.is_library(*called.module);
    }

    // What a call left in the register.
    void follow_return(PlaceInCode call, unsigned number) {
        if (number != kReturned) {
            tell(call, lead_or("it is ") + "left over from a call");
            return end("no function hands anything over in that register");
        }
        const FlowGraph::Node& node = call.code->node(call.node);
        const Module& module = *call.frame->module;
        FunctionAt callee;
        std::string name = "a function";
        if (node.target) {
            RunAddress target = module.to_run(*node.target);
            callee = function_at(moment_.target(), target);
            std::string stub = name_behind_linkage_table(moment_.target(), target);
            if (callee.function)
                name = callee.function->name;
            else if (!stub.empty())
                name = demangled(stub);
        }
        tell(call, lead_or("it is ") + fmt::format("what {} returned", name));
        if (!callee.function) return;
        origin_.links.back().returned_by = name;
        tell_return(*callee.module, *callee.function);
    }

    // Where the callee returns that number, if it is a number that one place in it sets.
    void tell_return(const Module& module, const Function& function) {
        auto place = place_that_returns(names_, module, function, value_);
        if (!place) return;
        OriginLink link;
        link.text = fmt::format("{} returns {} there", function.name, value_text());
        place_link(link, *place->code, place->node, &module);
        if (place->has_others) {
            link.certainty = Certainty::likely;
            link.because = "it is the only place in it that returns just this number";
        }
        origin_.links.push_back(std::move(link));
    }

    const Moment& moment_;
    SourceNames names_;
    ValueOrigin origin_;
    std::uint64_t value_ = 0;  // where the walk stands: what was added since is taken away
    std::string lead_;         // the beginning of the next link's sentence, and where it belongs
    std::string tail_;         // and its end
    PlaceInCode lead_place_;
    Certainty certainty_ = Certainty::certain;
    std::string because_;
    unsigned steps_ = 0;
};

}  // namespace

ValueOrigin origin_of_register(const Moment& moment, unsigned level, unsigned dwarf_number,
                               std::uint64_t value) {
    return OriginWalk(moment).of_register(level, dwarf_number, value);
}

ValueOrigin origin_of_name(const Moment& moment, unsigned level, const std::string& name,
                           const Type& type, std::uint64_t value) {
    return OriginWalk(moment).of_name(level, {name, &type}, value);
}

ValueOrigin origin_of_argument(const Moment& moment, unsigned level, std::uint64_t value,
                               const Frame& called) {
    return OriginWalk(moment).of_argument(level, value, called);
}

ValueOrigin origin_of_memory(const Moment& moment, unsigned level, const MemoryAccess& access,
                             std::uint64_t value) {
    return OriginWalk(moment).of_memory(level, access, value);
}

}  // namespace lantern
