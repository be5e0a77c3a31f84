// How a thread passes a breakpoint byte without lifting it: it runs a copy of the instruction, kept in the unused end of
// the last page of the module's code.
#include <fmt/format.h>
#include <sys/wait.h>

#include "core/machine/moved_instruction.h"
#include "core/target/live_process.h"

namespace lantern {
namespace {

constexpr std::uint64_t kPageSize = 4096;

std::uint64_t page_end(std::uint64_t address) {
    return (address + kPageSize - 1) & ~(kPageSize - 1);
}

}  // namespace

// Code is mapped by whole pages: what lies behind its last byte is nobody's.
RunRange LiveProcess::room_for_moved_code(const Module& module) const {
    RunRange largest{};
    for (const Segment& segment : module.symbols().elf().segments()) {
        if (!segment.executable || segment.writable) continue;
        RunAddress end = module.to_run(segment.range.high);
        RunRange room{RunAddress((end.value + 15) & ~std::uint64_t{15}), RunAddress(page_end(end.value))};
        if (room.low < room.high && room.size() > largest.size()) largest = room;
    }
    return largest;
}

const LiveProcess::MovedCode* LiveProcess::moved_copy(RunAddress at) {
    if (auto found = moved_.find(at); found != moved_.end()) return found->second.address.value ? &found->second : nullptr;
    auto& slot = moved_[at];  // without an address: it cannot be moved
    const Module* module = module_at(at);
    if (!module || module->path() == "[vdso]") return nullptr;
    RunRange room = room_for_moved_code(*module);
    if (room.size() < kLongestMovedCode) return nullptr;
    if (!room_taken_.count(room.low)) {
        std::vector<std::byte> found(room.size());
        if (memory_->read(room.low, found) != found.size()) return nullptr;
        room_taken_[room.low] = std::move(found);
    }
    std::size_t& used = room_used_[room.low];
    if (used + kLongestMovedCode + kLongestInstruction > room.size()) return nullptr;
    std::byte bytes[kLongestInstruction];
    std::size_t got = read_available(at, bytes);
    RunAddress place = room.low + used;
    auto code = move_instruction(ByteSpan(bytes, got), at, place);
    if (!code) return nullptr;
    if (memory_->write(place, *code) != code->size()) return nullptr;
    used += kLongestMovedCode;
    auto instruction = decode_instruction(ByteSpan(bytes, got), at);
    slot = {place, instruction && instruction->kind == Instruction::Kind::call};
    return &slot;
}

bool LiveProcess::is_moved_code(RunAddress address) const {
    auto found = room_taken_.upper_bound(address);
    if (found == room_taken_.begin()) return false;
    --found;
    return address < found->first + found->second.size();
}

// Brings a stopped thread that is in a copy back to where the program would be: before the instruction if nothing of it
// was done or it failed, else behind it. `event`: the signal that stopped it, if one did.
void LiveProcess::settle(ThreadId id, const TargetEvent* event) {
    Thread& thread = threads_.at(id);
    if (!thread.in_moved_code) return;
    thread.in_moved_code = false;
    for (int steps = 0; steps < 8; ++steps) {
        RunAddress at = registers(id).program_counter();
        if (!is_moved_code(at)) return;
        for (const auto& [original, copy] : moved_) {
            bool inside = copy.address.value && copy.address <= at && at < copy.address + kLongestMovedCode;
            if (!inside) continue;
            bool failed = event && event->is_fault;
            if (at != copy.address && !failed) break;
            Registers back = registers(id);
            // A call that failed to find its target had pushed its return address already.
            if (failed && copy.is_call && at != copy.address) back.set_stack_pointer(back.stack_pointer() + 8);
            back.set_program_counter(original);
            set_registers(id, back);
            thread.met = original;
            return;
        }
        flush_registers(id, thread);
        kernel_.resume(id, Kernel::Motion::one_instruction, 0);
        Tracer::News news = tracer_.wait(process_, id);
        ++stops_;
        if (!news.has_come() || !WIFSTOPPED(news.status)) return;  // killed meanwhile: its end is told next
    }
}

void LiveProcess::forget_moved_code() {
    moved_.clear();
    room_taken_.clear();
    room_used_.clear();
}

}  // namespace lantern
