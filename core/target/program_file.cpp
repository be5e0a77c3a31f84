#include "core/target/program_file.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/support/error.h"

namespace lantern {
namespace {

[[noreturn]] void not_running() {
    throw RequestError("the program is not running", Next::launch);
}

}  // namespace

ProgramFile::ProgramFile(std::string path, std::shared_ptr<const ModuleSymbols> symbols) {
    modules_.emplace_back(std::move(path), 0, std::move(symbols));
}

std::size_t ProgramFile::read_available(RunAddress address, std::span<std::byte> out) {
    const ElfFile& elf = modules_.front().symbols().elf();
    FileAddress at = modules_.front().to_file(address);
    for (const Segment& segment : elf.segments()) {
        if (!segment.range.contains(at)) continue;
        std::size_t size = std::min<std::size_t>(out.size(), segment.range.high - at);
        ByteSpan held = elf.loaded_bytes(at, size);
        std::copy(held.begin(), held.end(), out.begin());
        std::fill(out.begin() + static_cast<std::ptrdiff_t>(held.size()),
                  out.begin() + static_cast<std::ptrdiff_t>(size), std::byte{});
        return size;
    }
    return 0;
}

void ProgramFile::read_memory(RunAddress address, std::span<std::byte> out) {
    std::size_t got = read_available(address, out);
    if (got < out.size())
        throw MemoryError(
            fmt::format("nothing can be read at address {:#x}: the program is not running",
                        (address + got).value),
            Next::launch);
}

void ProgramFile::write_memory(RunAddress, ByteSpan) {
    not_running();
}
const Registers& ProgramFile::registers(ThreadId) {
    not_running();
}
void ProgramFile::set_registers(ThreadId, const Registers&) {
    not_running();
}
const VectorRegisters& ProgramFile::vector_registers(ThreadId) {
    not_running();
}

}  // namespace lantern
