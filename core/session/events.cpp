#include "core/session/events.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/machine/calling_convention.h"
#include "core/machine/instruction.h"
#include "core/runtime/c_library.h"
#include "core/session/heap_events.h"
#include "core/session/runtime_symbol.h"
#include "core/session/rust_panic.h"
#include "core/session/sanitizer_reports.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/symbols/demangle.h"
#include "core/target/code_at.h"
#include "core/values/value_view.h"

namespace lantern {
namespace {

// __cxa_exception, seen from the end, where the unwinder's own header begins (Itanium C++ ABI
// §2.2.1).
constexpr std::uint64_t kTypeBeforeHeader = 80, kUnwinderHeader = 32;
constexpr std::string_view kThrowsAgain = "__cxa_rethrow";
constexpr int kDeepestHierarchy = 12;
constexpr std::size_t kLongestMessage = 4096;

std::uint64_t parameter(Target& target, ThreadId thread, unsigned index) {
    return target.registers(thread).get(kIntegerParameters[index]).value_or(0);
}

std::string mangled_name(Target& target, RunAddress type) {
    auto text = ValueReader(target).text_at(RunAddress(target.read<std::uint64_t>(type + 8)), 512);
    std::string name = text.ended ? text.bytes : "";
    if (name.starts_with('*')) name.erase(0, 1);  // a name that is not to be compared by its text
    return name;
}

// "8TollError" as a person writes it. A demangler wants a symbol: the one of the name itself.
std::string readable_name(const std::string& mangled) {
    std::string whole = demangled("_ZTS" + mangled);
    constexpr std::string_view kBefore = "typeinfo name for ";
    return whole.starts_with(kBefore) ? whole.substr(kBefore.size()) : mangled;
}

// std::logic_error and std::runtime_error keep their text behind the pointer that follows the
// vtable's.
bool keeps_text(Target& target, RunAddress type) {
    for (int depth = 0; depth < kDeepestHierarchy; ++depth) {
        std::string name = mangled_name(target, type);
        if (name == "St13runtime_error" || name == "St11logic_error" ||
            name == "NSt3__113runtime_errorE")
            return true;
        if (name.empty() || name == "St9exception") return false;
        type =
            RunAddress(target.read<std::uint64_t>(type + 16));  // the base of a class that has one
        if (!type.value) return false;
    }
    return false;
}

ThrownObject described(Target& target, RunAddress object, RunAddress type) {
    ThrownObject thrown;
    thrown.object = object;
    try {
        thrown.type = readable_name(mangled_name(target, type));
        if (keeps_text(target, type))
            thrown.text =
                ValueReader(target)
                    .text_at(RunAddress(target.read<std::uint64_t>(object + 8)), kLongestMessage)
                    .bytes;
    } catch (const MemoryError&) {
    }
    return thrown;
}

}  // namespace

namespace {

// What the thread's exceptions hang on: a thread-local block of the library, two words long, the
// first of which leads to the one caught last. __cxa_get_globals begins by naming it: an index of
// the loader's, a library's number and an offset. Nothing: it does not, so it is not known; 0: no
// exception is caught.
std::optional<RunAddress> caught_last(Target& target, ThreadId thread, const Module& library) {
    constexpr unsigned kInstructions = 6;
    const ElfSymbol* symbol = runtime_symbol(library.symbols(), "__cxa_get_globals");
    if (!symbol) return std::nullopt;
    RunAddress at = library.to_run(symbol->address);
    for (unsigned i = 0; i < kInstructions; ++i) {
        auto instruction = instruction_at(target, at);
        if (!instruction || instruction->kind != Instruction::Kind::ordinary) return std::nullopt;
        at = instruction->next();
        if (instruction->memory.empty() || !instruction->memory[0].address_only) continue;
        RunAddress index = at + static_cast<std::uint64_t>(instruction->memory[0].displacement);
        std::uint64_t number = target.read<std::uint64_t>(index),
                      offset = target.read<std::uint64_t>(index + 8);
        auto block = c_library::thread_local_block(
            [&](RunAddress word) { return target.read<std::uint64_t>(word); },
            RunAddress(target.registers(thread).thread_base), number);
        return block ? RunAddress(target.read<std::uint64_t>(*block + offset)) : RunAddress();
    }
    return std::nullopt;
}

// `throw;` hands nothing over: it is the exception caught last that goes on.
ThrownObject thrown_again(Target& target, ThreadId thread, const Module& library) {
    try {
        auto exception = caught_last(target, thread, library);
        if (!exception) return {};
        if (exception->value == 0) return ThrownObject{"", RunAddress(), "", true};
        return described(target, *exception + kTypeBeforeHeader + kUnwinderHeader,
                         RunAddress(target.read<std::uint64_t>(*exception)));
    } catch (const MemoryError&) {
    }
    return {};
}

}  // namespace

bool throws_again(Target& target, ThreadId thread) {
    return stands_at_runtime_symbol(target, thread, kThrowsAgain);
}

ThrownObject thrown_object(Target& target, ThreadId thread) {
    if (throws_again(target, thread))
        return thrown_again(target, thread,
                            *target.module_at(target.registers(thread).program_counter()));
    return described(target, RunAddress(parameter(target, thread, 0)),
                     RunAddress(parameter(target, thread, 1)));
}

bool is_caught_by_nobody(Target& target, ThreadId thread) {
    constexpr unsigned kFramesOfTheLibrary = 8;
    Unwinder walk(target, thread);
    for (unsigned level = 1; level < kFramesOfTheLibrary && walk.frame(level); ++level) {
        std::string name = frame_function_name(*walk.frame(level));
        if (name.starts_with("std::terminate") || name.starts_with("__cxa_throw") ||
            name.starts_with("__cxa_rethrow") || name.starts_with("__cxa_call_terminate"))
            return true;
    }
    return false;
}

ThrownObject caught_object(Target& target, ThreadId thread) {
    if (recovers_from_panic(target, thread)) {
        PanicPayload payload = panic_recovered(target, thread);
        return {payload.type ? payload.type->full_name() : "", payload.object, payload.text};
    }
    RunAddress header(parameter(target, thread, 0));
    try {
        return described(target, header + kUnwinderHeader,
                         RunAddress(target.read<std::uint64_t>(header - kTypeBeforeHeader)));
    } catch (const MemoryError&) {
        return {};
    }
}

// glibc keeps it for whoever looks afterwards: a size, then the text (assert.c, libc_fatal.c).
static std::string abort_message(Target& target) {
    for (const Module& module : target.modules()) {
        const ElfSymbol* symbol = module.symbols().symbol_table().named("__abort_msg");
        if (!symbol) continue;
        try {
            RunAddress kept(target.read<std::uint64_t>(module.to_run(symbol->address)));
            if (!kept.value) return {};
            auto text = ValueReader(target).text_at(kept + 4, kLongestMessage).bytes;
            while (text.ends_with('\n')) text.pop_back();
            return text;
        } catch (const MemoryError&) {
            return {};
        }
    }
    return {};
}

std::vector<std::string_view> symbols_of(Cause cause) {
    switch (cause) {
        case Cause::thrown: return {"__cxa_throw", kThrowsAgain};
        case Cause::caught: return {"__cxa_begin_catch", "__rust_panic_cleanup"};
        case Cause::panic: return {"rust_panic"};
        case Cause::heap: return {heap_tables::kFoundSymbol};
        case Cause::sanitizer: return {kReportIsWritten, kBehaviourIsUndefined};
        default: return {};
    }
}

namespace {

StopFact fact_of_object(const Moment& moment, const Type& type, RunAddress address) {
    ValueView view = make_view(ValueReader(moment.target()), "", value_in_memory(type, address),
                               Form::natural, moment.view_limits());
    return {"object", one_line(view, 200)};
}

void add_object(const Moment& moment, const ThrownObject& object, const std::string& label,
                std::vector<StopFact>& facts) {
    if (object.type.empty()) return;
    Target& target = moment.target();
    facts.push_back({label, object.text.empty() ? object.type
                                                : fmt::format("{}: {}", object.type, object.text)});
    const Type* type = nullptr;
    for (const Module& module : target.modules())
        if (!type && module.symbols().has_debug_information() &&
            !moment.libraries().is_library(module))
            type = module.symbols().type_spelled(object.type);
    if (type && object.object.value) facts.push_back(fact_of_object(moment, *type, object.object));
}

void add_panic(const Moment& moment, const PanicPayload& payload, const std::string& label,
               std::vector<StopFact>& facts) {
    if (!payload.text.empty()) facts.push_back({label, payload.text});
    if (!payload.type) return;
    facts.push_back({label, fmt::format("a value of {}", type_text(*payload.type))});
    facts.push_back(fact_of_object(moment, *payload.type, payload.object));
}

}  // namespace

std::vector<StopFact> facts_of(const Moment& moment, Cause cause, ThreadId thread) {
    Target& target = moment.target();
    std::vector<StopFact> facts;
    if (cause == Cause::panic) {
        add_panic(moment, panic_begun(target, thread), "panic", facts);
        return facts;
    }
    if (cause == Cause::caught && recovers_from_panic(target, thread)) {
        add_panic(moment, panic_recovered(target, thread), "caught", facts);
        return facts;
    }
    if (cause == Cause::heap) {
        if (auto life = met_by_heap_library(moment, thread)) return facts_of_heap(*life);
        auto fault = found_by_heap_library(moment);
        return fault ? facts_of_heap(*fault) : facts;
    }
    if (cause == Cause::sanitizer) {
        std::string report = sanitizer_report(target, thread);
        if (!report.empty()) facts.push_back({"report", report});
        return facts;
    }
    if (cause != Cause::thrown && cause != Cause::caught) return facts;
    ThrownObject object =
        cause == Cause::thrown ? thrown_object(target, thread) : caught_object(target, thread);
    std::string label = cause != Cause::thrown         ? "caught"
                        : throws_again(target, thread) ? "threw again"
                                                       : "threw";
    add_object(moment, object, label, facts);
    return facts;
}

namespace {

// What led to the abort, told by the frames between it and the user's own code.
struct Ending {
    bool terminates = false;       // the C++ library gave up
    bool while_unwinding = false;  // on the way to a handler
    bool by_throw = false;         // because of an exception, not because somebody called it
    std::string called;
    std::string rust;  // why it may not unwind: "null pointer dereference"
};

// "null pointer dereference" of core::panicking::panic_null_pointer_dereference: what rustc's
// checks call where nobody may catch it.
std::string rust_check(const std::string& function) {
    constexpr std::string_view kChecks = "core::panicking::panic_";
    if (!function.starts_with(kChecks)) return {};
    std::string words = function.substr(kChecks.size(), function.find('<') - kChecks.size());
    bool is_of_another_kind = words.starts_with("fmt") || words.starts_with("nounwind") ||
                              words.starts_with("display") || words.find(':') != words.npos;
    std::ranges::replace(words, '_', ' ');
    return is_of_another_kind ? "" : words;
}

Ending how_it_ended(const Moment& moment, ThreadId thread) {
    constexpr unsigned kFramesLookedAt = 16;
    Ending ending;
    Unwinder walk(moment.target(), thread);
    for (unsigned level = 0; level < kFramesLookedAt; ++level) {
        const Frame* frame = walk.frame(level);
        if (!frame || !frame->module) break;
        std::string name = frame_function_name(*frame);
        if (name.find("assert") != std::string::npos) return {};
        if (std::string check = rust_check(name); !check.empty()) ending.rust = check;
        if (name.starts_with("__cxa_pure_virtual"))
            ending.called = "a virtual function that has no code (pure virtual)";
        if (name.starts_with("__cxa_deleted_virtual"))
            ending.called = "a virtual function that is deleted";
        bool is_runtime = moment.libraries().is_library(*frame->module) &&
                          runtime_symbol(frame->module->symbols(), "__cxa_get_globals");
        ending.terminates |= is_runtime || name.starts_with("std::terminate");
        // What clang puts where an exception would leave a function that is noexcept.
        bool is_barrier = name.starts_with("__clang_call_terminate");
        ending.while_unwinding |= name.starts_with("_Unwind_") || is_barrier;
        ending.by_throw |= is_barrier;
        ending.by_throw |= name.starts_with("_Unwind_") || name.starts_with("__cxa_throw") ||
                           name.starts_with("__cxa_rethrow") ||
                           name.starts_with("__cxa_call_terminate");
        if (frame->line && !moment.libraries().is_library(*frame->module) &&
            !moment.libraries().is_library_source(frame->line->file))
            break;
    }
    return ending;
}

}  // namespace

// Of an exception that nobody caught the library keeps hold until the end, as of one that is
// caught.
std::vector<StopFact> facts_of_giving_up(const Moment& moment, ThreadId thread) {
    Target& target = moment.target();
    std::vector<StopFact> facts;
    if (std::string text = abort_message(target); !text.empty()) facts.push_back({"it said", text});
    Ending ending = how_it_ended(moment, thread);
    if (!ending.called.empty()) facts.push_back({"it called", ending.called});
    if (!ending.rust.empty()) facts.push_back({"panic", ending.rust + ", which nobody may catch"});
    if (!ending.terminates || !ending.called.empty()) return facts;
    if (!ending.by_throw) {
        facts.push_back({"it called", "std::terminate"});
        return facts;
    }
    bool is_none = false;
    for (const Module& module : target.modules()) {
        if (!runtime_symbol(module.symbols(), "__cxa_get_globals")) continue;
        ThrownObject object = thrown_again(target, thread, module);
        add_object(moment, object, "threw", facts);
        is_none |= object.is_none;
        if (object.type.empty()) continue;
        if (ending.while_unwinding)
            facts.push_back(
                {"barred", "it would have left a function that is noexcept, or a destructor"});
        return facts;
    }
    facts.push_back({"it called", is_none ? "std::terminate, with no exception on its way"
                                          : "std::terminate; what was thrown, if anything was, "
                                            "cannot be told with this C++ library"});
    return facts;
}

}  // namespace lantern
