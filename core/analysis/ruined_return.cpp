#include "core/analysis/ruined_return.h"

#include <signal.h>

#include <algorithm>

#include "core/analysis/canary.h"
#include "core/analysis/culprit.h"
#include "core/code/flow_graph.h"
#include "core/machine/calling_convention.h"
#include "core/support/error.h"
#include "core/target/code_at.h"
#include "core/unwind/call_before.h"
#include "core/values/variable_value.h"

namespace lantern {
namespace {

constexpr std::uint64_t kWordSize = 8;
constexpr unsigned kFramesAboveRuin = 16;     // of the C library above the function
constexpr std::uint64_t kFarthest = 1 << 20;  // bytes between an array and what was overwritten
constexpr std::uint64_t kBehind = 256;        // bytes of the text behind that

class ArraySearch {
  public:
    ArraySearch(const Moment& moment, const Stop& stop)
        : moment_(moment), target_(moment.target()), stop_(stop) {}

    std::optional<RuinedReturn> run() {
        if (stop_.signal == SIGABRT) return canary();
        bool is_of_memory = stop_.signal == SIGSEGV || stop_.signal == SIGBUS;
        if (!stop_.is_fault || !is_of_memory) return std::nullopt;
        const Registers& registers = target_.registers(stop_.thread);
        RunAddress at = registers.program_counter(), top = registers.stack_pointer();
        if (stands_at_return(at)) return of_innermost(top);
        bool is_code = false;
        if (const MemoryRegion* region = target_.region_at(at))
            is_code = region->permissions.find('x') != std::string::npos;
        if (is_code || was_called(top)) return std::nullopt;
        auto gone = word_at(top - kWordSize);
        if (gone != at.value) return std::nullopt;
        RuinedReturn found;
        found.slot = top - kWordSize;
        found.value = at.value;
        return found;
    }

  private:
    std::optional<std::uint64_t> word_at(RunAddress at) {
        std::uint64_t word = 0;
        auto bytes = std::as_writable_bytes(std::span(&word, 1));
        return target_.read_available(at, bytes) == kWordSize ? std::optional(word) : std::nullopt;
    }

    bool stands_at_return(RunAddress at) {
        auto instruction = instruction_at(target_, at);
        return instruction && instruction->kind == Instruction::Kind::returns;
    }

    bool was_called(RunAddress top) {
        auto word = word_at(top);
        return word && call_before(target_, RunAddress(*word));
    }

    // The frame pointer is the caller's again, and may be as wrong: it was where its copy lies.
    std::optional<RuinedReturn> of_innermost(RunAddress slot) {
        const Frame* frame = moment_.stack().frame(0);
        auto value = word_at(slot);
        if (!frame || !value || can_be_an_address(*value)) return std::nullopt;
        RuinedReturn found;
        found.function = frame_function_name(*frame);
        found.slot = slot;
        found.value = *value;
        Frame before = *frame;
        before.registers.set(kFramePointerNumber, (slot - kWordSize).value);
        look_for_array(before, found);
        return found;
    }

    std::optional<RuinedReturn> canary() {
        bool is_told = false;
        for (unsigned level = 0; level < kFramesAboveRuin; ++level) {
            const Frame* frame = moment_.stack().frame(level);
            if (!frame) return std::nullopt;
            if (is_told && frame->module && frame->function && frame->body)
                return of_canary(*frame);
            is_told |= frame_function_name(*frame).starts_with("__stack_chk_fail");
        }
        return std::nullopt;
    }

    std::optional<RuinedReturn> of_canary(const Frame& frame) {
        try {
            FlowGraph flow(frame.module->symbols(), *frame.function);
            auto canary = canary_of(flow, frame);
            auto value = canary ? word_at(canary->slot) : std::nullopt;
            if (!value) return std::nullopt;
            RuinedReturn found;
            found.level = frame.level;
            found.function = frame_function_name(frame);
            found.is_canary = true;
            found.slot = canary->slot;
            found.value = *value;
            look_for_array(frame, found);
            return found;
        } catch (const Error&) {  // its code cannot be read
            return std::nullopt;
        }
    }

    // The nearest array below; one whose text runs on as far as that comes first.
    void look_for_array(const Frame& frame, RuinedReturn& found) {
        if (frame.body) look_in(frame.body->outermost, frame, found);
    }

    void look_in(const Scope& scope, const Frame& frame, RuinedReturn& found) {
        for (const Variable& variable : scope.variables) {
            if (!variable.type || plain(*variable.type).kind != TypeKind::array) continue;
            Value value = value_of_variable(target_, stop_.thread, frame, variable);
            std::uint64_t size = plain(*variable.type).size;
            if (!value.address || !size) continue;
            consider(variable.name, *value.address, size, found);
        }
        for (const auto& inner : scope.inner) look_in(*inner, frame, found);
    }

    void consider(const std::string& name, RunAddress at, std::uint64_t size, RuinedReturn& found) {
        if (at + size > found.slot || found.slot - at > kFarthest) return;
        std::string text = text_from(at, found.slot - at + kBehind);
        bool runs_over = text.size() > found.slot - at;
        bool is_nearer = found.array.empty() || at > nearest_;
        if (runs_over < !found.text.empty() || (runs_over == !found.text.empty() && !is_nearer))
            return;
        nearest_ = at;
        found.array = name;
        found.array_size = size;
        found.text = runs_over ? text : "";
    }

    // Printable, up to its zero; so long at most.
    std::string text_from(RunAddress at, std::uint64_t longest) {
        std::string text(longest, '\0');
        text.resize(target_.read_available(at, std::as_writable_bytes(std::span(text))));
        auto end = std::ranges::find_if(text, [](char c) { return c < ' ' || c > '~'; });
        text.erase(end, text.end());
        return text;
    }

    const Moment& moment_;
    Target& target_;
    const Stop& stop_;
    RunAddress nearest_;
};

}  // namespace

std::optional<RuinedReturn> ruined_return_of(const Moment& moment, const Stop& stop) {
    return ArraySearch(moment, stop).run();
}

}  // namespace lantern
