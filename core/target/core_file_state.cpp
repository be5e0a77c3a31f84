// The memory and the threads of a core file.
#include "core/target/core_file.h"

#include <elf.h>
#include <fcntl.h>
#include <fmt/format.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <set>

#include "core/machine/page.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern {
namespace {

[[noreturn]] void cannot_change() {
    throw RequestError("a core file tells what was; nothing in it can be changed",
                       "debug the program to change something");
}

}  // namespace

std::size_t CoreFile::read_from_file(RunAddress address, std::span<std::byte> out) const {
    const CoreMapping* mapping = image_.mapping_at(address);
    auto found = mapping ? proven_.find(mapping->path) : proven_.end();
    if (found == proven_.end()) return 0;
    ByteSpan whole = found->second->elf().whole_file();
    std::uint64_t offset = mapping->offset + (address - mapping->range.low);
    if (offset >= whole.size()) return 0;
    std::size_t size = std::min({out.size(), static_cast<std::size_t>(whole.size() - offset),
                                 static_cast<std::size_t>(mapping->range.high - address)});
    std::copy_n(whole.begin() + static_cast<std::ptrdiff_t>(offset), size, out.begin());
    return size;
}

std::size_t CoreFile::read_available(RunAddress address, std::span<std::byte> out) {
    std::size_t done = 0;
    while (done < out.size()) {
        RunAddress at = address + done;
        std::span<std::byte> rest = out.subspan(done);
        const CoreSegment* segment = image_.segment_at(at);
        std::uint64_t from = segment ? at - segment->range.low : 0;
        std::size_t got = 0;
        if (segment && from < segment->stored) {
            got = static_cast<std::size_t>(
                std::min<std::uint64_t>(rest.size(), segment->stored - from));
            std::memcpy(rest.data(), file_.data() + segment->offset + from, got);
        } else {
            got = read_from_file(
                at, segment ? rest.first(static_cast<std::size_t>(
                                  std::min<std::uint64_t>(rest.size(), segment->range.high - at)))
                            : rest);
        }
        if (!got) break;
        done += got;
    }
    return done;
}

void CoreFile::read_memory(RunAddress address, std::span<std::byte> out) {
    std::size_t got = read_available(address, out);
    if (got == out.size()) return;
    RunAddress first = address + got;
    bool was_there = image_.segment_at(first) || image_.mapping_at(first);
    throw MemoryError(
        was_there ? fmt::format("the core does not hold the memory at address {:#x}", first.value)
                  : fmt::format("nothing can be read at address {:#x}", first.value));
}

void CoreFile::write_memory(RunAddress, ByteSpan) {
    cannot_change();
}

void CoreFile::set_registers(ThreadId, const Registers&) {
    cannot_change();
}

std::vector<ThreadId> CoreFile::threads() const {
    std::vector<ThreadId> ids;
    for (const CoreThread& each : image_.threads) ids.push_back(each.id);
    std::sort(ids.begin(), ids.end());
    return ids;
}

const CoreThread& CoreFile::thread(ThreadId id) const {
    for (const CoreThread& each : image_.threads)
        if (each.id == id) return each;
    throw TargetError(fmt::format("the core has no thread {}", id));
}

std::string CoreFile::thread_name(ThreadId id) const {
    return id == image_.process ? image_.name : "";
}

const Registers& CoreFile::registers(ThreadId id) {
    return thread(id).registers;
}

const VectorRegisters& CoreFile::vector_registers(ThreadId id) {
    return thread(id).vectors;
}

SystemRegisters CoreFile::system_registers(ThreadId id) {
    return thread(id).system;
}

std::vector<std::byte> CoreFile::extended_state(ThreadId id) const {
    ByteSpan state = thread(id).extended_state;
    return {state.begin(), state.end()};
}

}  // namespace lantern
