#include "core/analysis/diagnosis.h"

#include <fmt/format.h>
#include <signal.h>

#include <algorithm>

#include "core/analysis/address_note.h"
#include "core/analysis/faulting_operand.h"
#include "core/analysis/signal_sentence.h"
#include "core/analysis/source_report.h"
#include "core/analysis/threads_report.h"
#include "core/expressions/evaluator.h"
#include "core/heap/heap.h"
#include "core/machine/instruction.h"
#include "core/session/signal_rules.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/unwind/call_before.h"

namespace lantern {
namespace {

constexpr unsigned kFramesShown = 8, kFramesLookedAt = 64;
constexpr std::size_t kThreadsShown = 8;

// The value in the statement that made it fail.
struct Culprit {
    enum class Role { pointer, index, divisor, called } role = Role::pointer;
    unsigned level = 0;                      // of the frame
    std::optional<unsigned> dwarf_register;  // it is in
    MemoryAccess memory;                     // else read from there
    std::uint64_t value = 0;
};

bool can_be_an_address(std::uint64_t number) {
    return number >> 47 == 0;
}

class Search {
  public:
    Search(const Moment& moment, const Stop& stop)
        : moment_(moment),
          target_(moment.target()),
          stop_(stop),
          registers_(target_.registers(stop.thread)) {}

    std::optional<Culprit> culprit() {
        bool is_of_memory = stop_.signal == SIGSEGV || stop_.signal == SIGBUS;
        if (!stop_.is_fault || (!is_of_memory && stop_.signal != SIGFPE)) return std::nullopt;
        RunAddress at = registers_.program_counter();
        if (is_of_memory && !is_code(at)) return called_at_caller();
        if (!read_instruction(at)) return std::nullopt;
        if (stop_.signal == SIGFPE) return divisor();
        bool is_call = instruction_->kind == Instruction::Kind::call ||
                       instruction_->kind == Instruction::Kind::jump;
        if (is_call && !instruction_->target && stop_.fault_address.value == 0)
            return with_target(0);
        return pointer_or_index();
    }

  private:
    bool is_code(RunAddress at) {
        const MemoryRegion* region = target_.region_at(at);
        return region && region->permissions.size() > 2 && region->permissions[2] == 'x';
    }

    bool read_instruction(RunAddress at) {
        std::byte bytes[kLongestInstruction];
        ByteSpan code(bytes, target_.read_available(at, bytes));
        instruction_ = decode_instruction(code, at);
        if (instruction_) effects_ = effects_of(code.first(instruction_->length));
        return effects_.has_value();
    }

    std::uint64_t gs_base() { return target_.system_registers(stop_.thread).gs_base; }

    // It was called through a pointer, and there is no code.
    std::optional<Culprit> called_at_caller() {
        std::uint64_t word = 0;
        RunAddress top = registers_.stack_pointer();
        if (target_.read_available(top, std::as_writable_bytes(std::span(&word, 1))) != sizeof word)
            return std::nullopt;
        auto call = call_before(target_, RunAddress(word));
        if (!call || !read_instruction(RunAddress(word) - call->length)) return std::nullopt;
        return with_target(1);
    }

    // The register or memory that a computed call or jump takes its target from.
    std::optional<Culprit> with_target(unsigned level) {
        Culprit culprit;
        culprit.role = Culprit::Role::called;
        culprit.level = level;
        culprit.value = level ? registers_.program_counter().value : 0;
        for (const MemoryAccess& access : effects_->memory)
            if (access.reads && !access.is_implied) {
                culprit.memory = access;
                if (level == 0) culprit.value = read_by(access).value_or(0);
                return culprit;
            }
        for (const RegisterUse& use : effects_->registers)
            if (use.reads && !use.is_implied) {
                culprit.dwarf_register = use.dwarf_number;
                if (level == 0) culprit.value = registers_.get(use.dwarf_number).value_or(0);
                return culprit;
            }
        return std::nullopt;
    }

    std::optional<std::uint64_t> read_by(const MemoryAccess& access) {
        auto address = accessed_address(access, registers_, instruction_->next(), gs_base());
        std::uint64_t word = 0;
        if (!address) return std::nullopt;
        auto bytes = std::as_writable_bytes(std::span(&word, 1)).first(std::min(access.size, 8u));
        if (target_.read_available(RunAddress(*address), bytes) != bytes.size())
            return std::nullopt;
        return word;
    }

    std::optional<Culprit> divisor() {
        if (!effects_->divides) return std::nullopt;
        Culprit culprit;
        culprit.role = Culprit::Role::divisor;
        for (const MemoryAccess& access : effects_->memory)
            if (access.reads && !access.is_implied) {
                culprit.memory = access;
                culprit.value = read_by(access).value_or(0);
                return culprit;
            }
        for (const RegisterUse& use : effects_->registers)
            if (use.reads && !use.is_implied) {
                culprit.dwarf_register = use.dwarf_number;
                std::uint64_t whole = registers_.get(use.dwarf_number).value_or(0);
                culprit.value =
                    use.size < 8 ? whole & ((std::uint64_t{1} << (8 * use.size)) - 1) : whole;
                return culprit;
            }
        return std::nullopt;
    }

    std::optional<Culprit> pointer_or_index() {
        const MemoryAccess* access = nullptr;
        if (stop_.fault_address.value == 0 && stop_.origin.code == SI_KERNEL) {
            // The processor does not say the address: it is the one that can be none.
            for (const MemoryAccess& each : effects_->memory) {
                auto address = accessed_address(each, registers_, instruction_->next(), gs_base());
                if (address && !can_be_an_address(*address)) access = &each;
            }
        } else {
            access = operand_at(*effects_, registers_, instruction_->next(), gs_base(),
                                stop_.fault_address);
        }
        bool is_usual = access && access->segment == MemoryAccess::Segment::none &&
                        !access->has_other_registers;
        if (!is_usual) return std::nullopt;
        auto held = [&](std::optional<unsigned> number) {
            return number ? registers_.get(*number) : std::nullopt;
        };
        auto base = held(access->base), index = held(access->index);
        bool is_of_frame =
            access->base == kStackPointerNumber || access->base == kProgramCounterNumber ||
            (access->base == kFramePointerNumber && base &&
             target_.region_at(RunAddress(*base)) == target_.region_at(registers_.stack_pointer()));
        bool leads_somewhere = base && target_.region_at(RunAddress(*base));
        Culprit culprit;
        if (index && (is_of_frame || leads_somewhere || !base)) {
            culprit.role = Culprit::Role::index;
            culprit.dwarf_register = access->index;
            culprit.value = *index;
            return culprit;
        }
        if (!base || is_of_frame) return std::nullopt;
        culprit.dwarf_register = access->base;
        culprit.value = *base;
        return culprit;
    }

    const Moment& moment_;
    Target& target_;
    const Stop& stop_;
    const Registers& registers_;
    std::optional<Instruction> instruction_;
    std::optional<Effects> effects_;
};

std::string number_words(const ValueOrigin& origin, std::uint64_t value, bool is_address) {
    if (is_address) {
        std::string text = text_of_word(value);
        return text.empty() ? fmt::format("{:#x}", value)
                            : fmt::format("{:#x}, which is the text {}", value, text);
    }
    bool is_signed = !origin.type || plain(*origin.type).is_signed;
    return is_signed ? fmt::format("{}", static_cast<std::int64_t>(value))
                     : fmt::format("{}", value);
}

std::string what_is_wrong(const Moment& moment, const Culprit& culprit, const ValueOrigin& origin) {
    switch (culprit.role) {
        case Culprit::Role::divisor:
            return culprit.value == 0 ? "is 0, and it is divided by that"
                                      : "is -1, and the result does not fit";
        case Culprit::Role::index:
            return fmt::format("is {}, and that is used as an index",
                               number_words(origin, culprit.value, false));
        case Culprit::Role::called:
            return culprit.value == 0 ? "is null, and it is called"
                                      : fmt::format("is {}, where no code is, and it is called",
                                                    number_words(origin, culprit.value, true));
        case Culprit::Role::pointer: break;
    }
    if (culprit.value == 0) return "is null";
    std::string words = "is " + number_words(origin, culprit.value, true);
    if (!can_be_an_address(culprit.value)) return words + ", and that can be no address";
    if (!moment.target().region_at(RunAddress(culprit.value)))
        return words + ", where nothing is mapped";
    return words;
}

// "barge" of "barge->next": the pointer through which a part was reached.
std::string holder_of(const std::string& name) {
    std::size_t arrow = name.rfind("->");
    return arrow == std::string::npos ? "" : name.substr(0, arrow);
}

// A value that was read from a block that is not in use any more is not what was meant.
void add_freed_holder(const Moment& moment, unsigned level, const std::string& name,
                      std::vector<OriginLink>& links) {
    std::string holder = holder_of(name);
    const Frame* frame = holder.empty() ? nullptr : moment.stack().frame(level);
    if (!frame) return;
    EvaluationContext context = moment.context();
    context.frame = frame;
    context.call = {};
    try {
        RunAddress address = ValueReader(moment.target()).pointed_at(evaluate(holder, context));
        std::string note = moment.surroundings().describe(address);
        bool is_gone = note.find("freed heap block") != std::string::npos ||
                       note.find("free heap block") != std::string::npos;
        if (!is_gone) return;
        OriginLink link;
        link.text = fmt::format("{} leads to a block that has been freed ({})", holder, note);
        links.insert(links.begin(), std::move(link));
    } catch (const Error&) {  // it has no value here
    }
}

void fill_cause(const Moment& moment, const Stop& stop, Diagnosis& diagnosis) {
    auto culprit = Search(moment, stop).culprit();
    if (!culprit) return;
    ValueOrigin origin =
        culprit->dwarf_register
            ? origin_of_register(moment, culprit->level, *culprit->dwarf_register, culprit->value)
            : origin_of_memory(moment, culprit->level, culprit->memory, culprit->value);
    diagnosis.part = origin.name;
    diagnosis.part_is = what_is_wrong(moment, *culprit, origin);
    if (!origin.name.empty() && !origin.name_is_checked) {
        diagnosis.part_certainty = Certainty::likely;
        diagnosis.part_because =
            "by the code; what it holds now is something else or not to be had";
    }
    diagnosis.origin = std::move(origin.links);
    diagnosis.origin_end = std::move(origin.end);
    add_freed_holder(moment, culprit->level, diagnosis.part, diagnosis.origin);
    bool leads_on = culprit->role == Culprit::Role::pointer && can_be_an_address(culprit->value) &&
                    moment.target().region_at(RunAddress(culprit->value));
    if (leads_on) diagnosis.at_address = address_note(moment, RunAddress(culprit->value));
}

// What the C library said before it gave up: it keeps that for whoever looks at a core.
std::string last_words(Target& target) {
    constexpr std::size_t kMost = 400;
    for (const Module& module : target.modules()) {
        const ElfSymbol* symbol = module.symbols().symbol_table().named("__abort_msg");
        if (!symbol) continue;
        try {
            auto message = target.read<std::uint64_t>(module.to_run(symbol->address));
            if (!message) return {};
            ValueReader::Text text = ValueReader(target).text_at(RunAddress(message + 4), kMost);
            return std::string(trimmed(text.bytes));
        } catch (const Error&) {
            return {};
        }
    }
    return {};
}

std::string damage_of_heap(Target& target) {
    auto heap = read_small_heap(target);
    if (!heap || heap->damage.empty()) return {};
    const HeapDamage& first = heap->damage.front();
    std::string before = first.before
                             ? fmt::format("; before it lies the block of {} bytes at {:#x}",
                                           first.before->size(), first.before->address)
                             : "";
    return first.what + before;
}

bool is_of_user(const Moment& moment, const Frame& frame) {
    return frame.line && frame.module && !moment.libraries().is_library(*frame.module) &&
           !moment.libraries().is_library_source(frame.line->file);
}

void fill_place(const Moment& moment, Diagnosis& diagnosis) {
    Unwinder& stack = moment.stack();
    const Frame* own = nullptr;
    for (unsigned level = 0; level < kFramesLookedAt && !own; ++level) {
        const Frame* frame = stack.frame(level);
        if (!frame) break;
        if (is_of_user(moment, *frame)) own = frame;
    }
    if (!own) own = stack.frame(0);
    if (!own) return;
    diagnosis.level = own->level;
    diagnosis.function = frame_function_name(*own);
    if (!own->line) return;
    diagnosis.file = own->line->file;
    diagnosis.line = own->line->line;
    SourceReport source = report_source(moment, diagnosis.file, diagnosis.line, diagnosis.line);
    if (!source.rows.empty()) diagnosis.statement = std::string(trimmed(source.rows[0].text));
}

void fill_stack(const Moment& moment, Diagnosis& diagnosis) {
    Unwinder& stack = moment.stack();
    for (unsigned level = 0; level < kFramesLookedAt; ++level) {
        const Frame* frame = stack.frame(level);
        if (!frame) break;
        if (level >= kFramesShown + diagnosis.level) {
            ++diagnosis.more_frames;
            continue;
        }
        diagnosis.stack.push_back({level, frame_function_name(*frame),
                                   frame->line ? frame->line->file : "",
                                   frame->line ? frame->line->line : 0});
    }
}

void fill_threads(const Moment& moment, Diagnosis& diagnosis) {
    ThreadsReport threads = report_threads(moment);
    diagnosis.threads_warning = threads.warning;
    for (const ThreadRow& row : threads.rows) {
        if (row.is_selected || diagnosis.threads.size() >= kThreadsShown) continue;
        diagnosis.threads.push_back(
            {row.number, row.name, row.function, row.file, row.waits_for, row.line});
    }
}

}  // namespace

Diagnosis diagnose(const Moment& moment) {
    moment.stack();  // throws where there is none
    const Stop& stop = moment.stop();
    Diagnosis diagnosis;
    diagnosis.thread = moment.thread_number();
    diagnosis.facts = stop.facts;
    bool is_signal =
        stop.signal != 0 && (stop.reason == StopReason::signal || stop.reason == StopReason::kept);
    diagnosis.has_failed = is_signal;
    if (is_signal) {
        diagnosis.headline = signal_name(stop.signal);
        diagnosis.what = signal_sentence(moment, stop);
        if (stop.signal == SIGABRT) diagnosis.said = last_words(moment.target());
    } else {
        diagnosis.what = "nothing has failed here: it stands where it was stopped";
    }
    fill_place(moment, diagnosis);
    if (is_signal && stop.thread == moment.thread()) fill_cause(moment, stop, diagnosis);
    diagnosis.heap = damage_of_heap(moment.target());
    fill_stack(moment, diagnosis);
    fill_threads(moment, diagnosis);
    return diagnosis;
}

}  // namespace lantern
