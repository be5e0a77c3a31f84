// What a thread of a live process holds besides memory, and what the kernel tells of the process:
// registers, the processor's extended state, the memory map (see live_process.h).
#include <fmt/format.h>
#include <sys/mman.h>
#include <sys/user.h>

#include <algorithm>
#include <cerrno>
#include <cstddef>
#include <cstdio>
#include <cstring>
#include <sstream>
#include <utility>

#include "core/machine/extended_state.h"
#include "core/support/error.h"
#include "core/target/live_process.h"
#include "core/target/memory_map.h"

namespace lantern {
namespace {

// "rw-", as the kernel writes the rights to a page.
std::string permission_text(int protection) {
    return {protection & PROT_READ ? 'r' : '-', protection & PROT_WRITE ? 'w' : '-',
            protection & PROT_EXEC ? 'x' : '-'};
}

}  // namespace

std::vector<ThreadId> LiveProcess::threads() const {
    std::vector<ThreadId> ids;
    for (const auto& [id, thread] : threads_)
        if (!thread.is_ending || !thread.running) ids.push_back(id);
    return ids;
}

const Registers& LiveProcess::registers(ThreadId id) {
    auto found = threads_.find(id);
    if (found == threads_.end()) throw TargetError(fmt::format("thread {} is gone", id));
    Thread& thread = found->second;
    if (!thread.registers) {
        if (!kernel_.read_registers(id, thread.system_registers))
            throw TargetError(fmt::format("the registers of thread {} cannot be read: {}", id,
                                          std::strerror(errno)));
        thread.registers = Registers::from_system(thread.system_registers);
    }
    return *thread.registers;
}

void LiveProcess::set_registers(ThreadId id, const Registers& registers) {
    this->registers(id);
    threads_[id].registers = registers;
    threads_[id].registers_changed = true;
}

void LiveProcess::flush_registers(ThreadId id, Thread& thread) {
    if (thread.registers_changed) {
        thread.registers->to_system(thread.system_registers);
        kernel_.write_registers(id, thread.system_registers);
    }
    thread.registers_changed = false;
    thread.registers.reset();
    thread.vectors.reset();
}

const VectorRegisters& LiveProcess::vector_registers(ThreadId id) {
    Thread& thread = threads_.at(id);
    if (!thread.vectors) {
        user_fpregs_struct system;
        if (!kernel_.read_floating(id, system))
            throw TargetError(fmt::format("the vector registers of thread {} cannot be read: {}",
                                          id, std::strerror(errno)));
        thread.vectors = VectorRegisters::from_system(system);
    }
    return *thread.vectors;
}

std::vector<std::byte> LiveProcess::extended_state(ThreadId id) const {
    std::vector<std::byte> state(16384);
    if (!kernel_.read_extended(id, state))
        throw TargetError(fmt::format("the vector registers of thread {} cannot be read: {}", id,
                                      std::strerror(errno)));
    return state;
}

void LiveProcess::set_extended_state(ThreadId id, ByteSpan state) {
    if (!kernel_.write_extended(id, state))
        throw TargetError(fmt::format("the vector registers of thread {} cannot be written: {}", id,
                                      std::strerror(errno)));
    threads_.at(id).vectors.reset();
}

// Byte by byte: the upper parts of a vector register lie in other places than its lower half.
void LiveProcess::set_vector_register(ThreadId id, unsigned number, ByteSpan bytes) {
    std::vector<std::byte> state = extended_state(id);
    auto place_of = [&](unsigned byte) -> std::optional<AreaPlace> {
        if (auto index = vector_index(number)) return place_of_vector_byte(state, *index, byte);
        if (auto index = mask_index(number))
            return byte < 8 ? place_of_mask(state, *index) : std::nullopt;
        if (number >= kFirstStackRegister && number < kFirstStackRegister + 8 && byte < 10)
            return place_of_stack(number - kFirstStackRegister);
        return std::nullopt;
    };
    for (unsigned byte = 0; byte < bytes.size(); ++byte) {
        auto place = place_of(byte);
        if (!place)
            throw RequestError(fmt::format("{} of {} bytes cannot be written here",
                                           register_name(number), bytes.size()));
        bool is_vector = vector_index(number).has_value();
        state[place->offset + (is_vector ? 0 : byte)] = bytes[byte];
        mark_in_use(state, *place);
    }
    set_extended_state(id, state);
}

user_regs_struct LiveProcess::all_registers(ThreadId id) {
    user_regs_struct system = (registers(id), threads_.at(id).system_registers);
    registers(id).to_system(system);
    return system;
}

SystemRegisters LiveProcess::system_registers(ThreadId id) {
    registers(id);
    SystemRegisters result = SystemRegisters::from_system(threads_.at(id).system_registers);
    result.debug.emplace();
    for (unsigned number = 0; number < result.debug->size(); ++number)
        (*result.debug)[number] = kernel_.debug_register(id, number);
    return result;
}

std::map<RunAddress, std::uint64_t> LiveProcess::resident_bytes() {
    std::map<RunAddress, std::uint64_t> resident;
    std::istringstream file(task_text("smaps"));
    RunAddress current;
    for (std::string line; std::getline(file, line);) {
        unsigned long long begin = 0, end = 0, kilobytes = 0;
        if (std::sscanf(line.c_str(), "%llx-%llx ", &begin, &end) == 2)
            current = RunAddress(begin);
        else if (std::sscanf(line.c_str(), "Rss: %llu kB", &kilobytes) == 1)
            resident[current] = kilobytes * 1024;
    }
    return resident;
}

const std::vector<MemoryRegion>& LiveProcess::regions() {
    const std::string& text = maps();
    if (std::exchange(regions_are_of_maps_, true)) return regions_;
    regions_ = parse_maps(text);
    std::erase_if(regions_, [&](const MemoryRegion& region) {
        return rooms_.is_mapped_for_us(region.begin) ||
               std::ranges::any_of(scratches_.all(), [&](const ScratchMemory::Piece& each) {
                   return each.range.low == region.begin;
               });
    });
    // What we have taken of the rights to watched pages is not the program's doing.
    for (MemoryRegion& region : regions_)
        for (const WatchedPages::Pages& pages : protected_.all())
            if (pages.pages.contains(region.begin))
                region.permissions = permission_text(pages.rights) + region.permissions.substr(3);
    return regions_;
}

// At most stops it is what it was at the one before.
const std::string& LiveProcess::maps() {
    if (!std::exchange(maps_are_old_, false)) return maps_;
    std::string now = task_text("maps");
    if (now == maps_) return maps_;
    maps_ = std::move(now);
    modules_are_of_maps_ = regions_are_of_maps_ = false;
    return maps_;
}

}  // namespace lantern
