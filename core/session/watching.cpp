// How a watched value is told of. The debug registers stop the thread behind the instruction that
// wrote, so what was there before must have been kept: `bytes` are looked at after each hit.
//
//     level = 7        hit: memory has 7, kept has 5  →  told as 5 → 7, and 7 is kept
//     level = 7        hit: memory has 7, kept has 7  →  written with what was there: passed by
//
// Threads that write in the same moment are told one after another; they share a batch of events,
// and all compare with what was there before the batch. Wider values stand in pages whose rights
// are taken away (target/watched_pages), and where that cannot be, the program goes by single
// instructions.
#include "core/session/watching.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/expressions/scope_names.h"
#include "core/machine/debug_registers.h"
#include "core/machine/effects.h"
#include "core/session/system_calls.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/unwind/call_before.h"
#include "core/values/builtin_types.h"

namespace lantern {
namespace {

// The aligned pieces of 8, 4, 2 and 1 bytes that make up a range.
std::vector<std::pair<RunAddress, unsigned>> aligned_pieces(RunRange range) {
    std::vector<std::pair<RunAddress, unsigned>> pieces;
    for (RunAddress at = range.low; at < range.high;) {
        unsigned length = kWidestWatch;
        while (at.value % length || at + length > range.high) length /= 2;
        pieces.emplace_back(at, length);
        at = at + length;
        if (pieces.size() > kDebugAddresses) break;
    }
    return pieces;
}

std::vector<std::byte> bytes_at(Target& target, RunRange range) {
    std::vector<std::byte> bytes(range.size());
    target.read_memory(range.low, bytes);
    return bytes;
}

// The one part of a structure or array in which two contents differ, as far in as it is only one.
struct Piece {
    std::string name;
    const Type* type = nullptr;
    std::size_t offset = 0, size = 0;
};

bool differ(ByteSpan a, ByteSpan b, std::size_t offset, std::size_t size) {
    if (offset + size > a.size() || offset + size > b.size()) return false;
    return !std::equal(a.begin() + static_cast<std::ptrdiff_t>(offset),
                       a.begin() + static_cast<std::ptrdiff_t>(offset + size),
                       b.begin() + static_cast<std::ptrdiff_t>(offset));
}

// "all[3]", "(*all)[3]": what is taken of a name that begins with an operator needs parentheses.
std::string named_whole(const std::string& name) {
    bool is_plain = name.find_first_of("*&+-!~( ") != 0;
    return is_plain ? name : "(" + name + ")";
}

// Of an array that is too large to be shown: its elements from the first that differs to the last,
// as far as they fit.
Piece stretch_that_differs(const Piece& part, const Type& element, ByteSpan before,
                           ByteSpan after) {
    constexpr std::uint64_t kMostElements = 32;
    std::uint64_t size = plain(element).size, count = plain(*part.type).count.value_or(0);
    auto differs = [&](std::uint64_t i) {
        return differ(before, after, part.offset + i * size, size);
    };
    std::uint64_t first = 0, last = count - 1;
    while (first < last && !differs(first)) ++first;
    while (last > first && !differs(last)) --last;
    last = std::min(last, first + kMostElements - 1);
    std::uint64_t elements = last - first + 1;
    if (elements == 1)
        return {fmt::format("{}[{}]", named_whole(part.name), first), &element,
                part.offset + first * size, size};
    return {fmt::format("{}[{}..{}]", named_whole(part.name), first, last + 1),
            &array_of(element, elements), part.offset + first * size, elements * size};
}

Piece part_that_differs(Piece part, ByteSpan before, ByteSpan after) {
    constexpr int kDeepest = 20;
    constexpr std::size_t kShownWhole = 200;
    for (int depth = 0; depth < kDeepest; ++depth) {
        const Type& type = plain(*part.type);
        std::optional<Piece> only;
        unsigned found = 0;
        auto consider = [&](Piece inner) {
            if (!differ(before, after, inner.offset, inner.size)) return;
            ++found;
            only = std::move(inner);
        };
        if (type.kind == TypeKind::structure) {
            for (const Member& member : type.members())
                if (!member.name.empty() && !member.bit_size)
                    consider({named_whole(part.name) + "." + member.name, member.type,
                              part.offset + member.offset, plain(*member.type).size});
        } else if (type.kind == TypeKind::array) {
            const Type& element = *type.target;
            std::size_t size = plain(element).size;
            for (std::uint64_t i = 0; size && i < type.count.value_or(0) && found < 2; ++i)
                consider({fmt::format("{}[{}]", named_whole(part.name), i), &element,
                          part.offset + i * size, size});
            if (found > 1 && part.size > kShownWhole)
                return stretch_that_differs(part, element, before, after);
            if (part.size <= kShownWhole &&
                (plain(element).kind == TypeKind::character || size == 1))
                return part;  // a text is shown whole
        }
        if (found != 1) return part;
        part = *only;
    }
    return part;
}

constexpr std::uint64_t kMostWatched = 64 << 20;

// A string instruction with a prefix that repeats it.
bool is_repeating(Target& target, RunAddress at) {
    std::byte bytes[3] = {};
    target.read_available(at, bytes);
    auto byte = [&](int i) { return std::to_integer<unsigned>(bytes[i]); };
    if (byte(0) != 0xf2 && byte(0) != 0xf3) return false;
    unsigned operation = (byte(1) & 0xf0) == 0x40 ? byte(2) : byte(1);
    return (operation >= 0xa4 && operation <= 0xa7) || (operation >= 0xaa && operation <= 0xaf);
}

Touched touched_how(bool changed, Watching::Reads how) {
    if (changed) return Touched::changed;
    if (how == Watching::Reads::yes) return Touched::read;
    return how == Watching::Reads::no ? Touched::written_again : Touched::unsure;
}

}  // namespace

void Watching::find(Breakpoint& breakpoint) {
    // What is the program's own means the same in every frame, and before there is one.
    EvaluationContext where = parts_.moment().context();
    if (breakpoint.watched->is_of_program) where.frame = nullptr;
    Value value = evaluate(breakpoint.subject, where);
    if (!value.address)
        throw RequestError(
            fmt::format("{} has no address that could be watched: {}", breakpoint.subject,
                        value.is_available() ? "it is a computed value, or lies in a register"
                                             : value.unavailable),
            "a variable, a member, an element or *pointer has one");
    std::uint64_t size = plain(*value.type).size;
    if (size == 0) throw RequestError(fmt::format("{} takes no memory", breakpoint.subject));
    if (size > kMostWatched)
        throw RequestError(
            fmt::format("{} takes {} bytes; at most {} can be watched", breakpoint.subject,
                        with_thousands(size), with_thousands(kMostWatched)),
            "watch a part of it");
    WatchedValue& watched = *breakpoint.watched;
    watched.value = value;
    watched.range = {*value.address, *value.address + size};
    watched.bytes = bytes_at(process_, watched.range);
    watched.events = 0;
    watched.is_of_program =
        watched.is_of_program || is_of_program(breakpoint.subject, *value.address);
}

// A global of the program or a part of it: what it is called leads to the same address without a
// frame.
bool Watching::is_of_program(const std::string& expression, RunAddress address) const {
    if (process_.module_at(address) != &process_.modules().front()) return false;
    EvaluationContext nowhere = parts_.moment().context();
    nowhere.frame = nullptr;
    try {
        return evaluate(expression, nowhere).address == address;
    } catch (const Error&) {
        return false;
    }
}

std::vector<unsigned> Watching::free_debug_registers() const {
    std::vector<unsigned> free;
    for (unsigned number = 0; number < kDebugAddresses; ++number) {
        bool taken = std::ranges::any_of(parts_.breakpoints.all(), [&](const Breakpoint& other) {
            return other.watched && std::count(other.watched->debug_registers.begin(),
                                               other.watched->debug_registers.end(), number);
        });
        if (!taken) free.push_back(number);
    }
    return free;
}

void Watching::set_up(WatchedValue& watched, bool on_reads) {
    auto pieces = aligned_pieces(watched.range);
    std::vector<unsigned> free = free_debug_registers();
    if (pieces.size() <= free.size()) {
        for (std::size_t i = 0; i < pieces.size(); ++i) {
            process_.set_watch(free[i], pieces[i].first, pieces[i].second, on_reads);
            watched.debug_registers.push_back(free[i]);
        }
        return;
    }
    RunAddress stack = process_.registers(parts_.selection.thread()).stack_pointer();
    for (const MemoryRegion& region : process_.regions())
        if (region.begin <= watched.range.low && watched.range.low < region.end &&
            region.begin <= stack && stack < region.end)
            throw RequestError(
                fmt::format("{} bytes are more than the four debug registers hold, and the pages "
                            "of the running stack cannot be protected: every call writes there",
                            watched.range.size()),
                Next::watch_part_or_by_steps);
    process_.protect(watched.range, on_reads);
    watched.by_pages = true;
}

void Watching::take_down(WatchedValue& watched) {
    for (unsigned number : watched.debug_registers) process_.clear_watch(number);
    watched.debug_registers.clear();
    if (watched.by_pages) process_.unprotect(watched.range);
    watched.by_pages = false;
    for (RunAddress end : watched.frame_ends) process_.remove_trap(end, ProbeClient::frame_end);
    watched.frame_ends.clear();
    watched.owner.reset();
}

void Watching::start(Breakpoint& breakpoint) {
    WatchedValue& watched = *breakpoint.watched;
    find(breakpoint);
    if (!watched.by_steps) set_up(watched, breakpoint.cause != Cause::write);
    watch_frame(watched);
    watched.has_ended = false;
}

bool Watching::start_in_copy(Breakpoint& breakpoint, ThreadId thread) {
    WatchedValue& watched = *breakpoint.watched;
    if (watched.has_ended || (watched.owner && watched.owner->thread != thread)) return false;
    try {
        if (!watched.by_steps) set_up(watched, breakpoint.cause != Cause::write);
    } catch (const Error&) {
        return false;
    }
    if (watched.owner) watched.owner->thread = process_.id();
    watch_end_of_frame(watched);
    return true;
}

void Watching::stop(Breakpoint& breakpoint) {
    take_down(*breakpoint.watched);
}

Watching::Contents Watching::contents() {
    Contents all;
    for (Breakpoint& breakpoint : parts_.breakpoints.all()) {
        if (!breakpoint.is_watch() || !breakpoint.is_on || breakpoint.watched->has_ended) continue;
        std::vector<std::byte> now(breakpoint.watched->range.size());
        if (process_.read_available(breakpoint.watched->range.low, now) == now.size())
            all[breakpoint.watched.get()] = std::move(now);
    }
    return all;
}

// Only what differs: another thread may have written, and not told yet.
void Watching::take_over(const Contents& before) {
    for (const auto& [watched, now] : contents()) {
        auto found = before.find(watched);
        if (found == before.end()) continue;
        for (std::size_t i = 0; i < now.size() && i < watched->bytes.size(); ++i)
            if (now[i] != found->second[i]) watched->bytes[i] = now[i];
    }
}

void Watching::follow_all() {
    for (Breakpoint& breakpoint : parts_.breakpoints.all()) {
        if (!breakpoint.is_watch() || !breakpoint.is_on || !breakpoint.watched->follows) continue;
        try {
            Value value = evaluate(breakpoint.subject, parts_.moment().context());
            if (!value.address || *value.address == breakpoint.watched->range.low) continue;
            take_down(*breakpoint.watched);
            start(breakpoint);
        } catch (const Error&) {  // out of scope here: what was watched stays watched
        }
    }
}

bool Watching::any_by_steps() const {
    return std::ranges::any_of(parts_.breakpoints.all(), [](const Breakpoint& b) {
        return b.is_on && b.watched && b.watched->by_steps && !b.watched->has_ended;
    });
}

// An address inside of the instruction that wrote: the processor tells when it is done, so it is
// the one before. A call that has put its return address there lies before that one.
RunAddress Watching::writer(ThreadId thread, const RunRange& written) {
    const Registers& registers = process_.registers(thread);
    RunAddress next = registers.program_counter(), top = registers.stack_pointer();
    constexpr std::uint64_t kWord = 8;
    bool may_be_call = written.low < top + kWord && top < written.high;
    std::uint64_t back = 0;
    auto bytes = std::as_writable_bytes(std::span(&back, 1));
    if (!may_be_call || process_.read_available(top, bytes) != kWord) return next - 1;
    auto call = call_before(process_, RunAddress(back));
    bool leads_here = call && (call->target ? *call->target == next : begins_function(next));
    return leads_here ? RunAddress(back) - 1 : next - 1;
}

bool Watching::begins_function(RunAddress at) {
    const Module* module = process_.module_at(at);
    auto nearest = module ? module->symbols().nearest_name(module->to_file(at)) : std::nullopt;
    return nearest && nearest->offset == 0;
}

// The statement that did it.
WatchChange Watching::change(const Seen& seen, const TargetEvent& event) {
    const Breakpoint& breakpoint = *seen.breakpoint;
    const std::vector<std::byte>& now = seen.now;
    const WatchedValue& watched = *breakpoint.watched;
    WatchChange change;
    change.number = breakpoint.number;
    change.expression = breakpoint.subject;
    change.is_first = watched.events <= 1;
    change.touched = seen.touched;
    Piece part{breakpoint.subject, watched.value.type, 0, now.size()};
    if (change.touched == Touched::changed)
        part = part_that_differs(part, watched.bytes_before, now);
    change.expression = part.name;
    change.before =
        value_of_bytes(*part.type, ByteSpan(watched.bytes_before).subspan(part.offset, part.size));
    change.after = value_of_bytes(*part.type, ByteSpan(now).subspan(part.offset, part.size));
    RunAddress last = writer(event.thread, watched.range);
    change.instruction = last + 1;
    if (const Module* module = process_.module_at(last)) {
        FileAddress at = module->to_file(last);
        if (auto line = module->symbols().line_at(at)) {
            change.file = line->file;
            change.line = line->line;
        }
        if (auto name = module->symbols().nearest_name(at)) change.function = name->name;
    }
    if (event.system_call >= 0)
        change.by = fmt::format("the system call {}", system_call_name(event.system_call));
    return change;
}

// Of operands that are one place or another it is not told which of them was touched, and a string
// instruction that repeats stands on itself.
Watching::Reads Watching::reads(const TargetEvent& event, const RunRange& range, bool changed) {
    // What the kernel reads is told of the calls that are known to read it.
    if (event.system_call >= 0)
        return changed ? Reads::no : event.call_is_known ? Reads::yes : Reads::unsure;
    RunAddress last = writer(event.thread, range);
    const Module* module = process_.module_at(last);
    const Function* function =
        module ? module->symbols().function_at(module->to_file(last)) : nullptr;
    if (!function || is_repeating(process_, last + 1)) return Reads::unsure;
    const FlowGraph& flow = parts_.debuggee.flow_of(*module, *function);
    std::uint32_t node = flow.around(module->to_file(last));
    if (node == FlowGraph::kNone) return Reads::unsure;
    auto effects = effects_of(module->symbols().elf().loaded_bytes(flow.nodes()[node].address,
                                                                   flow.nodes()[node].length));
    if (!effects || effects->memory.empty()) return Reads::unsure;
    auto does_read = [](const MemoryAccess& access) { return access.reads; };
    if (std::ranges::all_of(effects->memory, does_read)) return Reads::yes;
    return std::ranges::none_of(effects->memory, does_read) ? Reads::no : Reads::unsure;
}

std::vector<Watching::Seen> Watching::seen(const TargetEvent& event) {
    std::vector<Seen> found;
    for (Breakpoint& breakpoint : parts_.breakpoints.all()) {
        if (!breakpoint.is_watch() || !breakpoint.is_on || breakpoint.watched->has_ended) continue;
        WatchedValue& watched = *breakpoint.watched;
        bool meant =
            event.kind == TargetEvent::Kind::touched ? watched.by_pages
            : event.kind == TargetEvent::Kind::stepped
                ? watched.by_steps
                : std::any_of(watched.debug_registers.begin(), watched.debug_registers.end(),
                              [&](unsigned number) { return event.watches >> number & 1; });
        if (!meant) continue;
        ++watched.events;
        std::vector<std::byte> now(watched.range.size());
        if (process_.read_available(watched.range.low, now) != now.size()) continue;
        if (event.batch != watched.batch || event.batch == 0) {
            watched.batch = event.batch;
            watched.bytes_before = watched.bytes;
        }
        bool changed = now != watched.bytes_before;
        bool touched = event.kind != TargetEvent::Kind::touched || changed ||
                       watched.range.contains(event.fault_address);
        if (!changed && (breakpoint.cause == Cause::write || !touched || watched.by_steps))
            continue;
        Reads how =
            breakpoint.cause == Cause::write ? Reads::unsure : reads(event, watched.range, changed);
        bool is_meant =
            breakpoint.cause != Cause::read || (changed ? how == Reads::yes : how != Reads::no);
        if (is_meant)
            found.push_back({&breakpoint, std::move(now), touched_how(changed, how)});
        else
            watched.bytes = std::move(now);
    }
    return found;
}

}  // namespace lantern
