// A program that is not running, seen as a target: its code and the initial contents of its data,
// as the file has them. It has no threads; registers cannot be asked for.
#pragma once

#include "core/target/target.h"

namespace lantern {

class ProgramFile final : public Target {
  public:
    ProgramFile(std::string path, std::shared_ptr<const ModuleSymbols> symbols);

    void read_memory(RunAddress address, std::span<std::byte> out) override;
    std::size_t read_available(RunAddress address, std::span<std::byte> out) override;
    void write_memory(RunAddress address, ByteSpan bytes) override;
    std::vector<ThreadId> threads() const override { return {}; }
    const Registers& registers(ThreadId thread) override;
    void set_registers(ThreadId thread, const Registers& registers) override;
    const VectorRegisters& vector_registers(ThreadId thread) override;
    const std::list<Module>& modules() override { return modules_; }

  private:
    std::list<Module> modules_;
};

}  // namespace lantern
