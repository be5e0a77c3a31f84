// What a thread of a live process holds besides memory, and what the kernel tells of the process: registers, the
// processor's extended state, the memory map (see live_process.h).
#include <elf.h>
#include <fmt/format.h>
#include <sys/ptrace.h>
#include <sys/uio.h>
#include <sys/user.h>

#include <algorithm>
#include <cerrno>
#include <cstdio>
#include <cstring>
#include <fstream>

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

void LiveProcess::set_vector_register(ThreadId id, unsigned number, ByteSpan bytes) {
    auto place = place_in_extended_state(number);
    if (!place) throw RequestError(fmt::format("{} cannot be written", register_name(number)));
    std::vector<std::byte> state = extended_state(id);
    if (state.size() <= kExtendedStateHeader) throw TargetError("the kernel keeps the vector registers in a form that is not known");
    std::copy_n(bytes.begin(), std::min<std::size_t>(bytes.size(), 16), state.begin() + static_cast<std::ptrdiff_t>(place->offset));
    state[kExtendedStateHeader] |= place->in_use;
    set_extended_state(id, state);
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
        if (std::sscanf(line.c_str(), "%llx-%llx %7s %*s %*s %*s %n", &begin, &end, permissions, &name) < 3) continue;
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
