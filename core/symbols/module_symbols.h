// All that is known about one object file: its ELF facts, its DWARF, and the questions a debugger asks of them.
// Lazy: opening it maps the file; each table is decoded when first needed and then kept.
#pragma once

#include <filesystem>
#include <map>
#include <memory>
#include <optional>

#include "core/dwarf/call_frame_information.h"
#include "core/object/symbol_table.h"
#include "core/symbols/line_table.h"
#include "core/symbols/scope_reader.h"
#include "core/symbols/symbol_index.h"

namespace lantern {

struct SourceLine {
    std::string file;  // as the compiler recorded it
    std::uint32_t line = 0;
    std::uint16_t column = 0;
    FileRange range;  // of the row that owns the address
    bool is_statement = false;
};

class ModuleSymbols {
  public:
    // Throws FileError (see ElfFile).
    explicit ModuleSymbols(const std::filesystem::path& path);
    explicit ModuleSymbols(std::unique_ptr<ElfFile> image);
    ModuleSymbols(const ModuleSymbols&) = delete;
    ModuleSymbols& operator=(const ModuleSymbols&) = delete;

    const ElfFile& elf() const { return *elf_; }
    const SymbolTable& symbol_table() const;
    const dwarf::DebugInfo& debug_info() const;
    bool has_debug_information() const;
    // Units and tables that could not be read, one sentence each.
    std::vector<std::string> problems() const;

    const SymbolIndex& index() const;
    const Function* function_at(FileAddress address) const;
    // Null when the function's entry is damaged. Owned here.
    const FunctionBody& body_of(const Function& function) const;
    std::optional<Variable> global(const NamedEntry& entry) const;
    std::string entry_name(const dwarf::Entry& entry) const;  // of an abstract function: its qualified name

    const LineTable& lines_of(const dwarf::Unit& unit) const;
    const std::vector<dwarf::LineFile>& files_of(const dwarf::Unit& unit) const;  // without running the line program
    std::optional<SourceLine> line_at(FileAddress address) const;
    const dwarf::Unit* unit_at(FileAddress address) const;
    std::string file_name(const dwarf::Unit& unit, std::uint64_t index) const;

    const TypeTable& types() const { return *types_; }
    const Type* type_named(const std::string& name) const;  // null if there is none

    // From .eh_frame, else .debug_frame. Nothing where there is none. Throws FormatError.
    std::optional<dwarf::FrameDescription> frame_description(FileAddress pc) const;

    // "admit" for an address inside it: the function, else the linker's symbol; empty if neither.
    struct Nearest {
        std::string name;
        std::uint64_t offset = 0;
    };
    std::optional<Nearest> nearest_name(FileAddress address) const;

  private:
    void set_up();

    std::unique_ptr<ElfFile> elf_;
    dwarf::Sections sections_;
    std::vector<std::string> section_problems_;
    std::unique_ptr<TypeTable> types_;
    std::unique_ptr<ScopeReader> scopes_;
    std::optional<dwarf::CallFrameInformation> eh_frame_, debug_frame_;
    mutable std::unique_ptr<SymbolTable> symbol_table_;
    mutable std::unique_ptr<dwarf::DebugInfo> info_;
    mutable std::unique_ptr<SymbolIndex> index_;
    mutable std::map<const dwarf::Unit*, std::unique_ptr<LineTable>> lines_;
    mutable std::map<const dwarf::Unit*, std::vector<dwarf::LineFile>> files_;
    mutable std::map<std::uint64_t, std::unique_ptr<FunctionBody>> bodies_;
    mutable std::vector<std::string> line_problems_;
};

}  // namespace lantern
