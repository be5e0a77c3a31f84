// What is being looked at: memory, registers, threads and modules. A live process is one; a core
// file will be another.
#pragma once

#include <sys/types.h>

#include <list>
#include <map>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "core/machine/registers.h"
#include "core/target/module.h"

namespace lantern {

using ThreadId = pid_t;

struct MemoryRegion {
    RunAddress begin, end;
    std::string permissions;   // "rw-p"
    std::string name;          // "[heap]", "[stack]", a file's path; empty for anonymous memory
    std::uint64_t offset = 0;  // in the file, where it is one
    bool is_of_file = false;

    bool contains(RunAddress address) const { return begin <= address && address < end; }
    std::uint64_t size() const { return end - begin; }
};

class Target {
  public:
    virtual ~Target() = default;

    // Fills `out` completely. Throws MemoryError that names the first address that cannot be read.
    // Breakpoint bytes of ours never show.
    virtual void read_memory(RunAddress address, std::span<std::byte> out) = 0;
    // How many bytes from the start of `out` could be read; never throws for bad addresses.
    virtual std::size_t read_available(RunAddress address, std::span<std::byte> out) = 0;
    virtual void write_memory(RunAddress address, ByteSpan bytes) = 0;  // throws MemoryError
    // The same as read_available for a lot at once: it passes by what is kept of memory. Several
    // threads may call it at a time while nothing of the process moves.
    virtual std::size_t read_bulk(RunAddress address, std::span<std::byte> out) {
        return read_available(address, out);
    }

    virtual pid_t id() const { return 0; }  // of the process; 0: there is none
    // What a process was, in a core: nothing outside of it can be asked.
    virtual bool is_kept() const { return false; }

    virtual std::vector<ThreadId> threads() const = 0;
    // 1 for the first thread, and so on in the order they began; 0 for one that is not there.
    virtual unsigned thread_number(ThreadId thread) const;
    virtual std::optional<ThreadId> thread_numbered(unsigned number) const;
    // As the program called it (prctl(2), PR_SET_NAME); may be empty.
    virtual std::string thread_name(ThreadId thread) const;
    virtual const Registers& registers(ThreadId thread) = 0;
    virtual void set_registers(ThreadId thread, const Registers& registers) = 0;
    virtual const VectorRegisters& vector_registers(ThreadId thread) = 0;
    // All of the processor's state beyond the general registers, in the layout of XSAVE (Intel SDM
    // 1, §13.4); empty where that is not known.
    virtual std::vector<std::byte> extended_state(ThreadId thread) const;
    // By DWARF number; the first bytes of it. Throws RequestError where that cannot be done.
    virtual void set_vector_register(ThreadId thread, unsigned number, ByteSpan bytes);
    // What the memory of the process is made of, by address; empty where that is not known.
    virtual const std::vector<MemoryRegion>& regions();
    // The region that holds an address; null if none does.
    const MemoryRegion* region_at(RunAddress address);
    // How many bytes of each region, by its beginning, lie in physical memory now; empty where that
    // is not known.
    virtual std::map<RunAddress, std::uint64_t> resident_bytes() { return {}; }
    virtual SystemRegisters system_registers(ThreadId) { return {}; }

    virtual const std::list<Module>& modules() = 0;
    virtual const Module* module_at(RunAddress address);  // null if no module is loaded there

    template <class T>
    T read(RunAddress address) {
        T value;
        read_memory(address, std::as_writable_bytes(std::span(&value, 1)));
        return value;
    }
};

}  // namespace lantern
