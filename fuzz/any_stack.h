// A real program whose registers and stack hold anything: the first 18 words of the input are
// registers; the rest is the stack, repeated.
#pragma once

#include <cstring>

#include "core/target/program_file.h"
#include "core/unwind/unwinder.h"
#include "fuzz/fuzzing.h"

namespace lantern::fuzzing {

inline constexpr std::uint64_t kStack = 0x7fff'0000'0000, kStackSize = 1 << 16;

class AnyStack final : public Target {
  public:
    AnyStack(Target& program, ByteSpan input) : program_(program) {
        std::size_t used = 0;
        for (unsigned number = 0; number < kGeneralRegisters && used + 8 <= input.size();
             ++number, used += 8) {
            std::uint64_t word;
            std::memcpy(&word, input.data() + used, sizeof word);
            // Words that would lead nowhere are bent into the code or the stack, or nothing would
            // be walked.
            std::uint64_t kind = word >> 62;
            if (kind == 0) word = 0x1000 + word % 0x4000;
            if (kind == 1) word = kStack + word % kStackSize / 8 * 8;
            registers_.set(number, word);
        }
        registers_.set_stack_pointer(
            RunAddress(kStack + registers_.stack_pointer().value % kStackSize / 8 * 8));
        memory_ = input.subspan(used);
    }
    void read_memory(RunAddress address, std::span<std::byte> out) override {
        if (read_available(address, out) < out.size()) throw MemoryError("nothing there");
    }
    std::size_t read_available(RunAddress address, std::span<std::byte> out) override {
        if (address.value < kStack || address.value >= kStack + kStackSize || memory_.empty())
            return program_.read_available(address, out);
        std::size_t size = std::min<std::size_t>(out.size(), kStack + kStackSize - address.value);
        for (std::size_t i = 0; i < size; ++i)
            out[i] = memory_[(address.value - kStack + i) % memory_.size()];
        return size;
    }
    void write_memory(RunAddress, ByteSpan) override {}
    std::vector<ThreadId> threads() const override { return {1}; }
    const Registers& registers(ThreadId) override { return registers_; }
    void set_registers(ThreadId, const Registers&) override {}
    const VectorRegisters& vector_registers(ThreadId thread) override {
        return program_.vector_registers(thread);
    }
    const std::list<Module>& modules() override { return program_.modules(); }

  private:
    Target& program_;
    Registers registers_;
    ByteSpan memory_;
};

inline ProgramFile& program() {
    static std::string path = std::string(FIXTURES) + "/machine-gcc-O2";
    static ProgramFile file(path, std::make_shared<ModuleSymbols>(path));
    return file;
}

}  // namespace lantern::fuzzing
