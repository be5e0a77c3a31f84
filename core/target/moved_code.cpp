// How a thread passes a breakpoint byte without lifting it: it runs a copy of the instruction (see
// code_rooms.h).
#include <fmt/format.h>
#include <sys/mman.h>
#include <sys/syscall.h>
#include <sys/wait.h>

#include <algorithm>

#include "core/machine/moved_instruction.h"
#include "core/support/error.h"
#include "core/target/live_process.h"

namespace lantern {

// seccomp(2): one of ours could end it.
bool LiveProcess::has_forbidden_system_calls() const {
    std::string status = task_text("status");
    std::size_t at = status.find("\nSeccomp:\t");
    return at != std::string::npos && status[at + 10] != '0';
}

// Memory that the program maps for us. Children that are forked do not get it, and it goes when we
// do.
bool LiveProcess::map_room(ThreadId id, RunAddress near) {
    if (maps_no_rooms_ || !threads_.count(id)) return false;  // a guest runs nothing for us
    // Our own do not count as the program's regions, and are in the way all the same.
    std::vector<MemoryRegion> taken = regions();
    for (const CodeRooms::Room& room : rooms_.all())
        if (room.is_mapped()) {
            MemoryRegion& ours = taken.emplace_back();
            ours.begin = room.range.low;
            ours.end = room.range.high;
        }
    std::ranges::sort(taken, {}, &MemoryRegion::begin);
    auto place = place_for_room(taken, near);
    if (!place || has_forbidden_system_calls()) {
        maps_no_rooms_ = true;
        return false;
    }
    try {
        std::uint64_t low = place->low.value, size = place->size();
        std::int64_t mapped =
            system_call(id, SYS_mmap,
                        {low, size, PROT_READ | PROT_EXEC,
                         MAP_PRIVATE | MAP_ANONYMOUS | MAP_FIXED_NOREPLACE, ~std::uint64_t{0}, 0});
        maps_no_rooms_ = mapped != static_cast<std::int64_t>(low);
        if (maps_no_rooms_) return false;
        system_call(id, SYS_madvise, {low, size, MADV_DONTFORK});
    } catch (const Error&) {  // it stands where it can run nothing for us, or has been killed
        return false;
    }
    rooms_.all().push_back({*place, 0, {}});
    maps_are_old_ = true;
    return true;
}

void LiveProcess::unmap_what_is_ours() {
    std::vector<RunRange> ours;
    for (const CodeRooms::Room& room : rooms_.all())
        if (room.is_mapped()) ours.push_back(room.range);
    for (const ScratchMemory::Piece& scratch : scratches_.all()) ours.push_back(scratch.range);
    for (const RunRange& range : ours)
        for (ThreadId id : threads()) {
            if (threads_.at(id).running || threads_.at(id).is_ending) continue;
            try {
                system_call(id, SYS_munmap, {range.low.value, range.size()});
                break;
            } catch (const Error&) {  // another may stand where it can
            }
        }
    rooms_.forget_mapped();
    scratches_.clear();
}

bool LiveProcess::take_end_of_code(const Module& module) {
    RunRange room = unused_end_of_code(module);
    if (room.size() < kLongestMovedCode || rooms_.room_from(room.low)) return false;
    std::vector<std::byte> before(room.size());
    if (memory_->read(room.low, before) != before.size()) return false;
    rooms_.all().push_back({room, 0, std::move(before)});
    return true;
}

// Writes a copy into the first room that has space and is near enough.
std::optional<CodeRooms::Copy> LiveProcess::copied(RunAddress at, ByteSpan bytes) {
    for (CodeRooms::Room& room : rooms_.all()) {
        auto place = room.next();
        auto code = place ? move_instruction(bytes, at, *place) : std::nullopt;
        if (!code || memory_->write(*place, *code) != code->size()) continue;
        room.used += kLongestMovedCode;
        auto instruction = decode_instruction(bytes, at);
        return CodeRooms::Copy{*place, instruction && instruction->kind == Instruction::Kind::call};
    }
    return std::nullopt;
}

// `id`: a thread that stands. Null: the instruction cannot be moved.
const CodeRooms::Copy* LiveProcess::moved_copy(ThreadId id, RunAddress at) {
    if (const CodeRooms::Copy* known = rooms_.find(at))
        return known->address.value ? known : nullptr;
    const Module* module = module_at(at);
    std::byte buffer[kLongestInstruction];
    ByteSpan bytes(buffer, read_available(at, buffer));
    bool can_move =
        module && module->path() != "[vdso]" && move_instruction(bytes, at, at).has_value();
    auto copy = can_move ? copied(at, bytes) : std::nullopt;
    if (can_move && !copy && take_end_of_code(*module)) copy = copied(at, bytes);
    if (can_move && !copy && map_room(id, at)) copy = copied(at, bytes);
    if (can_move && !copy && !maps_no_rooms_)
        return nullptr;  // another thread may be able to have a room mapped
    const CodeRooms::Copy& kept = rooms_.keep(at, copy.value_or(CodeRooms::Copy{}));
    return copy ? &kept : nullptr;
}

// Brings a stopped thread that is in a copy back to where the program would be: before the
// instruction if nothing of it was done or it failed, else behind it. `event`: the signal that
// stopped it, if one did.
void LiveProcess::settle(ThreadId id, const TargetEvent* event) {
    Thread& thread = threads_.at(id);
    if (!thread.in_moved_code) return;
    thread.in_moved_code = false;
    for (int steps = 0; steps < 8; ++steps) {
        RunAddress at = registers(id).program_counter();
        if (!rooms_.holds(at)) return;
        bool failed = event && event->is_fault;
        auto found = rooms_.around(at);
        if (found && (at == found->second.address || failed)) {
            auto [original, copy] = *found;
            Registers back = registers(id);
            // A call that failed to find its target had pushed its return address already.
            if (failed && copy.is_call && at != copy.address)
                back.set_stack_pointer(back.stack_pointer() + 8);
            back.set_program_counter(original);
            set_registers(id, back);
            thread.told_trap = original;
            return;
        }
        flush_registers(id, thread);
        kernel_.resume(id, Kernel::Motion::one_instruction, 0);
        Tracer::News news = tracer_.wait(process_, id);
        ++stops_;
        if (!news.has_come() || !WIFSTOPPED(news.status))
            return;  // killed meanwhile: its end is told next
    }
}

}  // namespace lantern
