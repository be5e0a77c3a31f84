// How it goes on: what was overwritten on the stack, or that it is full, comes first; then the
// operand of the instruction, led back to a name by the code; then the places that the statement
// names, of which one lies where it failed; then, of a library that failed, what was passed to it.
#include "core/analysis/diagnosis_cause.h"

#include <fmt/format.h>
#include <signal.h>

#include "core/analysis/address_note.h"
#include "core/analysis/culprit.h"
#include "core/analysis/recursion.h"
#include "core/analysis/ruined_return.h"
#include "core/analysis/source_assignment.h"
#include "core/analysis/stack_fault.h"
#include "core/analysis/statement_parts.h"
#include "core/expressions/evaluator.h"
#include "core/heap/heap.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern {
namespace {

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
    if (culprit.alignment)
        return fmt::format("is {:#x}, which is no multiple of {}", culprit.value,
                           culprit.alignment);
    if (culprit.value < kNearNull && !moment.target().region_at(RunAddress(culprit.value)))
        return fmt::format("is {:#x}, next to null, where nothing is mapped", culprit.value);
    std::string words = "is " + number_words(origin, culprit.value, true);
    if (!can_be_an_address(culprit.value)) return words + ", and that can be no address";
    if (!moment.target().region_at(RunAddress(culprit.value)))
        return words + ", where nothing is mapped";
    return words;
}

// A free block may have been freed, or be what was left of a larger one.
std::string leads_to_unused(const std::string& note) {
    bool was_freed = note.find("freed heap block") != std::string::npos;
    return fmt::format("leads to a block that {} ({})", was_freed ? "has been freed" : "is free",
                       note);
}

// A value that was read from a block that is not in use any more is not what was meant.
void add_freed_holder(const Moment& moment, unsigned level, const std::string& name,
                      std::vector<OriginLink>& links, std::vector<OriginLink>::iterator where) {
    std::string holder = holder_of_part(name);
    const Frame* frame = holder.empty() ? nullptr : moment.stack().frame(level);
    if (!frame) return;
    EvaluationContext context = context_in(moment, *frame);
    try {
        RunAddress address = ValueReader(moment.target()).pointed_at(evaluate(holder, context));
        std::string note = moment.surroundings().describe(address);
        bool is_gone = note.find("freed heap block") != std::string::npos ||
                       note.find("free heap block") != std::string::npos;
        if (!is_gone) return;
        OriginLink link;
        link.level = level;
        link.text = fmt::format("{} {}", holder, leads_to_unused(note));
        links.insert(where, std::move(link));
    } catch (const Error&) {  // it has no value here
    }
}

// What was overwritten on the way out of a function, and what lies in front of it.
void fill_ruined_return(const RuinedReturn& ruined, const Frame* frame, Diagnosis& diagnosis) {
    diagnosis.part = ruined.is_canary          ? "the canary of " + ruined.function
                     : ruined.function.empty() ? "the return address"
                                               : "the return address of " + ruined.function;
    std::string text = text_of_word(ruined.value);
    diagnosis.part_is =
        fmt::format("is overwritten with {}",
                    text.empty() ? fmt::format("{:#x}", ruined.value) : "the text " + text);
    if (!ruined.is_canary && ruined.function.empty()) {
        diagnosis.part_certainty = Certainty::likely;
        diagnosis.part_because = "the word that a return would have taken away is that address";
    }
    diagnosis.part_at = ruined.slot.value;
    diagnosis.part_level = ruined.level;
    if (ruined.array.empty()) {
        diagnosis.origin_end = "no array of the function is known to lie in front of it";
        return;
    }
    constexpr std::size_t kShown = 40;
    OriginLink link;
    link.level = ruined.level;
    if (ruined.text.empty()) {
        link.certainty = Certainty::guess;
        link.because = "it is the nearest array in front of it";
        link.text =
            fmt::format("{} ({}) was run over", ruined.array, counted(ruined.array_size, "byte"));
    } else {
        link.certainty = Certainty::likely;
        link.because = "the text that begins in it goes on to there";
        link.text =
            fmt::format("{} ({}) was run over with a text of {}: \"{}{}\"", ruined.array,
                        counted(ruined.array_size, "byte"), counted(ruined.text.size(), "byte"),
                        ruined.text.substr(0, kShown), ruined.text.size() > kShown ? "…" : "");
    }
    if (frame && frame->line) {
        link.function = ruined.function;
        link.file = frame->line->file;
        link.line = frame->line->line;
    }
    diagnosis.origin.push_back(std::move(link));
}

void fill_recursion(const Moment& moment, ThreadId thread, Diagnosis& diagnosis) {
    auto recursion = recursion_of(moment.target(), moment.stack(), thread);
    if (!recursion) return;
    std::string turns =
        recursion->turns ? fmt::format(" about {} times", with_thousands(recursion->turns)) : "";
    const auto& functions = recursion->functions;
    diagnosis.facts.push_back(
        {"turns", functions.size() == 1
                      ? fmt::format("{} has called itself{}", functions.front(), turns)
                      : fmt::format("{} and so on{}", fmt::join(functions, ", then "), turns)});
    for (const std::string& argument : recursion->arguments)
        diagnosis.facts.push_back({"", argument});
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

// Where the code did not lead back to a name: a pointer of the statement that cannot be right. One
// that it follows is likelier than one that is only named.
std::uint64_t look_for_suspect(const Moment& moment, Diagnosis& diagnosis) {
    const Frame* frame = moment.stack().frame(diagnosis.level);
    std::uint64_t number = 0;
    if (!frame || diagnosis.statement.empty()) return number;
    EvaluationContext context = context_in(moment, *frame);
    auto suspect = [&](const std::string& name, const char* because) {
        try {
            Value value = evaluate(name, context);
            if (plain(*value.type).kind != TypeKind::pointer) return false;
            number = ValueReader(moment.target()).integer(value);
            std::string wrong = what_is_wrong_with(moment, number);
            if (wrong.empty()) return false;
            diagnosis.part = name;
            diagnosis.part_level = diagnosis.level;
            diagnosis.part_is = wrong;
            diagnosis.part_certainty = Certainty::likely;
            diagnosis.part_because = because;
            diagnosis.origin.clear();
            diagnosis.origin_end.clear();
            return true;
        } catch (const Error&) {  // it has no value here
            return false;
        }
    };
    for (const std::string& name : pointers_followed_in(diagnosis.statement))
        if (suspect(name, "the statement follows it")) return number;
    for (const std::string& name : names_in(diagnosis.statement))
        if (suspect(name, "the statement names it")) return number;
    return 0;
}

void take_part_of_statement(const Moment& moment, Culprit& culprit, ValueOrigin& origin,
                            Diagnosis& diagnosis);

// What failed is a library's: of the user's own line it is what was passed.
void take_passed_value(const Moment& moment, Culprit& culprit, ValueOrigin& origin,
                       Diagnosis& diagnosis) {
    origin.name.clear();
    for (const OriginLink& link : origin.links)
        if (origin.name.empty() && link.level >= diagnosis.level) origin.name = link.name;
    origin.name_is_checked = true;
    if (!origin.name.empty() || diagnosis.level == 0) return;
    const Frame* called = moment.stack().frame(diagnosis.level - 1);
    if (!called) return;
    ValueOrigin passed = origin_of_argument(moment, diagnosis.level, culprit.value, *called);
    if (!passed.links.empty()) {
        origin = std::move(passed);
        return;
    }
    // The address of something that the statement names was passed.
    culprit.accessed = culprit.value;
    if (culprit.value) take_part_of_statement(moment, culprit, origin, diagnosis);
}

bool is_one_place(const Moment& moment, const Frame& frame, const std::string& one,
                  const std::string& other) {
    EvaluationContext context = context_in(moment, frame);
    try {
        Value first = evaluate(one, context), second = evaluate(other, context);
        return first.address && first.address == second.address &&
               plain(*first.type).size == plain(*second.type).size;
    } catch (const Error&) {
        return false;
    }
}

// A place of the statement that lies where it failed says more than a register whose name is not
// sure, or whose number has been multiplied.
void take_part_of_statement(const Moment& moment, Culprit& culprit, ValueOrigin& origin,
                            Diagnosis& diagnosis) {
    const Frame* frame = moment.stack().frame(diagnosis.level);
    if (!frame || !culprit.accessed || diagnosis.statement.empty()) return;
    auto part = part_that_leads_to(moment, *frame, diagnosis.statement, *culprit.accessed);
    if (!part) return;
    bool is_sure = !origin.name.empty() && origin.name_is_checked;
    if (origin.name == part->name) {
        origin.name_is_checked = true;
        return;
    }
    if (is_sure && culprit.role == Culprit::Role::pointer) {
        // The same place, as the statement spells it: `words[0]` for `*words`.
        if (is_one_place(moment, *frame, origin.name, part->name)) origin.name = part->name;
        return;
    }
    origin = origin_of_name(moment, diagnosis.level, part->name, *part->type, part->value);
    origin.index_of = part->index_of;
    culprit.role = part->index_of.empty() ? Culprit::Role::pointer : Culprit::Role::index;
    culprit.value = part->value;
    culprit.level = diagnosis.level;
    culprit.is_folded = false;
}

// The code tells no way: what the source says, where it says it once.
void look_for_assignment(const Moment& moment, std::uint64_t value, Diagnosis& diagnosis) {
    const Frame* frame = moment.stack().frame(diagnosis.part_level);
    auto line = frame && !diagnosis.part.empty() && !diagnosis.part_at
                    ? line_that_assigns(moment, *frame, diagnosis.part, value)
                    : std::nullopt;
    if (!line) return;
    OriginLink link;
    link.certainty = Certainty::likely;
    link.because = "only the source says so; its code does not lead there";
    link.text = fmt::format("{} is set to that", diagnosis.part);
    link.name = diagnosis.part;
    link.level = frame->level;
    link.function = frame_function_name(*frame);
    link.file = frame->line->file;
    link.line = *line;
    diagnosis.origin.push_back(std::move(link));
}

// Nothing of the value is left to be held against a name, but a statement that follows one pointer
// can have failed with no other. Not where what failed is inlined, and another line's.
void name_only_pointer(const Culprit& culprit, Diagnosis& diagnosis) {
    auto followed = pointers_followed_in(diagnosis.statement);
    bool may_be_a_macros = diagnosis.statement.find('(') != std::string::npos;
    if (culprit.level != diagnosis.level || followed.size() != 1 || may_be_a_macros) return;
    diagnosis.part = followed.front();
    diagnosis.part_level = diagnosis.level;
    diagnosis.part_certainty = Certainty::likely;
    diagnosis.part_because = "the statement follows no other pointer";
}

void fill_operand(const Moment& moment, const Stop& stop, Diagnosis& diagnosis) {
    auto culprit = culprit_of(moment, stop);
    if (!culprit) return;
    ValueOrigin origin;
    if (culprit->dwarf_register)
        origin =
            origin_of_register(moment, culprit->level, *culprit->dwarf_register, culprit->value);
    else if (!culprit->is_folded)
        origin = origin_of_memory(moment, culprit->level, culprit->memory, culprit->value);
    bool counts_by_pointer = culprit->role == Culprit::Role::index && origin.index_of.empty() &&
                             origin.type && plain(*origin.type).kind == TypeKind::pointer;
    if (counts_by_pointer) origin.name.clear();  // of something else that was there before
    if (!origin.name.empty()) culprit->value = origin.value;
    if (!origin.index_of.empty()) culprit->role = Culprit::Role::index;
    const Frame *failed = moment.stack().frame(culprit->level),
                *own = moment.stack().frame(diagnosis.level);
    bool is_librarys = culprit->level < diagnosis.level && failed && own &&
                       failed->call_frame_address != own->call_frame_address;
    if (is_librarys)
        take_passed_value(moment, *culprit, origin, diagnosis);
    else
        take_part_of_statement(moment, *culprit, origin, diagnosis);
    if (culprit->is_folded) {
        name_only_pointer(*culprit, diagnosis);
        diagnosis.part_is = "is null, and the compiler knew that: it kept nothing but the access";
        return;
    }
    diagnosis.part = origin.name;
    diagnosis.part_level = std::max(is_librarys ? diagnosis.level : 0, culprit->level);
    diagnosis.part_is = what_is_wrong(moment, *culprit, origin);
    if (!diagnosis.part.empty() && !origin.name_is_checked) {
        diagnosis.part_certainty = Certainty::likely;
        diagnosis.part_because =
            "the code says so; what it holds now is something else or not to be had";
    }
    diagnosis.origin = std::move(origin.links);
    diagnosis.origin_end = std::move(origin.end);
    auto& links = diagnosis.origin;
    if (!links.empty() && links.back().name != diagnosis.part)
        add_freed_holder(moment, links.back().level, links.back().name, links, links.end());
    add_freed_holder(moment, culprit->level, diagnosis.part, links, links.begin());
    bool leads_on = culprit->role == Culprit::Role::pointer && can_be_an_address(culprit->value) &&
                    moment.target().region_at(RunAddress(culprit->value));
    if (leads_on) diagnosis.at_address = address_note(moment, RunAddress(culprit->value));
    if (diagnosis.origin.empty() && !origin.others_may_write)
        look_for_assignment(moment, culprit->value, diagnosis);
}

}  // namespace

std::string holder_of_part(const std::string& name) {
    constexpr std::string_view kTable = "the table of virtual functions of ";
    if (name.starts_with(kTable)) return name.substr(kTable.size());
    std::size_t arrow = name.rfind("->");
    if (arrow != std::string::npos) return name.substr(0, arrow);
    bool is_followed = name.starts_with('*') && name.find_first_of(" .[(-") == std::string::npos;
    return is_followed ? name.substr(1) : "";
}

void fill_cause(const Moment& moment, const Stop& stop, Diagnosis& diagnosis) {
    if (auto ruined = ruined_return_of(moment, stop))
        return fill_ruined_return(*ruined, moment.stack().frame(ruined->level), diagnosis);
    if (!stop.is_fault) return;
    bool is_of_memory = stop.signal == SIGSEGV || stop.signal == SIGBUS;
    bool is_of_stack =
        is_of_memory && !stack_fault_cause(moment, stop.thread, stop.fault_address, true).empty();
    if (is_of_stack) return fill_recursion(moment, stop.thread, diagnosis);
    fill_operand(moment, stop, diagnosis);
    if (!diagnosis.part.empty()) return;
    std::uint64_t value = look_for_suspect(moment, diagnosis);
    look_for_assignment(moment, value, diagnosis);
}

}  // namespace lantern
