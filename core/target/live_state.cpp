// What a thread of a live process holds besides memory, and what the kernel tells of the process: registers, the
// processor's extended state, the memory map (see live_process.h).
#include <elf.h>
#include <fmt/format.h>
#include <sys/ptrace.h>
#include <sys/uio.h>
#include <sys/user.h>

#include <algorithm>
#include <cstddef>
#include <cerrno>
#include <cstdio>
#include <cstring>
#include <fstream>

#include "core/machine/extended_state.h"
#include "core/support/error.h"
#include "core/target/live_process.h"

namespace lantern {
namespace {

void* as_data(long value) {
    return reinterpret_cast<void*>(value);
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
        if (ptrace(PTRACE_GETREGS, id, nullptr, &thread.system_registers) != 0)
            throw TargetError(fmt::format("the registers of thread {} cannot be read: {}", id, std::strerror(errno)));
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
        ptrace(PTRACE_SETREGS, id, nullptr, &thread.system_registers);
    }
    thread.registers_changed = false;
    thread.registers.reset();
    thread.vectors.reset();
}

const VectorRegisters& LiveProcess::vector_registers(ThreadId id) {
    Thread& thread = threads_.at(id);
    if (!thread.vectors) {
        user_fpregs_struct system;
        if (ptrace(PTRACE_GETFPREGS, id, nullptr, &system) != 0)
            throw TargetError(fmt::format("the vector registers of thread {} cannot be read: {}", id, std::strerror(errno)));
        thread.vectors = VectorRegisters::from_system(system);
    }
    return *thread.vectors;
}

std::vector<std::byte> LiveProcess::extended_state(ThreadId id) const {
    std::vector<std::byte> state(16384);
    iovec where{state.data(), state.size()};
    if (ptrace(PTRACE_GETREGSET, id, as_data(NT_X86_XSTATE), &where) != 0)
        throw TargetError(fmt::format("the vector registers of thread {} cannot be read: {}", id, std::strerror(errno)));
    state.resize(where.iov_len);
    return state;
}

void LiveProcess::set_extended_state(ThreadId id, ByteSpan state) {
    std::vector<std::byte> copy(state.begin(), state.end());
    iovec where{copy.data(), copy.size()};
    if (ptrace(PTRACE_SETREGSET, id, as_data(NT_X86_XSTATE), &where) != 0)
        throw TargetError(fmt::format("the vector registers of thread {} cannot be written: {}", id, std::strerror(errno)));
    threads_.at(id).vectors.reset();
}

// Byte by byte: the upper parts of a vector register lie in other places than its lower half.
void LiveProcess::set_vector_register(ThreadId id, unsigned number, ByteSpan bytes) {
    std::vector<std::byte> state = extended_state(id);
    auto place_of = [&](unsigned byte) -> std::optional<AreaPlace> {
        if (auto index = vector_index(number)) return place_of_vector_byte(state, *index, byte);
        if (auto index = mask_index(number)) return byte < 8 ? place_of_mask(state, *index) : std::nullopt;
        if (number >= kFirstStackRegister && number < kFirstStackRegister + 8 && byte < 10) return place_of_stack(number - kFirstStackRegister);
        return std::nullopt;
    };
    for (unsigned byte = 0; byte < bytes.size(); ++byte) {
        auto place = place_of(byte);
        if (!place) throw RequestError(fmt::format("{} of {} bytes cannot be written here", register_name(number), bytes.size()));
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
        (*result.debug)[number] = static_cast<std::uint64_t>(ptrace(PTRACE_PEEKUSER, id, as_data(static_cast<long>(offsetof(user, u_debugreg) + number * 8)), nullptr));
    return result;
}

std::map<RunAddress, std::uint64_t> LiveProcess::resident_bytes() {
    std::map<RunAddress, std::uint64_t> resident;
    std::ifstream file(task_file("smaps"));
    RunAddress current;
    for (std::string line; std::getline(file, line);) {
        unsigned long long begin = 0, end = 0, kilobytes = 0;
        if (std::sscanf(line.c_str(), "%llx-%llx ", &begin, &end) == 2) current = RunAddress(begin);
        else if (std::sscanf(line.c_str(), "Rss: %llu kB", &kilobytes) == 1) resident[current] = kilobytes * 1024;
    }
    return resident;
}

const std::vector<MemoryRegion>& LiveProcess::regions() {
    if (!regions_are_old_) return regions_;
    regions_.clear();
    std::ifstream maps(task_file("maps"));
    for (std::string line; std::getline(maps, line);) {
        // 7ffff7fc1000-7ffff7fc5000 r--p 00000000 00:00 0   [vvar]
        MemoryRegion region;
        char permissions[8] = {};
        unsigned long long begin = 0, end = 0;
        int name = 0;
        unsigned long long offset = 0;
        if (std::sscanf(line.c_str(), "%llx-%llx %7s %llx %*s %*s %n", &begin, &end, permissions, &offset, &name) < 4) continue;
        region.offset = offset;
        region.begin = RunAddress(begin);
        region.end = RunAddress(end);
        region.permissions = permissions;
        if (name > 0) region.name = line.substr(static_cast<std::size_t>(name));
        regions_.push_back(std::move(region));
    }
    regions_are_old_ = false;
    return regions_;
}

}  // namespace lantern
