// Values of real library types read out of memory that holds anything: a view, however broken, and
// never a hang or a flood. The first two bytes pick the type; the rest is the memory, repeated over
// the first megabyte of addresses.
#include <algorithm>

#include "core/target/program_file.h"
#include "core/values/library/library_view.h"
#include "core/values/value_view.h"
#include "fuzz/fuzzing.h"

using namespace lantern;

namespace {

class AnyMemory final : public Target {
  public:
    AnyMemory(Target& program, ByteSpan memory) : program_(program), memory_(memory) {}
    void read_memory(RunAddress address, std::span<std::byte> out) override {
        if (read_available(address, out) < out.size()) throw MemoryError("nothing there");
    }
    std::size_t read_available(RunAddress address, std::span<std::byte> out) override {
        constexpr std::uint64_t kEnd = 1 << 20;
        if (address.value < 0x100 || address.value >= kEnd || memory_.empty())
            return program_.read_available(address, out);
        std::size_t size = std::min<std::size_t>(out.size(), kEnd - address.value);
        for (std::size_t i = 0; i < size; ++i)
            out[i] = memory_[(address.value + i) % memory_.size()];
        return size;
    }
    void write_memory(RunAddress, ByteSpan) override {}
    std::vector<ThreadId> threads() const override { return {}; }
    const Registers& registers(ThreadId thread) override { return program_.registers(thread); }
    void set_registers(ThreadId, const Registers&) override {}
    const VectorRegisters& vector_registers(ThreadId thread) override {
        return program_.vector_registers(thread);
    }
    const std::list<Module>& modules() override { return program_.modules(); }

  private:
    Target& program_;
    ByteSpan memory_;
};

struct Program {
    explicit Program(const std::string& path)
        : symbols(std::make_shared<ModuleSymbols>(path)), file(path, symbols) {
        for (const NameEntry& entry : symbols->index().names()) {
            if (entry.kind != NameKind::structure) continue;
            const Type* type = symbols->types().type_at(entry.position);
            if (library_view(*type) || !type->variants().empty()) types.push_back(type);
        }
    }
    std::shared_ptr<ModuleSymbols> symbols;
    ProgramFile file;
    std::vector<const Type*> types;
};

// One of each family of types.
std::vector<std::unique_ptr<Program>>& programs() {
    static std::vector<std::unique_ptr<Program>> all = [] {
        std::vector<std::unique_ptr<Program>> made;
        for (const char* name : {"containers-gnu", "containers-clang", "containers-rust"}) {
            try {
                made.push_back(std::make_unique<Program>(std::string(FIXTURES) + "/" + name));
            } catch (const Error&) {  // its compiler is not here
            }
        }
        return made;
    }();
    return all;
}

}  // namespace

int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    if (size < 3 || programs().empty()) return 0;
    Program& program = *programs()[data[0] % programs().size()];
    if (program.types.empty()) return 0;
    ByteSpan memory = fuzzing::as_bytes(data + 3, size - 3);
    AnyMemory target(program.file, memory);
    const Type& type = *program.types[(data[1] | data[2] << 8) % program.types.size()];
    ViewLimits limits;
    limits.nodes = 300;
    ValueReader reader(target);
    one_line(
        make_view(reader, "x", value_in_memory(type, RunAddress(0x1000)), Form::natural, limits));
    return 0;
}
