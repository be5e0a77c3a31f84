#include "core/analysis/diagnosis.h"

#include <fmt/format.h>
#include <signal.h>

#include <algorithm>

#include "core/analysis/address_note.h"
#include "core/analysis/culprit.h"
#include "core/analysis/process_oddities.h"
#include "core/analysis/recursion.h"
#include "core/analysis/ruined_return.h"
#include "core/analysis/shared_data.h"
#include "core/analysis/signal_sentence.h"
#include "core/analysis/source_report.h"
#include "core/analysis/stack_fault.h"
#include "core/analysis/threads_report.h"
#include "core/expressions/evaluator.h"
#include "core/heap/heap.h"
#include "core/session/signal_rules.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern {
namespace {

constexpr unsigned kFramesShown = 8, kFramesLookedAt = 64;
constexpr std::size_t kThreadsShown = 8;

std::string number_words(const ValueOrigin& origin, std::uint64_t value, bool is_address) {
    if (is_address) {
        // Fewer letters than a word has are as likely an address.
        std::string text = can_be_an_address(value) ? "" : text_of_word(value);
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
            return fmt::format("is {}, and that is used as an index{}",
                               number_words(origin, culprit.value, false),
                               origin.index_of.empty() ? "" : " of " + origin.index_of);
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
    constexpr std::string_view kTable = "the table of virtual functions of ";
    if (name.starts_with(kTable)) return name.substr(kTable.size());
    std::size_t arrow = name.rfind("->");
    return arrow == std::string::npos ? "" : name.substr(0, arrow);
}

// A free block may have been freed, or be what was left of a larger one.
std::string leads_to_unused(const std::string& note) {
    bool was_freed = note.find("freed heap block") != std::string::npos;
    return fmt::format("leads to a block that {} ({})", was_freed ? "has been freed" : "is free",
                       note);
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
        link.text = fmt::format("{} {}", holder, leads_to_unused(note));
        links.insert(links.begin(), std::move(link));
    } catch (const Error&) {  // it has no value here
    }
}

void fill_cause(const Moment& moment, const Stop& stop, Diagnosis& diagnosis) {
    auto culprit = culprit_of(moment, stop);
    if (!culprit) return;
    if (culprit->is_folded) {
        diagnosis.part_is = "is null, and the compiler knew that: it kept nothing but the access";
        return;
    }
    ValueOrigin origin =
        culprit->dwarf_register
            ? origin_of_register(moment, culprit->level, *culprit->dwarf_register, culprit->value)
            : origin_of_memory(moment, culprit->level, culprit->memory, culprit->value);
    if (!origin.index_of.empty()) {
        culprit->role = Culprit::Role::index;
        culprit->value = origin.value;
    }
    diagnosis.part = origin.name;
    // What failed is a library's: of the user's own line it is what was passed.
    const Frame *failed = moment.stack().frame(culprit->level),
                *own = moment.stack().frame(diagnosis.level);
    bool is_librarys = culprit->level < diagnosis.level && failed && own &&
                       failed->call_frame_address != own->call_frame_address;
    if (is_librarys) {
        diagnosis.part.clear();
        for (const OriginLink& link : origin.links)
            if (diagnosis.part.empty() && link.level >= diagnosis.level) diagnosis.part = link.name;
        origin.name_is_checked = true;
    }
    diagnosis.part_level = is_librarys ? diagnosis.level : culprit->level;
    diagnosis.part_is = what_is_wrong(moment, *culprit, origin);
    if (!diagnosis.part.empty() && !origin.name_is_checked) {
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

// What was overwritten on the way out of a function, and what lies in front of it.
void fill_ruined_return(const RuinedReturn& ruined, const Frame* frame, Diagnosis& diagnosis) {
    diagnosis.part = ruined.is_canary          ? "the canary of " + ruined.function
                     : ruined.function.empty() ? "the return address"
                                               : "the return address of " + ruined.function;
    std::string text = text_of_word(ruined.value);
    diagnosis.part_is = fmt::format("is overwritten with {}",
                                    text.empty() ? fmt::format("{:#x}", ruined.value)
                                                 : "the text " + text);
    diagnosis.part_at = ruined.slot.value;
    diagnosis.part_level = ruined.level;
    if (ruined.array.empty()) {
        diagnosis.origin_end = "no array of the function lies in front of it";
        return;
    }
    constexpr std::size_t kShown = 40;
    OriginLink link;
    link.level = ruined.level;
    if (ruined.text.empty()) {
        link.certainty = Certainty::guess;
        link.because = "it is the nearest array in front of it";
        link.text = fmt::format("{} ({}) was run over", ruined.array,
                                counted(ruined.array_size, "byte"));
    } else {
        link.certainty = Certainty::likely;
        link.because = "the text that begins in it goes on to there";
        link.text = fmt::format("{} ({}) was run over with a text of {}: \"{}{}\"", ruined.array,
                                counted(ruined.array_size, "byte"),
                                counted(ruined.text.size(), "byte"), ruined.text.substr(0, kShown),
                                ruined.text.size() > kShown ? "…" : "");
    }
    if (frame && frame->line) {
        link.function = ruined.function;
        link.file = frame->line->file;
        link.line = frame->line->line;
    }
    diagnosis.origin.push_back(std::move(link));
}

void fill_recursion(const Moment& moment, const Stop& stop, Diagnosis& diagnosis) {
    if (stack_fault_cause(moment, stop.thread, stop.fault_address, true).empty()) return;
    auto recursion = recursion_of(moment.target(), moment.stack(), stop.thread);
    if (!recursion) return;
    std::string turns = recursion->turns
                            ? fmt::format(" about {} times", with_thousands(recursion->turns))
                            : "";
    const auto& functions = recursion->functions;
    diagnosis.facts.push_back(
        {"turns", functions.size() == 1
                      ? fmt::format("{} has called itself{}", functions.front(), turns)
                      : fmt::format("{} and so on{}", fmt::join(functions, ", then "), turns)});
    for (const std::string& argument : recursion->arguments)
        diagnosis.facts.push_back({"", argument});
}

// The object that the part is a member of, or that it leads to.
std::optional<RunRange> object_of_part(const Moment& moment, const Diagnosis& diagnosis) {
    std::string holder = holder_of(diagnosis.part);
    const Frame* frame = moment.stack().frame(diagnosis.part_level);
    if (!frame || diagnosis.part.empty() || diagnosis.part_at) return std::nullopt;
    EvaluationContext context = moment.context();
    context.frame = frame;
    context.call = {};
    try {
        Value value = evaluate(holder.empty() ? diagnosis.part : holder, context);
        RunAddress at = ValueReader(moment.target()).pointed_at(value);
        if (!moment.target().region_at(at)) return std::nullopt;
        auto heap = read_small_heap(moment.target());
        const HeapBlock* block = heap ? heap->block_at(at) : nullptr;
        if (block) return RunRange{RunAddress(block->address), RunAddress(block->end())};
        return RunRange{at, at + std::max<std::uint64_t>(plain(target_of(plain(*value.type))).size, 1)};
    } catch (const Error&) {  // it is no pointer, or has no value
        return std::nullopt;
    }
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

// Whether a pointer of that value can be meant: null, nowhere, or a block that has been freed.
std::string what_is_wrong_with(const Moment& moment, std::uint64_t value) {
    if (value == 0) return "is null";
    if (!can_be_an_address(value)) return fmt::format("is {:#x}, which can be no address", value);
    if (!moment.target().region_at(RunAddress(value)))
        return fmt::format("is {:#x}, where nothing is mapped", value);
    std::string note = moment.surroundings().describe(RunAddress(value));
    bool is_gone = note.starts_with("freed heap block") || note.starts_with("free heap block");
    return is_gone ? leads_to_unused(note) : "";
}

// The pointers that the statement follows, in its order: of `a->b->c` first a, then a->b.
std::vector<std::string> pointers_followed_in(const std::string& statement) {
    std::vector<std::string> found;
    for (std::size_t at = 0; (at = statement.find("->", at)) != std::string::npos; at += 2) {
        std::size_t begin = at;
        auto is_of_name = [&](std::size_t i) {
            char c = statement[i];
            bool is_arrow = (c == '>' && i > 0 && statement[i - 1] == '-') ||
                            (c == '-' && i + 1 < statement.size() && statement[i + 1] == '>');
            return std::isalnum(static_cast<unsigned char>(c)) || c == '_' || c == '.' || is_arrow;
        };
        while (begin > 0 && is_of_name(begin - 1)) --begin;
        std::string name = statement.substr(begin, at - begin);
        if (!name.empty() && !std::isdigit(static_cast<unsigned char>(name[0])))
            found.push_back(name);
    }
    return found;
}

// Where the code did not lead back to a name: a pointer of the statement that cannot be right.
void look_for_suspect(const Moment& moment, Diagnosis& diagnosis) {
    const Frame* frame = moment.stack().frame(diagnosis.level);
    if (!frame || diagnosis.statement.empty()) return;
    EvaluationContext context = moment.context();
    context.frame = frame;
    context.call = {};
    for (const std::string& name : pointers_followed_in(diagnosis.statement)) {
        try {
            Value value = evaluate(name, context);
            if (plain(*value.type).kind != TypeKind::pointer) continue;
            std::string wrong =
                what_is_wrong_with(moment, ValueReader(moment.target()).integer(value));
            if (wrong.empty()) continue;
            diagnosis.part = name;
            diagnosis.part_level = diagnosis.level;
            diagnosis.part_is = wrong;
            diagnosis.part_certainty = Certainty::likely;
            diagnosis.part_because = "the statement follows it";
            diagnosis.origin.clear();
            diagnosis.origin_end.clear();
            return;
        } catch (const Error&) {  // it has no value here
        }
    }
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
    // An inlined call of which the compiler kept no line is told by its name.
    const Frame* failed = own->level ? stack.frame(0) : nullptr;
    if (failed && failed->is_inlined() && failed->module == own->module &&
        failed->call_frame_address == own->call_frame_address)
        diagnosis.function =
            fmt::format("{}, inlined in {}", frame_function_name(*failed), diagnosis.function);
    if (!own->line) return;
    diagnosis.file = own->line->file;
    diagnosis.line = own->line->line;
    SourceReport source = report_source(moment, diagnosis.file, diagnosis.line, diagnosis.line);
    if (!source.rows.empty()) diagnosis.statement = std::string(trimmed(source.rows[0].text));
}

void fill_stack(const Moment& moment, Diagnosis& diagnosis) {
    Unwinder& stack = moment.stack();
    unsigned last = diagnosis.level;  // of the user's own frames
    for (unsigned level = 0; level < kFramesLookedAt; ++level)
        if (const Frame* frame = stack.frame(level); frame && is_of_user(moment, *frame))
            last = level;
    for (unsigned level = 0; level <= last; ++level) {
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

DiagnosisThread thread_of(const ThreadRow& row) {
    return {row.number, row.name, row.function, row.file, row.state, row.waits_for, {}, row.line};
}

// Those that have the same object in hand come first.
void fill_threads(const Moment& moment, const ThreadsReport& threads, Diagnosis& diagnosis) {
    diagnosis.threads_warning = threads.warning;
    if (threads.rows.size() < 2) return;
    auto object = object_of_part(moment, diagnosis);
    std::vector<DiagnosisThread> others;
    for (const ThreadRow& row : threads.rows) {
        if (row.is_selected) continue;
        others.push_back(thread_of(row));
        if (object) others.back().shares = holder_in_thread(moment, row.id, *object);
    }
    std::ranges::stable_sort(others, {},
                             [](const DiagnosisThread& each) { return each.shares.empty(); });
    diagnosis.more_threads = others.size() - std::min(others.size(), kThreadsShown);
    others.resize(std::min(others.size(), kThreadsShown));
    diagnosis.threads = std::move(others);
}

void fill_surroundings(const Moment& moment, Diagnosis& diagnosis) {
    constexpr std::size_t kFilesShown = 12;
    diagnosis.oddities = process_oddities(moment);
    diagnosis.signals = signal_words(moment);
    if (moment.target().is_kept()) return;
    diagnosis.files = open_files_of(moment.target().id());
    diagnosis.more_files = diagnosis.files.size() - std::min(diagnosis.files.size(), kFilesShown);
    diagnosis.files.resize(diagnosis.files.size() - diagnosis.more_files);
}

Diagnosis begun(const Moment& moment) {
    Diagnosis diagnosis;
    std::string path = moment.target().modules().front().path();
    diagnosis.program = path.substr(path.rfind('/') + 1);
    diagnosis.thread = moment.thread_number();
    return diagnosis;
}

}  // namespace

Diagnosis diagnose(const Moment& moment) {
    moment.stack();  // throws where there is none
    const Stop& stop = moment.stop();
    Diagnosis diagnosis = begun(moment);
    diagnosis.facts = stop.facts;
    bool is_signal =
        stop.signal != 0 && (stop.reason == StopReason::signal || stop.reason == StopReason::kept);
    diagnosis.has_failed = is_signal;
    if (is_signal) {
        diagnosis.headline = signal_name(stop.signal);
        diagnosis.what = signal_sentence(moment, stop);
    } else if (stop.reason == StopReason::event && stop.cause == Cause::panic) {
        diagnosis.has_failed = true;
        diagnosis.headline = "panic";
        diagnosis.what = "the program panics: it has come upon what its code rules out";
    } else {
        diagnosis.what = "nothing has failed here: it stands where it was stopped";
    }
    fill_place(moment, diagnosis);
    bool is_own_signal = is_signal && stop.thread == moment.thread();
    if (auto ruined = is_own_signal ? ruined_return_of(moment, stop) : std::nullopt)
        fill_ruined_return(*ruined, moment.stack().frame(ruined->level), diagnosis);
    else if (is_own_signal)
        fill_cause(moment, stop, diagnosis);
    if (is_own_signal && stop.is_fault) fill_recursion(moment, stop, diagnosis);
    if (is_signal && stop.is_fault && diagnosis.part.empty()) look_for_suspect(moment, diagnosis);
    diagnosis.heap = damage_of_heap(moment.target());
    fill_stack(moment, diagnosis);
    fill_threads(moment, report_threads(moment), diagnosis);
    fill_surroundings(moment, diagnosis);
    return diagnosis;
}

Diagnosis diagnose_hang(const Moment& moment, const HangSamples& samples, double seconds) {
    Diagnosis diagnosis = begun(moment);
    diagnosis.has_failed = true;
    diagnosis.headline = "hang";
    diagnosis.what = fmt::format("it still runs after {:g} s", seconds);
    fill_place(moment, diagnosis);
    fill_stack(moment, diagnosis);
    ThreadsReport threads = report_threads(moment);
    for (const ThreadRow& row : threads.rows) {
        if (!row.is_selected) continue;
        std::string waits = row.waits_for.empty() ? "" : ", waits for " + row.waits_for;
        if (!row.state.empty()) diagnosis.what += ": " + row.state + waits;
    }
    fill_threads(moment, threads, diagnosis);
    fill_surroundings(moment, diagnosis);
    diagnosis.loops = samples.loops();
    return diagnosis;
}

}  // namespace lantern
