// All that is known about one object file: its ELF facts, its DWARF, and the questions a debugger
// asks of them. Lazy: opening it maps the file; each table is decoded when first needed and then
// kept.
#pragma once

#include <filesystem>
#include <map>
#include <memory>
#include <optional>
#include <unordered_map>

#include "core/dwarf/call_frame_information.h"
#include "core/dwarf/name_table.h"
#include "core/object/symbol_table.h"
#include "core/symbols/position.h"
#include "core/symbols/scope_reader.h"
#include "core/symbols/symbol_files.h"
#include "core/symbols/unit_index.h"
#include "core/symbols/unit_lines.h"
#include "core/symbols/unit_map.h"

namespace lantern {

class Imports;

struct SourceLine {
    std::string file;  // as the compiler recorded it
    std::uint32_t line = 0;
    std::uint16_t column = 0;
    FileRange range;  // of the row that owns the address
    bool is_statement = false;
};

class ModuleSymbols {
  public:
    // Throws FileError (see ElfFile). What is missing or does not fit is no error: see problems().
    explicit ModuleSymbols(const std::filesystem::path& path, SymbolSearch search = {});
    explicit ModuleSymbols(std::unique_ptr<ElfFile> image);
    ModuleSymbols(const ModuleSymbols&) = delete;
    ModuleSymbols& operator=(const ModuleSymbols&) = delete;
    ~ModuleSymbols();

    const ElfFile& elf() const { return *elf_; }
    // Where the symbols come from. This, as everything below, looks for them when first asked.
    const SymbolFiles& files() const;
    const CodeAreas& code_areas() const { return areas_; }
    const SymbolTable& symbol_table() const;
    const Imports& imports() const;
    const dwarf::DebugInfo& debug_info() const { return *dwarf().info; }
    bool has_debug_information() const;
    // Units, tables and files that could not be read or used, one sentence each.
    std::vector<std::string> problems() const;
    // The same without reading more than was read already.
    std::vector<std::string> problems_so_far() const;

    // ---- names
    const SymbolIndex& index() const {
        return dwarf().index->whole();
    }  // passes over all units, or takes the index an earlier session left
    bool index_is_ready() const { return dwarf_ && dwarf_->index->whole_if_ready(); }
    bool index_came_from_file() const { return dwarf_ && dwarf_->index->came_from_file(); }
    // By address; does not need the index. Null if no function owns the address. Functions are
    // owned here.
    const Function* function_at(FileAddress address) const;
    // The function whose entry stands there; null if none does or it is damaged.
    const Function* function(dwarf::Position entry) const;
    // Every function called so: the whole name or its last components, template arguments left out
    // or not, with its parameters' types behind it or not: "over(double)". With code and
    // inlined-only ones.
    std::vector<const Function*> functions_named(std::string_view name) const;
    std::vector<const Function*> functions_of(
        const dwarf::Unit& unit) const;  // those with code, by address
    // Null when the function's entry is damaged. Owned here.
    const FunctionBody& body_of(const Function& function) const;
    const FunctionPositions& positions_of(const Function& function) const;  // kept
    // Where what is made of the function's code is kept with it (see core/code/kept_code.h, which
    // alone knows what that is). From one thread only.
    std::shared_ptr<void>& kept_with(const Function& function) const {
        return kept_with_[&function];
    }
    std::shared_ptr<void>& kept_with(const dwarf::Unit& unit) const {
        return kept_with_unit_[&unit];
    }
    // Of the unit's functions that were inlined, the one whose source begins nearest above a line
    // of that very file; null if none does.
    const Function* inlined_function_around(const dwarf::Unit& unit, const std::string& file,
                                            std::uint32_t line) const;
    // The calls inlined around an address of the function, innermost first; does not read the whole
    // body.
    std::vector<InlinedCall> inlined_calls_at(const Function& function, FileAddress address) const;
    std::optional<Variable> global(const NameEntry& entry) const;
    // The variable or constant an entry declares; nothing if there is no entry. Throws FormatError.
    std::optional<Variable> variable_at(dwarf::Position entry) const;
    // The call of `caller` that returns to this address. Throws FormatError.
    std::optional<CallSite> call_site_at(const Function& caller, FileAddress return_address) const;
    // Those of the function and of what is inlined into it. Kept.
    const std::vector<TailCall>& tail_calls_of(const Function& function) const;
    // What a function returns and takes, as far as its debug information says. Owned here.
    const Type& type_of(const Function& function) const;
    // Whose table of a trait's functions stands there (Rust); null if none does.
    const Type* type_of_trait_table(FileAddress table) const;
    // True if the entry, or what it stands for, is the function's.
    bool is_entry_of(dwarf::Position entry, const Function& function) const;
    // What the linker calls the function that an entry declares or defines; empty: it is not said.
    std::string linker_name_of(dwarf::Position entry) const;
    std::string entry_name(
        const dwarf::Entry& entry) const;  // of an abstract function: its qualified name
    std::string qualified_name(
        dwarf::Position entry) const;  // of any entry with a name, from the scopes around it

    // What the file brings of indexes, and whether each is used or why not; one sentence each.
    std::vector<std::string> own_indexes() const;

    // ---- lines
    // See UnitLines.
    const LineTable& lines_of(const dwarf::Unit& unit) const {
        return dwarf().lines->lines_of(unit);
    }
    const std::vector<dwarf::LineFile>& files_of(const dwarf::Unit& unit) const {
        return dwarf().lines->files_of(unit);
    }
    std::string file_name(const dwarf::Unit& unit, std::uint64_t index) const {
        return dwarf().lines->file_name(unit, index);
    }
    std::optional<dwarf::MacroDefinition> macro_at(const dwarf::Unit& unit, std::string_view name,
                                                   const std::string& file,
                                                   std::uint32_t line) const {
        return dwarf().lines->macro_at(unit, name, file, line);
    }
    std::optional<SourceLine> line_at(FileAddress address) const;
    const dwarf::Unit* unit_at(FileAddress address) const;

    // ---- types
    const TypeTable& types() const { return *dwarf().types; }
    const Type* type_named(const std::string& name) const;  // null if there is none
    // The same for names as demanglers and people write them: "std::vector<int>", "Sized<char,
    // 3ul>", "(anonymous namespace)::Lock".
    const Type* type_spelled(const std::string& name) const;
    std::string type_name(
        const NameEntry& entry) const;  // qualified; in C with its keyword: "struct barge"
    std::vector<const Type*> types_named(
        const std::string& name) const;  // every definition; those alike each once

    // From .eh_frame, else .debug_frame. Nothing where there is none. Throws FormatError.
    std::optional<dwarf::FrameDescription> frame_description(FileAddress pc) const;

    // "admit" for an address inside it: the function, else the linker's symbol; empty if neither.
    struct Nearest {
        std::string name;
        std::uint64_t offset = 0;
    };
    std::optional<Nearest> nearest_name(FileAddress address) const;

  private:
    // What is made of the DWARF when it is first needed.
    struct Dwarf {
        std::unique_ptr<dwarf::DebugInfo> info;
        std::unique_ptr<TypeTable> types;
        std::unique_ptr<ScopeReader> scopes;
        std::unique_ptr<UnitMap> unit_map;
        std::unique_ptr<UnitLines> lines;
        std::unique_ptr<UnitIndex> index;
        std::optional<dwarf::CallFrameInformation> debug_frame;
    };
    void set_up();
    const Dwarf& dwarf() const;
    ByteSpan section_or_nothing(const ElfFile& file, const char* name) const;
    std::optional<dwarf::Position> declaration_of_type(const dwarf::Entry& definition) const;
    Function read_function(const dwarf::Entry& entry) const;
    void take_place_of_closure(const dwarf::Entry& entry, Function& function) const;
    const ElfSymbol* coroutine_symbol(const Function& function) const;
    void look_at_coroutine(const Function& function, FunctionBody& body) const;
    std::optional<dwarf::Position> find_complete(const dwarf::Entry& declaration) const;
    // The file's own name index, while it is sound and ours is not there yet; else null.
    std::vector<const Function*> functions_called(std::string_view name) const;
    const dwarf::NameTable* name_table() const;
    std::optional<dwarf::Position> type_in_table(const dwarf::NameTable& table,
                                                 std::string_view name,
                                                 std::optional<NameKind> kind) const;
    void distrust_name_table(const std::string& why) const;

    std::unique_ptr<ElfFile> elf_;
    SymbolSearch search_;
    CodeAreas areas_;
    std::optional<dwarf::CallFrameInformation> eh_frame_;
    mutable std::unique_ptr<SymbolFiles> symbol_files_;
    mutable std::unique_ptr<Dwarf> dwarf_;
    mutable std::vector<std::string> section_problems_;
    mutable bool name_table_read_ = false;
    mutable std::unique_ptr<dwarf::NameTable> name_table_;
    mutable std::string name_table_distrust_;
    mutable std::unique_ptr<SymbolTable> symbol_table_;
    mutable std::unique_ptr<Imports> imports_;
    mutable std::unordered_map<dwarf::Position, std::unique_ptr<Function>> functions_;
    mutable std::unordered_map<dwarf::Position, std::unique_ptr<FunctionBody>> bodies_;
    mutable std::unordered_map<dwarf::Position, std::unique_ptr<FunctionPositions>> positions_;
    mutable std::unordered_map<const Function*, std::shared_ptr<void>> kept_with_;
    mutable std::unordered_map<const dwarf::Unit*, std::shared_ptr<void>> kept_with_unit_;
    mutable std::map<const dwarf::Unit*,
                     std::map<std::string, std::map<std::uint32_t, const Function*>>>
        inlined_functions_;  // by file and line
    mutable std::unordered_map<dwarf::Position, std::vector<TailCall>> tail_calls_;
    mutable std::map<const Function*, Type> function_types_;
    mutable std::optional<std::map<FileAddress, const Type*>> trait_tables_;
    mutable std::vector<std::string> function_problems_;
};

}  // namespace lantern
