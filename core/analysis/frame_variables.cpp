// What lies in the words of a frame beyond what calling put there: variables, the canary, what is
// spilled.
#include "core/analysis/frame_words.h"

#include <fmt/format.h>
#include <algorithm>
#include <cstring>
#include <map>
#include "core/analysis/address_note.h"
#include "core/analysis/canary.h"
#include "core/analysis/words_report.h"
#include "core/code/node_effects.h"
#include "core/expressions/scope_names.h"
#include "core/machine/calling_convention.h"
#include "core/runtime/c_library.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/unwind/call_before.h"
#include "core/values/value_view.h"
#include "core/values/variable_value.h"

namespace lantern {

void FrameWords::name_variables() {
    for (const Frame* frame : inner_)
        for (const VisibleVariable& visible : visible_variables(*frame)) {
            Value value = value_of_variable(target_, moment_.thread(), *frame, *visible.variable);
            if (!value.address || !value.type) continue;
            std::uint64_t size = std::max<std::uint64_t>(plain(*value.type).size, 1);
            for (RunAddress at = RunAddress(value.address->value & ~(kWord - 1));
                 at < *value.address + size; at = at + kWord)
                if (StackWord* word = word_at(at))
                    add_variable(*word, visible.variable->name, value, size,
                                 visible.variable->is_parameter);
        }
}

// What this function handed over on the stack lies at its lowest end, and belongs to the one
// that it called.
void FrameWords::name_arguments_of_callee() {
    const Frame* callee = callee_of_frame();
    if (!callee || !callee->body) return;
    for (const Variable& variable : callee->body->outermost.variables) {
        if (!variable.is_parameter) continue;
        Value value = value_of_variable(target_, moment_.thread(), *callee, variable);
        std::uint64_t size = value.type ? plain(*value.type).size : 0;
        if (!value.address || *value.address < begin_ || size == 0) continue;
        for (RunAddress at = *value.address; at < *value.address + size; at = at + kWord)
            if (StackWord* word = word_at(at); word && word->kind != WordKind::variable)
                add_variable(*word,
                             fmt::format("{}: {}", frame_function_name(*callee), variable.name),
                             value, size, true);
    }
}

// The function that this one has called, where its frame begins right below.
const Frame* FrameWords::callee_of_frame() {
    Unwinder& stack = moment_.stack();
    for (unsigned level = 0; const Frame* frame = stack.frame(level); ++level) {
        if (level >= frame_.level) return nullptr;
        if (!frame->inlined && frame->call_frame_address == begin_) return frame;
    }
    return nullptr;
}

void FrameWords::add_variable(StackWord& word, const std::string& name, const Value& value,
                              std::uint64_t size, bool is_parameter) {
    std::uint64_t start = value.address->value;
    std::uint64_t low = std::max(start, word.address) - start,
                  high = std::min(start + size, word.address + kWord) - start;
    std::vector<Part> parts;
    add_parts(parts, name, *value.type, *value.address, low, high, 0);
    std::vector<std::string> names, contents;
    for (const Part& part : parts) {
        names.push_back(names.empty() || !part.name.starts_with(name)
                            ? part.name
                            : part.name.substr(name.size()));
        contents.push_back(part.content);
    }
    std::string all_names = join_with(names, "and"),
                content = fmt::format("{}", fmt::join(contents, ", "));
    if (word.kind == WordKind::variable || word.kind == WordKind::argument) {
        word.name += ", " + all_names;
        word.content += ", " + content;
        return;
    }
    if (word.kind != WordKind::nameless && word.kind != WordKind::red_zone) {
        // The debug information says a variable reaches over what the call left there.
        word.name += " and " + all_names;
        return;
    }
    word.kind = is_parameter ? WordKind::argument : WordKind::variable;
    word.name = all_names;
    word.content = content;
}

// Bytes `low` to `high` of a value: which members or elements they are, as far down as it takes
// for each to be whole or a text.
void FrameWords::add_parts(std::vector<Part>& parts, const std::string& name, const Type& whole,
                           RunAddress at, std::uint64_t low, std::uint64_t high, int depth) {
    constexpr int kDeepest = 8;
    const Type& type = plain(whole);
    bool is_text = type.kind == TypeKind::array && is_character(plain(target_of(type)));
    bool has_parts = type.kind == TypeKind::array || type.kind == TypeKind::structure;
    if ((low == 0 && high == type.size && !has_parts) || depth > kDeepest) {
        Value value = value_in_memory(whole, at);
        parts.push_back({name, one_line(make_view(ValueReader(target_), "", value, Form::natural,
                                                  moment_.view_limits()),
                                        60)});
        return;
    }
    if (is_text) {
        std::vector<std::byte> bytes(high - low);
        bytes.resize(target_.read_available(at + low, bytes));
        bool is_empty = std::all_of(bytes.begin(), bytes.end(),
                                    [](std::byte each) { return each == std::byte{}; });
        std::string content = character_array_text(bytes);
        constexpr std::string_view kRemark = " (no terminator)";
        if (content.ends_with(kRemark))
            content.resize(content.size() - kRemark.size());  // it may stand further on
        parts.push_back({high - low == 1 ? fmt::format("{}[{}]", name, low)
                                         : fmt::format("{}[{} to {}]", name, low, high - 1),
                         is_empty ? "zero" : content});
        return;
    }
    std::uint64_t unit = type.kind == TypeKind::array ? plain(target_of(type)).size : 0;
    for (std::uint64_t index = unit ? low / unit : 0; unit && index * unit < high; ++index)
        add_parts(parts, fmt::format("{}[{}]", name, index), target_of(type), at + index * unit,
                  std::max(low, index * unit) - index * unit,
                  std::min(high, (index + 1) * unit) - index * unit, depth + 1);
    if (unit) return;
    std::size_t before = parts.size();
    if (type.kind == TypeKind::structure)
        for (const Member& member : type.members()) {
            std::uint64_t size = member.type ? plain(*member.type).size : 0;
            if (!size || member.offset >= high || member.offset + size <= low ||
                member.is_virtual_base)
                continue;
            std::string full =
                member.is_base_class || member.name.empty() ? name : name + "." + member.name;
            add_parts(parts, full, *member.type, at + member.offset,
                      std::max(low, member.offset) - member.offset,
                      std::min(high, member.offset + size) - member.offset, depth + 1);
        }
    if (parts.size() > before) return;
    std::uint64_t word = 0;
    target_.read_available(at + low, std::as_writable_bytes(std::span(&word, 1))
                                         .first(std::min<std::uint64_t>(kWord, high - low)));
    bool is_padding = type.kind == TypeKind::structure;
    parts.push_back(
        {is_padding ? name + " padding" : fmt::format("{} bytes {} to {}", name, low, high - 1),
         word ? fmt::format("{:#x}", word) : "zero"});
}

void FrameWords::name_canary(std::vector<std::string>& damage) {
    std::uint64_t canary = 0;
    RunAddress kept(frame_.registers.thread_base + c_library::kCanaryAt);
    if (!frame_.registers.thread_base ||
        target_.read_available(kept, std::as_writable_bytes(std::span(&canary, 1))) !=
            sizeof canary ||
        !canary)
        return;
    auto found = frame_.function && frame_.module
                     ? canary_of(FlowGraph(frame_.module->symbols(), *frame_.function), frame_)
                     : std::nullopt;
    if (StackWord* word = found ? word_at(found->slot) : nullptr) {
        word->kind = WordKind::canary;
        word->name = "canary";
        bool intact = word->value == canary;
        word->content = intact             ? "intact"
                        : found->is_stored ? text_of_word(word->value)
                                           : "not stored yet";
        if (intact || !found->is_stored) return;
        word->warning = "it has been overwritten: something ran over the end of a variable";
        damage.push_back(
            fmt::format("the canary of frame {}, {}, has been overwritten: something ran over "
                        "the end of a variable",
                        frame_.level, made_.function));
        return;
    }
    for (StackWord& word : made_.words)
        if (word.value == canary && word.kind == WordKind::nameless) {
            word.kind = WordKind::canary;
            word.name = "canary";
            word.content = "intact";
        }
}

// Words without a name that the function's code stores to, where the base of the operand is
// what it is now: the rules for the call frame address are the same at both instructions.
void FrameWords::name_spills() {
    auto now = row();
    if (!now || !frame_.function || now->row.cfa_is_expression || made_.words.empty()) return;
    const ModuleSymbols& symbols = frame_.module->symbols();
    FlowGraph flow(symbols, *frame_.function);
    for (const FlowGraph::Node& node : flow.nodes())
        if (auto effects = effects_of(node, symbols))
            for (const MemoryAccess& access : effects->memory)
                name_spill(access, node.address, now->row);
}

void FrameWords::name_spill(const MemoryAccess& access, FileAddress at,
                            const dwarf::FrameRow& now) {
    bool is_plain = access.writes && !access.is_implied && !access.index && access.base &&
                    (*access.base == kStackPointerNumber || *access.base == kFramePointerNumber);
    auto base = is_plain ? frame_.registers.get(*access.base) : std::nullopt;
    if (!base) return;
    StackWord* word = word_at(
        RunAddress((*base + static_cast<std::uint64_t>(access.displacement)) & ~(kWord - 1)));
    if (!word || word->kind != WordKind::nameless) return;
    auto description = frame_.module->symbols().frame_description(at);
    auto then = description ? frame_row_at(*description, at) : std::nullopt;
    bool same = then && !then->cfa_is_expression && then->cfa_register == now.cfa_register &&
                then->cfa_offset == now.cfa_offset;
    if (!same) return;
    word->kind = WordKind::spill;
    word->name = fmt::format("kept at {}+{:#x}", made_.function, at - frame_.function->low());
}

std::string FrameWords::pointed_at(std::uint64_t value) {
    std::string note = address_note(moment_, RunAddress(value)),
                text = text_at_address(moment_, RunAddress(value));
    return text.empty() ? note : note.empty() ? text : note + ": " + text;
}

void FrameWords::describe_rest() {
    for (StackWord& word : made_.words) {
        if (word.kind != WordKind::nameless && word.kind != WordKind::red_zone &&
            word.kind != WordKind::spill)
            continue;
        std::string note = pointed_at(word.value);
        bool is_address = !note.empty() && word.kind == WordKind::nameless;
        if (is_address) word.kind = WordKind::leftover;
        word.content = !note.empty()          ? note
                       : word.value < 1 << 20 ? std::to_string(word.value)
                                              : text_of_word(word.value);
    }
}

}  // namespace lantern
