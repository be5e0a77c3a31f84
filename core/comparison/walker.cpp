#include "core/comparison/walker.h"

#include <limits.h>
#include <sys/uio.h>

#include <algorithm>
#include <bit>

#include "core/code/sites.h"
#include "core/comparison/walk_value.h"
#include "core/machine/calling_convention.h"
#include "core/session/line_step.h"
#include "core/session/returned_value.h"
#include "core/support/error.h"
#include "core/unwind/unwinder.h"
#include "core/values/variable_value.h"

namespace lantern {
namespace {

constexpr std::size_t kNewsAtOnce = 4096;       // events, before they are handed on
constexpr std::size_t kFilledBytes = 2048;      // bytes below the stack pointer
constexpr std::size_t kLongestWrite = 1 << 24;  // bytes; what is more is not compared
constexpr std::uint32_t kNamesLookedFor = 64;   // events of a thread, each with a look at its name
constexpr unsigned kDescriptorArgument = kIntegerParameters[0],
                   kBufferArgument = kIntegerParameters[1], kLengthArgument = kIntegerParameters[2];

bool is_negative(ByteSpan number) {  // signed LEB128 (DWARF 5 §7.6)
    auto last = std::ranges::find_if(
        number, [](std::byte each) { return (each & std::byte{0x80}) == std::byte{}; });
    return last != number.end() && (*last & std::byte{0x40}) != std::byte{};
}

// In the function's own frame, which its first instructions have yet to fill, or counted from a
// register that they set up: what is said of it does not hold when the function begins.
bool is_there_later(const FunctionBody& body, const Variable& parameter, FileAddress low) {
    auto base = dwarf::expression_at(body.frame_base, low);
    auto place = dwarf::expression_at(parameter.locations, low);
    auto begins = [](const std::optional<ByteSpan>& expression, std::uint8_t operation) {
        return expression && !expression->empty() && (*expression)[0] == std::byte{operation};
    };
    if (!begins(place, dwarf::DW_OP_fbreg)) return false;
    return !begins(base, dwarf::DW_OP_call_frame_cfa) || is_negative(place->subspan(1));
}

bool has_parameters_at_once(const FunctionBody& body, FileAddress low) {
    return std::ranges::none_of(body.outermost.variables, [&](const Variable& each) {
        return each.is_parameter && is_there_later(body, each, low);
    });
}

}  // namespace

FileAddress walked_entry(const ModuleSymbols& symbols, const Function& function) {
    const FunctionBody& body = symbols.body_of(function);
    return looks_optimised(body) && has_parameters_at_once(body, function.low())
               ? function.low()
               : body_start(symbols, function).address;
}

Walker::Walker(Debuggee& debuggee, const std::vector<FunctionPair>& pairs, WalkOptions options,
               Sink sink)
    : debuggee_(debuggee), pairs_(pairs), options_(std::move(options)), sink_(std::move(sink)) {}

Walker::~Walker() = default;

void Walker::follow(std::uint32_t number, std::uint16_t copy) {
    const Function& function = *pairs_[number].in[options_.side][copy];
    const ModuleSymbols& symbols = module_->symbols();
    auto followed = std::make_unique<Followed>();
    followed->number = number;
    followed->copy = copy;
    followed->function = &function;
    followed->body = &symbols.body_of(function);
    FileAddress at = walked_entry(symbols, function);
    auto description = symbols.frame_description(at);
    auto row = description ? frame_row_at(*description, at) : std::nullopt;
    if (!row || row->cfa_is_expression) return;
    followed->frame_register = row->cfa_register;
    followed->frame_offset = row->cfa_offset;
    for (const std::string& name : pairs_[number].parameters) {
        const auto& variables = followed->body->outermost.variables;
        auto found = std::ranges::find_if(variables, [&](const Variable& each) {
            return each.is_parameter && each.name == name;
        });
        followed->parameters.push_back(found == variables.end() ? nullptr : &*found);
    }
    Frame& frame = followed->frame;
    frame.module = module_;
    frame.function = &function;
    frame.body = followed->body;
    frame.program_counter = frame.lookup_address = module_->to_run(at);
    RunAddress trap = module_->to_run(at);
    if (entries_.contains(trap)) return;
    process_->insert_trap(trap);
    entries_[trap] = std::move(followed);
}

void Walker::place_traps() {
    hits_.resize(pairs_.size());
    for (std::uint32_t i = 0; i < pairs_.size(); ++i)
        for (std::uint16_t copy = 0; copy < pairs_[i].in[options_.side].size(); ++copy) try {
                follow(i, copy);
            } catch (const Error&) {  // damaged there: it is not followed
            }
    for (const Function* function : options_.filled) {
        RunAddress low = module_->to_run(function->low());
        if (!fills_.emplace(low, true).second || entries_.contains(low)) continue;
        process_->insert_trap(low);
    }
    start_ = module_->to_run(module_->symbols().elf().entry());
    process_->insert_trap(*start_);
}

// The C library's, or the program's own where it is linked into it.
void Walker::look_for_writes() {
    for (const Module& module : process_->modules())
        for (WrittenFrom from : {WrittenFrom::buffer, WrittenFrom::list_of_buffers}) {
            const char* name = from == WrittenFrom::buffer ? "write" : "writev";
            const ElfSymbol* symbol = module.symbols().symbol_table().named(name);
            bool is_system_s = symbol && symbol->is_function && symbol->size &&
                               (module.is_system_library() || module.path() == module_->path());
            if (!is_system_s) continue;
            RunAddress at = module.to_run(symbol->address);
            if (entries_.contains(at) || !writes_.emplace(at, from).second) continue;
            process_->insert_trap(at);
        }
}

// Exceptions, panics and longjmp: the frames they leave come to no return.
void Walker::look_for_landings() {
    for (const LandingHook& hook : find_landing_hooks(*process_)) {
        if (entries_.contains(hook.address) || !landings_.emplace(hook.address, hook.kind).second)
            continue;
        process_->insert_trap(hook.address);
    }
}

void Walker::run() {
    debuggee_.start();
    process_ = &debuggee_.process();
    process_->leave_processors_to_others();  // the other side has as much to do
    module_ = &process_->main_module();
    place_traps();
    auto passes = [&](const TargetEvent& event) { return pass(event); };
    for (;;) {
        TargetEvent event = process_->run(passes);
        if (event.is_end()) return ended(event);
        switch (event.kind) {
            case TargetEvent::Kind::trap: {
                RunAddress at = process_->registers(event.thread).program_counter();
                if (gives_up_) break;
                if (start_ && at == *start_) {
                    look_for_writes();
                    look_for_landings();
                    process_->remove_trap(at);
                    start_.reset();
                } else {
                    process_->insert_trap(RunAddress(calls_[event.thread].back().back));
                    process_->has_told_of_trap(event.thread);
                }
                break;
            }
            case TargetEvent::Kind::signal: {
                WalkEvent& told = add(WalkEvent::Kind::signal, event.thread);
                told.function = static_cast<std::uint32_t>(event.signal);
                process_->deliver(event.thread, event.signal);
                break;
            }
            case TargetEvent::Kind::interrupted:
            case TargetEvent::Kind::replaced:
                hand_on();
                debuggee_.end();
                return;
            default: break;
        }
        if (gives_up_) {
            debuggee_.end();
            return;
        }
    }
}

// What is not to be done while other threads run stops them all: the first return to a place.
bool Walker::pass(const TargetEvent& event) {
    if (event.kind == TargetEvent::Kind::signal || event.kind == TargetEvent::Kind::replaced ||
        event.kind == TargetEvent::Kind::interrupted)
        return false;
    if (event.kind != TargetEvent::Kind::trap) return true;
    if (gives_up_) return false;
    const Registers& registers = process_->registers(event.thread);
    RunAddress at = registers.program_counter();
    if (start_ && at == *start_) return false;
    // It is one function's first instruction, and behind a call of another, now and then.
    if (returns_.contains(at)) come_back(event.thread, registers);
    if (fills_.contains(at)) fill_below(registers);
    if (auto write = writes_.find(at); write != writes_.end())
        wrote(event.thread, registers, write->second);
    if (auto landing = landings_.find(at); landing != landings_.end())
        land(event.thread, registers, landing->second);
    auto entry = entries_.find(at);
    if (entry == entries_.end()) return !gives_up_;
    auto& calls = calls_[event.thread];
    std::size_t before = calls.size();
    enter(*entry->second, event.thread, registers);
    bool is_new = calls.size() > before && calls.back().back &&
                  returns_.emplace(RunAddress(calls.back().back), true).second;
    return !is_new && !gives_up_;
}

// Calls that have been left without our seeing a return.
void Walker::leave_below(std::vector<Call>& calls, RunAddress frame, ThreadId thread) {
    while (!calls.empty() && calls.back().frame < frame) leave_last(calls, thread);
}

// What was called by the function that control comes to, and all further in, is left.
void Walker::land(ThreadId thread, const Registers& registers, LandingHook::Kind kind) {
    auto landing = landing_of(*process_, kind, registers);
    if (!landing) return;
    leave_below(calls_[thread], landing->stack_pointer + 1, thread);
    hand_on();
}

void Walker::leave_last(std::vector<Call>& calls, ThreadId thread) {
    if (calls.back().is_told) {
        WalkEvent& left = add(WalkEvent::Kind::left, thread);
        left.function = calls.back().of->number;
        left.call = calls.back().event;
    }
    if (pairs_[calls.back().of->number].name == options_.within) --within_;
    calls.pop_back();
}

void Walker::enter(Followed& followed, ThreadId thread, const Registers& registers) {
    RunAddress frame(registers.get(followed.frame_register).value_or(0) +
                     static_cast<std::uint64_t>(followed.frame_offset));
    auto& calls = calls_[thread];
    leave_below(calls, frame, thread);
    std::uint16_t number = number_of(thread);
    std::uint32_t pass = ++followed.passes[number];
    // The same call once more: the compiler has made a loop of it.
    bool is_again = !calls.empty() && calls.back().of == &followed && calls.back().frame == frame;
    if (is_again) return;
    std::uint64_t back = 0;
    process_->read_available(frame - sizeof back,
                             std::as_writable_bytes(std::span(&back, std::size_t{1})));
    std::uint32_t hit = ++hits_[followed.number][number];
    if (pairs_[followed.number].name == options_.within) ++within_;
    bool is_told = options_.within.empty() || within_;
    bool has_jumped = !calls.empty() && calls.back().frame == frame;
    std::uint32_t jumped_from = has_jumped ? calls.back().of->number : WalkEvent::kNobody;
    tell_name(thread);
    calls.push_back({&followed, frame, back, events_, is_told});
    if (!is_told) return;
    WalkEvent& event = add(WalkEvent::Kind::entry, thread);
    event.function = followed.number;
    event.hit = hit;
    event.copy = followed.copy;
    event.pass = pass;
    event.jumped_from = jumped_from;
    event.caller = module_->holds(RunAddress(back)) ? module_->to_file(RunAddress(back)).value : 0;
    followed.frame.registers = registers;
    followed.frame.call_frame_address = frame;
    ValueReader reader(*process_);
    for (const Variable* parameter : followed.parameters)
        add_value(parameter
                      ? walk_value(reader,
                                   value_of_variable(*process_, thread, followed.frame, *parameter),
                                   news_)
                      : WalkValue{});
    hand_on();
}

WalkValue Walker::returned(const Call& call, ThreadId thread) {
    const Function& function = *call.of->function;
    const Type* type = call.of->body->returned;
    if (!type || plain(*type).size == 0) return {};
    Returning& how = returning_[{call.of->number, call.back}];
    if (!how.is_looked_at) {
        how.is_looked_at = true;
        how.location = location_of_returned(*module_, function, *type);
        how.is_plain = how.location.kind == ReturnLocation::Kind::registers &&
                       returned_value(*process_, thread, *module_, function).value.is_available();
    }
    ValueReader reader(*process_);
    if (how.is_plain)
        return walk_value(reader, returned_in_registers(*process_, thread, *type, how.location),
                          news_);
    if (how.location.kind != ReturnLocation::Kind::memory) return {};
    return walk_value(reader, returned_value(*process_, thread, *module_, function).value, news_);
}

void Walker::come_back(ThreadId thread, const Registers& registers) {
    auto& calls = calls_[thread];
    RunAddress frame = registers.stack_pointer();
    leave_below(calls, frame, thread);
    std::uint64_t here = registers.program_counter().value;
    // Functions that left by a tail call have the frame of the one they called.
    while (!calls.empty() && calls.back().frame == frame && calls.back().back == here) {
        Call call = calls.back();
        calls.pop_back();
        if (call.is_told) {
            WalkValue value = returned(call, thread);
            WalkEvent& event = add(WalkEvent::Kind::returned, thread);
            event.function = call.of->number;
            event.call = call.event;
            add_value(value);
        }
        if (pairs_[call.of->number].name == options_.within) --within_;
    }
    hand_on();
}

void Walker::add_bytes(std::uint64_t address, std::uint64_t length, std::vector<std::byte>& bytes) {
    std::size_t before = bytes.size();
    bytes.resize(before + std::min<std::uint64_t>(length, kLongestWrite - before));
    std::size_t got =
        process_->read_available(RunAddress(address), std::span(bytes).subspan(before));
    bytes.resize(before + got);
}

void Walker::wrote(ThreadId thread, const Registers& registers, WrittenFrom from) {
    std::uint64_t address = registers.get(kBufferArgument).value_or(0),
                  length = registers.get(kLengthArgument).value_or(0);
    std::vector<std::byte> bytes;
    if (from == WrittenFrom::buffer) {
        add_bytes(address, length, bytes);
    } else {
        std::vector<iovec> list(std::min<std::uint64_t>(length, IOV_MAX));  // writev(2)
        list.resize(
            process_->read_available(RunAddress(address), std::as_writable_bytes(std::span(list))) /
            sizeof(iovec));
        for (const iovec& each : list)
            add_bytes(reinterpret_cast<std::uint64_t>(each.iov_base), each.iov_len, bytes);
    }
    WalkValue descriptor{WalkValue::Kind::number, false, true, 0,
                         registers.get(kDescriptorArgument).value_or(0)};
    WalkValue text{WalkValue::Kind::text, false, true,
                   static_cast<std::uint32_t>(news_.texts.size()), 0};
    news_.texts.emplace_back(reinterpret_cast<const char*>(bytes.data()), bytes.size());
    add(WalkEvent::Kind::written, thread);
    add_value(descriptor);
    add_value(text);
    hand_on();
}

// What lies below the stack pointer when a function begins belongs to nobody yet.
void Walker::fill_below(const Registers& registers) {
    std::vector<std::byte> filling(kFilledBytes, std::byte{*options_.fill});
    try {
        process_->write_memory(registers.stack_pointer() - kFilledBytes, filling);
    } catch (const Error&) {  // the stack does not reach so far down yet
    }
}

std::uint16_t Walker::number_of(ThreadId thread) const {
    return static_cast<std::uint16_t>(process_->is_alive() ? process_->thread_number(thread) : 0);
}

// Threads name themselves early in their lives, or never.
void Walker::tell_name(ThreadId thread) {
    ThreadName& known = names_[thread];
    std::uint32_t count = known.events++;
    if (count > kNamesLookedFor && !std::has_single_bit(count)) return;
    std::string name = process_->thread_name(thread);
    if (name.empty() || name == known.name) return;
    known.name = name;
    WalkValue text{WalkValue::Kind::text, false, true,
                   static_cast<std::uint32_t>(news_.texts.size()), 0};
    news_.texts.push_back(std::move(name));
    add(WalkEvent::Kind::named, thread);
    add_value(text);
}

WalkEvent& Walker::add(WalkEvent::Kind kind, ThreadId thread) {
    WalkEvent event;
    event.kind = kind;
    event.thread = number_of(thread);
    event.first_value = static_cast<std::uint32_t>(news_.values.size());
    news_.events.push_back(event);
    ++events_;
    return news_.events.back();
}

void Walker::add_value(const WalkValue& value) {
    news_.values.push_back(value);
    ++news_.events.back().values;
}

void Walker::ended(const TargetEvent& event) {
    bool is_signal = event.kind == TargetEvent::Kind::killed;
    WalkEvent& end = add(WalkEvent::Kind::end, event.thread);
    end.function = is_signal ? static_cast<std::uint32_t>(event.signal) : 0;
    add_value({WalkValue::Kind::number, false, true, 0,
               static_cast<std::uint64_t>(is_signal ? event.signal : event.exit_code)});
    news_.is_whole = true;
    gives_up_ |= sink_(news_);
}

bool Walker::hand_on() {
    if (news_.events.size() >= kNewsAtOnce) gives_up_ |= sink_(news_);
    if (events_ >= options_.most_events) gives_up_ = true;
    return gives_up_;
}

}  // namespace lantern
