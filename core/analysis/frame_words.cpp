#include "core/analysis/frame_words.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/analysis/address_note.h"
#include "core/analysis/canary.h"
#include "core/expressions/scope_names.h"
#include "core/machine/calling_convention.h"
#include "core/machine/disassembler.h"
#include "core/runtime/c_library.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/unwind/call_before.h"
#include "core/values/value_view.h"
#include "core/values/variable_value.h"

namespace lantern {
namespace {

constexpr std::size_t kMostWords = 4096;  // of one frame

}  // namespace

FrameWords::FrameWords(const Moment& moment, const Frame& frame, std::vector<const Frame*> inner,
                       const Frame* caller, const WordsQuery& query)
    : moment_(moment),
      target_(moment.target()),
      frame_(frame),
      inner_(std::move(inner)),
      caller_(caller) {
    made_.level = frame.level;
    made_.function = frame_function_name(frame);
    begin_ = frame.registers.stack_pointer();
    end_ = frame.call_frame_address.value_or(begin_ + 16 * kWord);
    made_.stack_pointer = begin_.value;
    made_.end = end_.value;
    if (frame.level > 0) return;
    RunAddress lowest = begin_ - kRedZone;
    begin_ = query.from_below ? lowest : lowest_variable(lowest);
}

StackFrameWords FrameWords::make(std::vector<std::string>& damage, bool& is_cut) {
    std::uint64_t size = end_ < begin_ ? 0 : end_ - begin_;
    if (size / kWord > kMostWords) {
        size = kMostWords * kWord;
        is_cut = true;
    }
    words_.resize(size / kWord);
    readable_ = target_.read_available(begin_, std::as_writable_bytes(std::span(words_))) / kWord;
    for (std::size_t i = 0; i < words_.size(); ++i) {
        StackWord word;
        word.address = (begin_ + i * kWord).value;
        word.from_end = static_cast<std::int64_t>(word.address - end_.value);
        word.value = words_[i];
        if (i >= readable_)
            word.kind = WordKind::unreadable;
        else if (word.address < made_.stack_pointer)
            word.kind = WordKind::red_zone;
        made_.words.push_back(std::move(word));
    }
    name_return_address(damage);
    name_saved_registers();
    name_variables();
    name_arguments_of_callee();
    name_canary(damage);
    name_spills();
    describe_rest();
    return std::move(made_);
}

StackWord* FrameWords::word_at(RunAddress address) {
    if (address < begin_ || !(address < end_)) return nullptr;
    std::size_t index = (address - begin_) / kWord;
    return index < made_.words.size() && made_.words[index].kind != WordKind::unreadable
               ? &made_.words[index]
               : nullptr;
}

// A function that calls none may keep its variables below the stack pointer (psABI §3.2.2).
RunAddress FrameWords::lowest_variable(RunAddress lowest) {
    RunAddress found = begin_;
    for (const Frame* frame : inner_)
        for (const VisibleVariable& visible : visible_variables(*frame)) {
            Value value = value_of_variable(target_, moment_.thread(), *frame, *visible.variable);
            if (value.address && lowest <= *value.address && *value.address < found)
                found = RunAddress(value.address->value & ~(kWord - 1));
        }
    return found;
}

void FrameWords::name_return_address(std::vector<std::string>& damage) {
    StackWord* word = frame_.call_frame_address ? word_at(end_ - kWord) : nullptr;
    if (!word || frame_.is_signal_frame) return;
    word->kind = WordKind::return_address;
    RunAddress back(word->value);
    if (!caller_ && is_undefined_there()) {  // the outermost: nothing is to return to
        word->kind = WordKind::nameless;
        return;
    }
    word->name = "return address";
    std::string note = address_note(moment_, back), text = text_of_word(word->value);
    word->content = note.empty() ? text : "into " + note;
    if (!target_.module_at(back)) {
        word->warning = text.empty()
                            ? "it leads to no code: it has been overwritten"
                            : fmt::format("it has been overwritten: it holds the text {}", text);
        damage.push_back(fmt::format("the return address of frame {}, {}, has been overwritten{}",
                                     frame_.level, made_.function,
                                     text.empty() ? fmt::format(" with {:#x}", word->value)
                                                  : fmt::format(" with the text {}", text)));
        return;
    }
    auto call = call_before(target_, back);
    if (!call) {
        word->warning = "no call instruction stands before the place it leads to";
        damage.push_back(
            fmt::format("the return address of frame {}, {}, does not follow a call: {}",
                        frame_.level, made_.function, note));
        return;
    }
    if (!call->target) {
        made_.checks.push_back("the return address follows an indirect call: agrees");
        return;
    }
    bool is_here = frame_.module && frame_.function &&
                   frame_.module->to_run(frame_.function->low()) == *call->target;
    made_.checks.push_back(
        is_here ? fmt::format("the return address follows a call of {}: agrees", made_.function)
                : fmt::format("the return address follows a call of {}: it came here by a "
                              "jump, through a linkage stub or a tail call",
                              symbol_or_number(*call->target)));
}

std::string FrameWords::symbol_or_number(RunAddress address) {
    std::string name = symbol_note(target_, address);
    return name.empty() ? fmt::format("{:#x}", address.value) : name;
}

bool FrameWords::is_undefined_there() {
    auto rules = row();
    return rules && rules->row.registers[rules->return_register].kind ==
                        dwarf::RegisterRule::Kind::undefined;
}

std::optional<FrameWords::Rules> FrameWords::row() {
    if (!frame_.module) return std::nullopt;
    try {
        auto description = frame_.module->symbols().frame_description(frame_.file_address());
        if (!description) return std::nullopt;
        auto found = frame_row_at(*description, frame_.file_address());
        return found ? std::optional(Rules{*found, description->return_address_register})
                     : std::nullopt;
    } catch (const Error&) {
        return std::nullopt;
    }
}

void FrameWords::name_saved_registers() {
    auto rules = row();
    if (!rules) return;
    for (unsigned number = 0; number < dwarf::kFrameRegisters; ++number) {
        const dwarf::RegisterRule& rule = rules->row.registers[number];
        if (rule.kind != dwarf::RegisterRule::Kind::offset || number == rules->return_register)
            continue;
        StackWord* word = word_at(RunAddress(end_.value + static_cast<std::uint64_t>(rule.number)));
        if (!word) continue;
        word->kind = WordKind::saved_register;
        word->name = fmt::format("{} of {}", register_name(number),
                                 caller_ ? frame_function_name(*caller_) : "the caller");
        word->content = pointed_at(word->value);
        if (word->content.empty()) word->content = text_of_word(word->value);
        if (number == kFramePointerNumber) check_frame_pointer(*word);
    }
}

// Where the caller keeps a frame pointer, the saved one leads into the caller's frame.
void FrameWords::check_frame_pointer(StackWord& word) {
    if (!caller_ || !caller_->call_frame_address) return;
    RunAddress saved(word.value);
    bool inside = end_ <= saved && saved < *caller_->call_frame_address;
    bool is_used = rules_use_frame_pointer(*caller_);
    if (!is_used) return;
    if (inside)
        made_.checks.push_back(
            "the saved frame pointer leads into the caller's frame: agrees with the call frame "
            "address");
    else
        word.warning =
            fmt::format("it does not lead into the frame of {}, which keeps a frame pointer",
                        frame_function_name(*caller_));
}

bool FrameWords::rules_use_frame_pointer(const Frame& frame) {
    if (!frame.module) return false;
    try {
        auto description = frame.module->symbols().frame_description(frame.file_address());
        auto row = description ? frame_row_at(*description, frame.file_address()) : std::nullopt;
        return row && !row->cfa_is_expression && row->cfa_register == kFramePointerNumber;
    } catch (const Error&) {
        return false;
    }
}

}  // namespace lantern
