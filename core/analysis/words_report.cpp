#include "core/analysis/words_report.h"

#include <algorithm>
#include <cstring>
#include <map>

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

constexpr std::uint64_t kWord = 8;
constexpr std::size_t kMostWords = 4096;       // of one frame
constexpr std::uint64_t kMostCode = 64 << 10;

class FrameWords {
  public:
    // `frame` is the physical one; `inner` all frames that share its part of the stack, inlined ones included.
    FrameWords(const Moment& moment, const Frame& frame, std::vector<const Frame*> inner, const Frame* caller, const WordsQuery& query)
        : moment_(moment), target_(moment.target()), frame_(frame), inner_(std::move(inner)), caller_(caller) {
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

    StackFrameWords make(std::vector<std::string>& damage, bool& is_cut) {
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
            if (i >= readable_) word.kind = WordKind::unreadable;
            else if (word.address < made_.stack_pointer) word.kind = WordKind::red_zone;
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

  private:
    StackWord* word_at(RunAddress address) {
        if (address < begin_ || !(address < end_)) return nullptr;
        std::size_t index = (address - begin_) / kWord;
        return index < made_.words.size() && made_.words[index].kind != WordKind::unreadable ? &made_.words[index] : nullptr;
    }

    // A function that calls none may keep its variables below the stack pointer (psABI §3.2.2).
    RunAddress lowest_variable(RunAddress lowest) {
        RunAddress found = begin_;
        for (const Frame* frame : inner_)
            for (const VisibleVariable& visible : visible_variables(*frame)) {
                Value value = value_of_variable(target_, moment_.thread(), *frame, *visible.variable);
                if (value.address && lowest <= *value.address && *value.address < found) found = RunAddress(value.address->value & ~(kWord - 1));
            }
        return found;
    }

    // ---- the return address, and whether it can be one

    void name_return_address(std::vector<std::string>& damage) {
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
            word->warning = text.empty() ? "it leads to no code: it has been overwritten" : fmt::format("it has been overwritten: it holds the text {}", text);
            damage.push_back(fmt::format("the return address of frame {}, {}, has been overwritten{}", frame_.level, made_.function, text.empty() ? fmt::format(" with {:#x}", word->value) : fmt::format(" with the text {}", text)));
            return;
        }
        auto call = call_before(target_, back);
        if (!call) {
            word->warning = "no call instruction stands before the place it leads to";
            damage.push_back(fmt::format("the return address of frame {}, {}, does not follow a call: {}", frame_.level, made_.function, note));
            return;
        }
        if (!call->target) {
            made_.checks.push_back("the return address follows an indirect call: agrees");
            return;
        }
        bool is_here = frame_.module && frame_.function && frame_.module->to_run(frame_.function->low()) == *call->target;
        made_.checks.push_back(is_here ? fmt::format("the return address follows a call of {}: agrees", made_.function)
                                       : fmt::format("the return address follows a call of {}: it came here by a jump, through a linkage stub or a tail call", symbol_or_number(*call->target)));
    }

    std::string symbol_or_number(RunAddress address) {
        std::string name = symbol_note(target_, address);
        return name.empty() ? fmt::format("{:#x}", address.value) : name;
    }

    bool is_undefined_there() {
        auto rules = row();
        return rules && rules->row.registers[rules->return_register].kind == dwarf::RegisterRule::Kind::undefined;
    }

    // ---- registers of the caller

    struct Rules {
        dwarf::FrameRow row;
        unsigned return_register = kProgramCounterNumber;
    };
    std::optional<Rules> row() {
        if (!frame_.module) return std::nullopt;
        try {
            auto description = frame_.module->symbols().frame_description(frame_.file_address());
            if (!description) return std::nullopt;
            auto found = frame_row_at(*description, frame_.file_address());
            return found ? std::optional(Rules{*found, description->return_address_register}) : std::nullopt;
        } catch (const Error&) {
            return std::nullopt;
        }
    }

    void name_saved_registers() {
        auto rules = row();
        if (!rules) return;
        for (unsigned number = 0; number < dwarf::kFrameRegisters; ++number) {
            const dwarf::RegisterRule& rule = rules->row.registers[number];
            if (rule.kind != dwarf::RegisterRule::Kind::offset || number == rules->return_register) continue;
            StackWord* word = word_at(RunAddress(end_.value + static_cast<std::uint64_t>(rule.number)));
            if (!word) continue;
            word->kind = WordKind::saved_register;
            word->name = fmt::format("{} of {}", register_name(number), caller_ ? frame_function_name(*caller_) : "the caller");
            word->content = pointed_at(word->value);
            if (word->content.empty()) word->content = text_of_word(word->value);
            if (number == kFramePointerNumber) check_frame_pointer(*word);
        }
    }

    // Where the caller keeps a frame pointer, the saved one leads into the caller's frame.
    void check_frame_pointer(StackWord& word) {
        if (!caller_ || !caller_->call_frame_address) return;
        RunAddress saved(word.value);
        bool inside = end_ <= saved && saved < *caller_->call_frame_address;
        bool is_used = rules_use_frame_pointer(*caller_);
        if (!is_used) return;
        if (inside) made_.checks.push_back("the saved frame pointer leads into the caller's frame: agrees with the call frame address");
        else word.warning = fmt::format("it does not lead into the frame of {}, which keeps a frame pointer", frame_function_name(*caller_));
    }

    static bool rules_use_frame_pointer(const Frame& frame) {
        if (!frame.module) return false;
        try {
            auto description = frame.module->symbols().frame_description(frame.file_address());
            auto row = description ? frame_row_at(*description, frame.file_address()) : std::nullopt;
            return row && !row->cfa_is_expression && row->cfa_register == kFramePointerNumber;
        } catch (const Error&) {
            return false;
        }
    }

    // ---- variables

    void name_variables() {
        for (const Frame* frame : inner_)
            for (const VisibleVariable& visible : visible_variables(*frame)) {
                Value value = value_of_variable(target_, moment_.thread(), *frame, *visible.variable);
                if (!value.address || !value.type) continue;
                std::uint64_t size = std::max<std::uint64_t>(plain(*value.type).size, 1);
                for (RunAddress at = RunAddress(value.address->value & ~(kWord - 1)); at < *value.address + size; at = at + kWord)
                    if (StackWord* word = word_at(at)) add_variable(*word, visible.variable->name, value, size, visible.variable->is_parameter);
            }
    }

    // What this function handed over on the stack lies at its lowest end, and belongs to the one that it called.
    void name_arguments_of_callee() {
        const Frame* callee = callee_of_frame();
        if (!callee || !callee->body) return;
        for (const Variable& variable : callee->body->outermost.variables) {
            if (!variable.is_parameter) continue;
            Value value = value_of_variable(target_, moment_.thread(), *callee, variable);
            std::uint64_t size = value.type ? plain(*value.type).size : 0;
            if (!value.address || *value.address < begin_ || size == 0) continue;
            for (RunAddress at = *value.address; at < *value.address + size; at = at + kWord)
                if (StackWord* word = word_at(at); word && word->kind != WordKind::variable)
                    add_variable(*word, fmt::format("{}: {}", frame_function_name(*callee), variable.name), value, size, true);
        }
    }

    // The function that this one has called, where its frame begins right below.
    const Frame* callee_of_frame() {
        Unwinder& stack = moment_.stack();
        for (unsigned level = 0; const Frame* frame = stack.frame(level); ++level) {
            if (level >= frame_.level) return nullptr;
            if (!frame->inlined && frame->call_frame_address == begin_) return frame;
        }
        return nullptr;
    }

    void add_variable(StackWord& word, const std::string& name, const Value& value, std::uint64_t size, bool is_parameter) {
        std::uint64_t start = value.address->value;
        std::uint64_t low = std::max(start, word.address) - start, high = std::min(start + size, word.address + kWord) - start;
        std::vector<Part> parts;
        add_parts(parts, name, *value.type, *value.address, low, high, 0);
        std::vector<std::string> names, contents;
        for (const Part& part : parts) {
            names.push_back(names.empty() || !part.name.starts_with(name) ? part.name : part.name.substr(name.size()));
            contents.push_back(part.content);
        }
        std::string all_names = join_with(names, "and"), content = fmt::format("{}", fmt::join(contents, ", "));
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

    struct Part {
        std::string name, content;
    };

    // Bytes `low` to `high` of a value: which members or elements they are, as far down as it takes for each to be whole or a text.
    void add_parts(std::vector<Part>& parts, const std::string& name, const Type& whole, RunAddress at, std::uint64_t low, std::uint64_t high, int depth) {
        constexpr int kDeepest = 8;
        const Type& type = plain(whole);
        bool is_text = type.kind == TypeKind::array && is_character(plain(target_of(type)));
        bool has_parts = type.kind == TypeKind::array || type.kind == TypeKind::structure;
        if ((low == 0 && high == type.size && !has_parts) || depth > kDeepest) {
            Value value = value_in_memory(whole, at);
            parts.push_back({name, one_line(make_view(ValueReader(target_), "", value, Form::natural, moment_.view_limits()), 60)});
            return;
        }
        if (is_text) {
            std::vector<std::byte> bytes(high - low);
            bytes.resize(target_.read_available(at + low, bytes));
            bool is_empty = std::all_of(bytes.begin(), bytes.end(), [](std::byte each) { return each == std::byte{}; });
            std::string content = character_array_text(bytes);
            constexpr std::string_view kRemark = " (no terminator)";
            if (content.ends_with(kRemark)) content.resize(content.size() - kRemark.size());  // it may stand further on
            parts.push_back({high - low == 1 ? fmt::format("{}[{}]", name, low) : fmt::format("{}[{} to {}]", name, low, high - 1), is_empty ? "zero" : content});
            return;
        }
        std::uint64_t unit = type.kind == TypeKind::array ? plain(target_of(type)).size : 0;
        for (std::uint64_t index = unit ? low / unit : 0; unit && index * unit < high; ++index)
            add_parts(parts, fmt::format("{}[{}]", name, index), target_of(type), at + index * unit, std::max(low, index * unit) - index * unit, std::min(high, (index + 1) * unit) - index * unit, depth + 1);
        if (unit) return;
        std::size_t before = parts.size();
        if (type.kind == TypeKind::structure)
            for (const Member& member : type.members()) {
                std::uint64_t size = member.type ? plain(*member.type).size : 0;
                if (!size || member.offset >= high || member.offset + size <= low || member.is_virtual_base) continue;
                std::string full = member.is_base_class || member.name.empty() ? name : name + "." + member.name;
                add_parts(parts, full, *member.type, at + member.offset, std::max(low, member.offset) - member.offset, std::min(high, member.offset + size) - member.offset, depth + 1);
            }
        if (parts.size() > before) return;
        std::uint64_t word = 0;
        target_.read_available(at + low, std::as_writable_bytes(std::span(&word, 1)).first(std::min<std::uint64_t>(kWord, high - low)));
        bool is_padding = type.kind == TypeKind::structure;
        parts.push_back({is_padding ? name + " padding" : fmt::format("{} bytes {} to {}", name, low, high - 1), word ? fmt::format("{:#x}", word) : "zero"});
    }

    // ---- canary and the rest

    void name_canary(std::vector<std::string>& damage) {
        std::uint64_t canary = 0;
        RunAddress kept(frame_.registers.thread_base + c_library::kCanaryAt);
        if (!frame_.registers.thread_base || target_.read_available(kept, std::as_writable_bytes(std::span(&canary, 1))) != sizeof canary || !canary) return;
        auto found = frame_.function && frame_.module ? canary_of(FlowGraph(frame_.module->symbols(), *frame_.function), frame_) : std::nullopt;
        if (StackWord* word = found ? word_at(found->slot) : nullptr) {
            word->kind = WordKind::canary;
            word->name = "canary";
            bool intact = word->value == canary;
            word->content = intact ? "intact" : found->is_stored ? text_of_word(word->value) : "not stored yet";
            if (intact || !found->is_stored) return;
            word->warning = "it has been overwritten: something ran over the end of a variable";
            damage.push_back(fmt::format("the canary of frame {}, {}, has been overwritten: something ran over the end of a variable", frame_.level, made_.function));
            return;
        }
        for (StackWord& word : made_.words)
            if (word.value == canary && word.kind == WordKind::nameless) {
                word.kind = WordKind::canary;
                word.name = "canary";
                word.content = "intact";
            }
    }

    // Words without a name that the function's code stores to, where the base of the operand is what it is now: the rules for the
    // call frame address are the same at both instructions.
    void name_spills() {
        auto now = row();
        if (!now || !frame_.function || now->row.cfa_is_expression || made_.words.empty()) return;
        for (const FileRange& range : frame_.function->ranges) {
            std::vector<std::byte> code(std::min<std::uint64_t>(range.size(), kMostCode));
            RunAddress begin = frame_.module->to_run(range.low);
            code.resize(target_.read_available(begin, code));
            for (std::size_t at = 0; at < code.size();) {
                auto instruction = decode_instruction(ByteSpan(code).subspan(at, std::min<std::size_t>(kLongestInstruction, code.size() - at)), begin + at);
                if (!instruction) break;
                for (const MemoryOperand& operand : instruction->memory) name_spill(operand, range.low + at, now->row);
                at += instruction->length;
            }
        }
    }

    void name_spill(const MemoryOperand& operand, FileAddress at, const dwarf::FrameRow& now) {
        bool is_plain = operand.writes && !operand.index && operand.base && (*operand.base == kStackPointerNumber || *operand.base == kFramePointerNumber);
        auto base = is_plain ? frame_.registers.get(*operand.base) : std::nullopt;
        if (!base) return;
        StackWord* word = word_at(RunAddress((*base + static_cast<std::uint64_t>(operand.displacement)) & ~(kWord - 1)));
        if (!word || word->kind != WordKind::nameless) return;
        auto description = frame_.module->symbols().frame_description(at);
        auto then = description ? frame_row_at(*description, at) : std::nullopt;
        bool same = then && !then->cfa_is_expression && then->cfa_register == now.cfa_register && then->cfa_offset == now.cfa_offset;
        if (!same) return;
        word->kind = WordKind::spill;
        word->name = fmt::format("kept at {}+{:#x}", made_.function, at - frame_.function->low());
    }

    std::string pointed_at(std::uint64_t value) {
        std::string note = address_note(moment_, RunAddress(value)), text = text_at_address(moment_, RunAddress(value));
        return text.empty() ? note : note.empty() ? text : note + ": " + text;
    }

    void describe_rest() {
        for (StackWord& word : made_.words) {
            if (word.kind != WordKind::nameless && word.kind != WordKind::red_zone && word.kind != WordKind::spill) continue;
            std::string note = pointed_at(word.value);
            bool is_address = !note.empty() && word.kind == WordKind::nameless;
            if (is_address) word.kind = WordKind::leftover;
            word.content = !note.empty() ? note : word.value < 1 << 20 ? std::to_string(word.value) : text_of_word(word.value);
        }
    }

    const Moment& moment_;
    Target& target_;
    const Frame& frame_;
    std::vector<const Frame*> inner_;
    const Frame* caller_;
    RunAddress begin_, end_;
    std::vector<std::uint64_t> words_;
    std::size_t readable_ = 0;
    StackFrameWords made_;
};

}  // namespace

std::string_view word_of(WordKind kind) {
    static constexpr std::string_view kWords[] = {"return address", "saved register", "variable", "canary", "parameter", "red zone", "leftover", "spill", "nameless", "unreadable"};
    return kWords[static_cast<std::size_t>(kind)];
}

WordsReport report_words(const Moment& moment, const WordsQuery& query) {
    Unwinder& stack = moment.stack();
    const Frame* frame = moment.selected_frame();
    if (!frame) throw RequestError("no frame is selected");
    WordsReport report;
    report.thread = moment.thread();
    // Inlined calls lie in the frame of the function that holds them: from its innermost part on.
    unsigned level = frame->level;
    while (level > 0 && stack.frame(level)->origin == FrameOrigin::inlined) --level;
    for (unsigned count = 0; count <= query.callers; ++count) {
        std::vector<const Frame*> inner;
        const Frame* physical = stack.frame(level);
        if (!physical) break;
        inner.push_back(physical);
        while (const Frame* next = stack.frame(level + 1)) {
            if (next->origin != FrameOrigin::inlined) break;
            inner.push_back(next);
            physical = next;
            ++level;
        }
        const Frame* caller = stack.frame(level + 1);
        report.frames.push_back(FrameWords(moment, *physical, std::move(inner), caller, query).make(report.damage, report.is_cut));
        ++level;
    }
    if (!stack.why_it_ended().empty() && report.damage.empty()) report.damage.push_back(stack.why_it_ended());
    return report;
}

}  // namespace lantern
