// A target without a process: some memory that the test fills.
#pragma once

#include <cstring>
#include <list>

#include "core/support/error.h"
#include "core/target/target.h"

namespace lantern::testing {

class MadeUpTarget final : public Target {
  public:
    explicit MadeUpTarget(std::uint64_t begin = 0x1000, std::size_t size = 0x1000)
        : memory(size), begin_(begin) {}
    std::vector<std::byte> memory;

    void read_memory(RunAddress address, std::span<std::byte> out) override {
        if (read_available(address, out) != out.size()) throw MemoryError("no memory");
    }
    std::size_t read_available(RunAddress address, std::span<std::byte> out) override {
        std::uint64_t at = address.value - begin_;
        if (at >= memory.size()) return 0;
        std::size_t size = std::min(out.size(), memory.size() - at);
        std::memcpy(out.data(), memory.data() + at, size);
        return size;
    }
    void write_memory(RunAddress address, ByteSpan bytes) override {
        std::memcpy(memory.data() + (address.value - begin_), bytes.data(), bytes.size());
    }
    std::vector<ThreadId> threads() const override { return {}; }
    const Registers& registers(ThreadId) override { return registers_; }
    void set_registers(ThreadId, const Registers&) override {}
    const VectorRegisters& vector_registers(ThreadId) override { return vectors_; }
    const std::list<Module>& modules() override { return modules_; }
    void put(std::uint64_t address, const std::string& text) {
        std::memcpy(memory.data() + (address - begin_), text.data(), text.size());
    }
    void put_word(std::uint64_t address, std::uint64_t word) {
        std::memcpy(memory.data() + (address - begin_), &word, sizeof word);
    }

  private:
    std::uint64_t begin_;
    Registers registers_;
    VectorRegisters vectors_;
    std::list<Module> modules_;
};

}  // namespace lantern::testing
