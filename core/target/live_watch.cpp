// Watching memory: with the debug registers of every thread (Intel SDM 3B, §17.2), and, for more
// than they can hold, by taking the rights to the pages away (mprotect(2)) and letting single
// instructions and system calls through.
#include <fmt/format.h>
#include <sys/mman.h>
#include <sys/syscall.h>
#include <sys/user.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstddef>
#include <cstring>
#include <utility>

#include "core/machine/debug_registers.h"
#include "core/machine/instruction.h"
#include "core/machine/page.h"
#include "core/machine/store.h"
#include "core/machine/system_call.h"
#include "core/support/error.h"
#include "core/target/live_process.h"

namespace lantern {
namespace {

constexpr std::int64_t kPageLong =
    4096;  // results of system calls above its negative are error numbers
constexpr std::uint64_t kLeastScratch = 64 << 10, kMostScratch = 64 << 20;

}  // namespace

// ---- debug registers

void LiveProcess::write_debug_registers(ThreadId id) {
    watches_.write(kernel_, id);
}

void LiveProcess::set_watch(unsigned number, RunAddress address, unsigned length, bool on_reads) {
    watches_.use(number, {address, length, on_reads});
    try {
        for (ThreadId id : threads()) write_debug_registers(id);
    } catch (...) {
        watches_.free(number);
        throw;
    }
}

void LiveProcess::clear_watch(unsigned number) {
    if (!watches_.is_used(number)) return;
    watches_.free(number);
    if (alive_)
        for (ThreadId id : threads()) write_debug_registers(id);
}

// ---- what the kernel writes
// ---------------------------------------------------------------------------------------- The
// debug registers do not tell of it: what they watch is looked at before and after each system
// call.

void LiveProcess::keep_what_is_watched(ThreadId id) {
    CallUnderWay& call = threads_.at(id).call;
    call.before = watches_.bytes(*memory_);
    call.written = call.read = 0;
    if (writes_no_memory(registers(id))) return;
    auto buffer = buffer_of_call(registers(id));
    call.is_known = buffer.has_value();
    for (unsigned number = 0; number < kDebugAddresses; ++number) {
        if (!watches_.is_used(number) ||
            (buffer && !watches_[number].meets(buffer->address, buffer->size)))
            continue;
        if (!buffer || buffer->is_written)
            call.written |= 1u << number;
        else if (watches_[number].on_reads)
            call.read |= 1u << number;
    }
}

std::optional<TargetEvent> LiveProcess::changed_by_call(ThreadId id) {
    CallUnderWay& call = threads_.at(id).call;
    std::vector<std::byte> before = std::exchange(call.before, {}), now = watches_.bytes(*memory_);
    unsigned read = std::exchange(call.read, 0), written = std::exchange(call.written, 0);
    if (before.size() != now.size())
        return std::nullopt;  // others are watched now than when it was entered
    unsigned hits = read | watches_.changed(before, now, written);
    if (!hits) return std::nullopt;
    TargetEvent event{TargetEvent::Kind::watched, id};
    event.watches = hits;
    event.system_call = static_cast<long>(registers(id).system_call);
    event.call_is_known = call.is_known;
    return event;
}

// While a thread was in a system call of which nothing is known another one may have written: that
// one's debug registers know, or the buffer of its own call. All stand; `first` is about to be
// told, the others' events wait.
void LiveProcess::leave_to_others(TargetEvent& first) {
    std::vector<TargetEvent*> told{&first};
    for (auto& [id, thread] : threads_)
        if (thread.pending && thread.pending->kind == TargetEvent::Kind::watched)
            told.push_back(&*thread.pending);
    for (TargetEvent* unsure : told) {
        if (unsure->system_call < 0 || unsure->call_is_known) continue;
        for (const TargetEvent* other : told)
            if (other != unsure && (other->system_call < 0 || other->call_is_known))
                unsure->watches &= ~other->watches;
        for (const auto& [id, thread] : threads_)
            if (id != unsure->thread && thread.call.is_known)
                unsure->watches &= ~thread.call.written;
    }
    for (auto& [id, thread] : threads_)
        if (thread.pending && thread.pending->kind == TargetEvent::Kind::watched &&
            !thread.pending->watches)
            thread.pending.reset();
}

// ---- a system call for us

constexpr unsigned kSystemCallRoom = 16;  // at the end of the room for copies

// The thread must be stopped. The others may run: the instruction it uses for the moment stands in
// our own room. Throws RequestError where none may be made, TargetError when the thread ends
// meanwhile.
std::int64_t LiveProcess::system_call(ThreadId id, long number,
                                      std::initializer_list<std::uint64_t> arguments) {
    leave_system_call(id);
    if (has_forbidden_system_calls())
        throw RequestError(
            "the program has forbidden itself system calls (seccomp): one that we make it do could "
            "end it",
            "a value of up to 8 bytes is watched without any");
    const Module& main = main_module();
    RunRange room = unused_end_of_code(main);
    RunAddress at = room.size() >= kSystemCallRoom ? room.high - kSystemCallRoom
                                                   : main.to_run(main.symbols().elf().entry());
    std::byte before[kSystemCallLength];
    if (memory_->read(at, before) != sizeof before)
        throw TargetError("the program's code cannot be read");
    write_raw(at, kSystemCallCode);
    Thread& thread = threads_.at(id);
    Registers kept = registers(id);
    Registers call = kept;
    set_system_call(call, number, arguments);
    call.set_program_counter(at);
    do {  // a signal that comes first waits; a system call that is just being left changes what we
          // set
        set_registers(id, call);
        flush_registers(id, thread);
        kernel_.resume(id, Kernel::Motion::one_instruction, 0);
        Tracer::News news = tracer_.wait(process_, id);
        int status = news.status;
        ++stops_;
        if (!news.has_come() || !WIFSTOPPED(status))
            throw TargetError("the program ended while it worked for us");
        if (!(status >> 16) && WSTOPSIG(status) != SIGTRAP)
            thread.signal_to_deliver = WSTOPSIG(status);
    } while (registers(id).program_counter() == at);
    std::int64_t result = system_call_result(registers(id));
    set_registers(id, kept);
    write_raw(at, before);
    return result;
}

// ---- page protection

void LiveProcess::set_protection(ThreadId id, bool protects) {
    bool is_open_for_a_call = std::ranges::any_of(
        threads_, [](const auto& each) { return each.second.call.runs_lifted; });
    if (protects && is_open_for_a_call) return;  // the kernel would refuse the rest of it
    for (const WatchedPages::Pages& each : protected_.all()) {
        int rights = protects ? each.closed() : each.rights;
        std::int64_t result = system_call(
            id, SYS_mprotect,
            {each.pages.low.value, each.pages.size(), static_cast<std::uint64_t>(rights)});
        if (result < 0)
            throw TargetError(fmt::format("the pages around {:#x} cannot be protected: {}",
                                          each.watched.low.value,
                                          std::strerror(static_cast<int>(-result))));
    }
    target_moves();
}

// PROT_READ …, where all of the pages have the same; they may lie in several regions, as a
// program's data does.
std::optional<int> LiveProcess::rights_of(RunRange pages) {
    std::optional<int> rights;
    RunAddress reached = pages.low;
    for (const MemoryRegion& region : regions()) {
        if (!region.contains(reached)) continue;
        int here = (region.permissions[0] == 'r' ? PROT_READ : 0) |
                   (region.permissions[1] == 'w' ? PROT_WRITE : 0) |
                   (region.permissions[2] == 'x' ? PROT_EXEC : 0);
        if (rights && *rights != here) return std::nullopt;
        rights = here;
        reached = region.end;
        if (pages.high <= reached) return rights;
    }
    return std::nullopt;
}

void LiveProcess::protect(RunRange range, bool against_reads) {
    auto rights = rights_of(WatchedPages::around(range));
    if (!rights)
        throw RequestError(fmt::format("the memory at {:#x} has different rights from page to "
                                       "page, and cannot be watched as a whole",
                                       range.low.value),
                           "watch a part of it");
    protected_.add(range, against_reads, *rights);
    try {
        set_protection(living_thread(), true);
    } catch (...) {
        protected_.remove(range);
        throw;
    }
}

void LiveProcess::unprotect(RunRange range) {
    if (alive_ && !threads_.empty()) {
        if (protected_.size() == 1) give_calls_back();
        set_protection(living_thread(), false);
    }
    protected_.remove(range);
    if (alive_ && !threads_.empty() && !protected_.empty()) set_protection(living_thread(), true);
}

// The usual stores are done for the program, without opening the page to the other threads.
bool LiveProcess::do_store(ThreadId id, ByteSpan instruction, RunAddress touched) {
    auto store = work_out_store(instruction, registers(id),
                                [&](RunAddress address, std::span<std::byte> out) {
                                    return read_available(address, out) == out.size();
                                });
    bool fits =
        store && store->address <= touched && touched < store->address + store->bytes.size();
    if (!fits || !protected_.contain(store->address) ||
        !protected_.contain(store->address + store->bytes.size() - 1))
        return false;
    if (memory_->write(store->address, store->bytes) != store->bytes.size()) return false;
    cache_.clear();
    set_registers(id, store->after);
    return true;
}

// ---- system calls into protected pages

// The kernel would refuse to write there. Where the call's buffer is known, it gets memory of ours
// instead, and what comes of it is copied: no other thread notices. Of other calls the pages are
// opened until it ends; what other threads write there meanwhile is taken for the call's.
bool LiveProcess::map_scratch(ThreadId id, std::uint64_t size) {
    if (scratches_.give(id, size, [&](ThreadId user) { return threads_.count(user) != 0; }))
        return true;
    size = (std::max<std::uint64_t>(size, kLeastScratch) + kPageSize - 1) & ~(kPageSize - 1);
    std::int64_t mapped = system_call(
        id, SYS_mmap,
        {0, size, PROT_READ | PROT_WRITE, MAP_PRIVATE | MAP_ANONYMOUS, ~std::uint64_t{0}, 0});
    if (mapped < 0 && mapped > -kPageLong) return false;
    RunAddress low(static_cast<std::uint64_t>(mapped));
    system_call(id, SYS_madvise, {low.value, size, MADV_DONTFORK});
    scratches_.add({low, low + size}, id);
    maps_are_old_ = true;
    return true;
}

// False: the buffer is not all there; what the kernel makes of that it shall say itself.
bool LiveProcess::lend_scratch(ThreadId id, const CallBuffer& buffer) {
    RunRange scratch = scratches_.of(id);
    std::vector<std::byte> bytes(buffer.size);
    if (memory_->read(RunAddress(buffer.address), bytes) != bytes.size()) return false;
    if (!buffer.is_written) memory_->write(scratch.low, bytes);
    threads_.at(id).call.lent = buffer;
    Registers call = registers(id);
    set_system_call_argument(call, buffer.argument, scratch.low.value);
    set_registers(id, call);
    return true;
}

std::optional<TargetEvent> LiveProcess::take_scratch_back(ThreadId id) {
    CallBuffer buffer = *std::exchange(threads_.at(id).call.lent, std::nullopt);
    Registers now = registers(id);
    set_system_call_argument(now, buffer.argument, buffer.address);
    set_registers(id, now);
    std::vector<std::byte> bytes(buffer.used(system_call_result(now)));
    if (bytes.empty()) return std::nullopt;
    if (buffer.is_written && memory_->read(scratches_.of(id).low, bytes) == bytes.size())
        memory_->write(RunAddress(buffer.address), bytes);
    cache_.clear();
    RunRange used{RunAddress(buffer.address), RunAddress(buffer.address + bytes.size())};
    return protected_.watch(used) ? std::optional(touched_by_call(id)) : std::nullopt;
}

TargetEvent LiveProcess::touched_by_call(ThreadId id) {
    TargetEvent event{TargetEvent::Kind::touched, id};
    event.fault_address = protected_.all().front().watched.low;
    event.system_call = static_cast<long>(registers(id).system_call);
    return event;
}

// Nobody will be told any more when the calls end that threads stand in: they get their own memory,
// and are taken up from the beginning.
void LiveProcess::give_calls_back() {
    for (auto& [id, thread] : threads_) {
        CallUnderWay& call = thread.call;
        if (thread.running || (!call.passed_over && !call.lent)) continue;
        Registers now = call.passed_over ? *call.passed_over : registers(id);
        if (call.passed_over) {
            take_system_call_back(now, static_cast<long>(now.system_call));
            thread.inside = Thread::In::nothing;
        } else {
            set_system_call_argument(now, call.lent->argument, call.lent->address);
        }
        set_registers(id, now);
        call.passed_over.reset();
        call.lent.reset();
        call.wants_scratch = 0;
    }
}

// The system call is passed over; at its end there is memory for it, or the pages are opened, and
// it comes once more.
void LiveProcess::hold_system_call(ThreadId id) {
    threads_.at(id).call.passed_over = registers(id);
    Registers none = registers(id);
    none.system_call = ~std::uint64_t{0};
    set_registers(id, none);
}

std::optional<TargetEvent> LiveProcess::look_at_system_call(ThreadId id, bool entered) {
    auto touched = look_at_call_into_pages(id, entered);
    if (touched || !watches_calls_) return touched;
    if (!entered) return changed_by_call(id);
    keep_what_is_watched(id);
    return std::nullopt;
}

std::optional<TargetEvent> LiveProcess::look_at_call_into_pages(ThreadId id, bool entered) {
    CallUnderWay& call = threads_.at(id).call;
    if (entered) {
        if (protected_.empty() || call.runs_lifted) return std::nullopt;
        bool must_lift = std::exchange(call.lifts_next, false);
        auto buffer = must_lift ? std::nullopt : buffer_of_call(registers(id));
        if (buffer && protected_.are_pointed_at(registers(id), buffer->argument)) buffer.reset();
        if (buffer && !protected_.refuse(*buffer)) return std::nullopt;
        bool fits = buffer && buffer->size <= scratches_.of(id).size();
        if (fits && lend_scratch(id, *buffer)) return std::nullopt;
        if (buffer && !fits && buffer->size <= kMostScratch) call.wants_scratch = buffer->size;
        if (must_lift || buffer || protected_.may_be_reached(registers(id))) hold_system_call(id);
        return std::nullopt;
    }
    if (call.lent) return take_scratch_back(id);
    if (call.passed_over) {
        Registers again = *std::exchange(call.passed_over, std::nullopt);
        std::uint64_t wanted = std::exchange(call.wants_scratch, 0);
        take_system_call_back(again, static_cast<long>(again.system_call));
        set_registers(id, again);
        if (wanted && map_scratch(id, wanted)) return std::nullopt;
        set_protection(id, false);
        call.runs_lifted = true;
        return std::nullopt;
    }
    if (call.runs_lifted) {
        call.runs_lifted = false;
        if (protected_.empty()) return std::nullopt;
        set_protection(id, true);
        bool was_refused =
            system_call_result(registers(id)) == -EFAULT;  // for the program's own reasons
        return was_refused ? std::nullopt : std::optional(touched_by_call(id));
    }
    if (!protected_.empty() && system_call_result(registers(id)) == -EFAULT) {
        // It was refused where no argument told that it would be: once more, with the pages open.
        Registers again = registers(id);
        take_system_call_back(again, static_cast<long>(again.system_call));
        set_registers(id, again);
        call.lifts_next = true;
    }
    return std::nullopt;
}

// An instruction was refused a protected page. It gets its way while the others stand; whether it
// touched what is watched is for the one who asked. Nothing: it did not.
std::optional<TargetEvent> LiveProcess::pass_protection(ThreadId id, RunAddress touched) {
    threads_.at(id).signal_information.reset();
    // How far it reaches: the instruction's own operand, wherever in it the fault was.
    RunRange access{touched, touched + 1};
    RunAddress at = registers(id).program_counter();
    std::byte bytes[kLongestInstruction];
    if (auto instruction = decode_instruction(ByteSpan(bytes, read_available(at, bytes)), at))
        for (const MemoryOperand& operand : instruction->memory)
            access.high = std::max(access.high, touched + std::max(1u, operand.size));
    if (!do_store(id, bytes, touched)) {
        stop_other_threads();
        if (!alive_) return lost();
        set_protection(id, false);
        WatchedPages kept = std::exchange(protected_, {});
        TargetEvent event = step(id);
        protected_ = std::move(kept);
        if (event.is_end()) return event;
        if (event.kind != TargetEvent::Kind::stepped && threads_.count(event.thread))
            threads_.at(event.thread).pending = event;
        set_protection(threads_.count(id) ? id : living_thread(), true);
        others_wait_ = true;
    }
    if (!protected_.watch(access)) return std::nullopt;
    TargetEvent event{TargetEvent::Kind::touched, id};
    event.fault_address = touched;
    return event;
}

}  // namespace lantern
