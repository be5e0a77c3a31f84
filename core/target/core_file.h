// A core file seen as a target: memory, registers, threads and modules as they were when the
// process died. What the core left out of a mapped file is read from that file, where its build id
// shows that it is the same.
#pragma once

#include <filesystem>
#include <functional>
#include <memory>

#include "core/support/advice.h"
#include "core/support/guarded_mapping.h"
#include "core/target/core_image.h"
#include "core/target/target.h"

namespace lantern {

class CoreFile final : public Target {
  public:
    // Gives the symbols of a file; throws FileError.
    using OpenSymbols =
        std::function<std::shared_ptr<const ModuleSymbols>(const std::string& path)>;
    // `program`: empty to take the one the core names. `folders`: where files may lie that are not
    // where they were. Throws FileError: no core file, or `program` cannot be read.
    CoreFile(const std::string& path, const std::string& program,
             std::vector<std::filesystem::path> folders, OpenSymbols open_symbols);
    CoreFile(const CoreFile&) = delete;
    CoreFile& operator=(const CoreFile&) = delete;

    const std::string& path() const { return path_; }
    const std::string& program() const { return modules_.front().path(); }
    // The program's file is not here: threads, registers, memory and the libraries are all there
    // is.
    bool lacks_program() const { return lacks_program_; }
    const CoreImage& image() const { return image_; }
    // What should be known before the rest is believed: what does not match and what is missing. A
    // sentence each.
    const std::vector<Finding>& findings() const { return findings_; }
    // What was read from elsewhere, in order; empty if nothing.
    const std::string& filled() const { return filled_; }

    void read_memory(RunAddress address, std::span<std::byte> out) override;
    std::size_t read_available(RunAddress address, std::span<std::byte> out) override;
    void write_memory(RunAddress address, ByteSpan bytes) override;
    pid_t id() const override { return image_.process; }
    bool is_kept() const override { return true; }
    std::vector<ThreadId> threads() const override;
    std::string thread_name(ThreadId thread) const override;
    const Registers& registers(ThreadId thread) override;
    void set_registers(ThreadId thread, const Registers& registers) override;
    const VectorRegisters& vector_registers(ThreadId thread) override;
    SystemRegisters system_registers(ThreadId thread) override;
    std::vector<std::byte> extended_state(ThreadId thread) const override;
    const std::vector<MemoryRegion>& regions() override { return regions_; }
    const std::list<Module>& modules() override { return modules_; }

  private:
    struct Found {
        std::string path;
        std::shared_ptr<const ModuleSymbols> symbols;
        bool is_proven = false;  // its build id is the one in the core
    };

    struct MappedFile {
        ByteSpan bytes;
        GuardedMapping guard;
        MappedFile() = default;
        ~MappedFile();
        MappedFile(const MappedFile&) = delete;
        MappedFile& operator=(const MappedFile&) = delete;
    };

    void map_file();
    void find_program(const std::string& wanted);
    void do_without_program(const CoreMapping& mapping);
    std::map<std::string, RunRange> loaded() const;
    const CoreMapping& first_of(const CoreMapping& mapping) const;
    std::vector<std::byte> image_in_core(const CoreMapping& mapping) const;
    void find_libraries();
    void add_vdso();
    void list_regions();
    void tell_findings();
    Found find_file(const std::string& recorded);
    std::string build_id_in_core(const std::string& recorded);
    const CoreThread& thread(ThreadId id) const;
    std::size_t read_from_file(RunAddress address, std::span<std::byte> out) const;

    std::string path_;
    std::vector<std::filesystem::path> folders_;
    OpenSymbols open_symbols_;
    MappedFile mapped_;
    ByteSpan file_;  // all of it
    CoreImage image_;
    std::list<Module> modules_;
    std::map<std::string, std::shared_ptr<const ModuleSymbols>>
        proven_;  // by the path the core names
    std::vector<std::string> unproven_, lost_;
    std::vector<MemoryRegion> regions_;
    std::vector<Finding> findings_;
    std::string filled_;
    bool lacks_program_ = false;
};

}  // namespace lantern
