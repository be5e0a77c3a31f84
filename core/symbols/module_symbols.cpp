#include "core/symbols/module_symbols.h"

#include <fmt/format.h>

#include "core/dwarf/ranges.h"
#include "core/support/error.h"

namespace lantern {

using namespace dwarf;

ModuleSymbols::ModuleSymbols(const std::filesystem::path& path) : elf_(std::make_unique<ElfFile>(path)) {
    set_up();
}

ModuleSymbols::ModuleSymbols(std::unique_ptr<ElfFile> image) : elf_(std::move(image)) {
    set_up();
}

void ModuleSymbols::set_up() {
    auto take = [&](const char* name) -> ByteSpan {
        try {
            return elf_->bytes(name);
        } catch (const FormatError& error) {
            section_problems_.push_back(error.what());
            return {};
        }
    };
    sections_ = {take(".debug_info"),        take(".debug_abbrev"), take(".debug_line"),   take(".debug_str"),
                 take(".debug_line_str"),    take(".debug_str_offsets"), take(".debug_addr"), take(".debug_ranges"),
                 take(".debug_rnglists"),    take(".debug_loc"),    take(".debug_loclists")};
    if (const Section* section = elf_->section(".eh_frame"))
        eh_frame_.emplace(take(".eh_frame"), section->address, CallFrameInformation::Flavour::eh_frame);
    if (elf_->section(".debug_frame"))
        debug_frame_.emplace(take(".debug_frame"), FileAddress(), CallFrameInformation::Flavour::debug_frame);

    info_ = std::make_unique<DebugInfo>(sections_);
    auto file_name_of = [this](const Unit& unit, std::uint64_t index) { return file_name(unit, index); };
    types_ = std::make_unique<TypeTable>(
        *info_,
        [this](std::string_view name) -> std::optional<std::uint64_t> {
            auto found = index().types.find(std::string(name));
            if (found == index().types.end()) return std::nullopt;
            return found->second;
        },
        file_name_of);
    scopes_ = std::make_unique<ScopeReader>(*info_, *types_, file_name_of,
                                            [this](const Entry& entry) { return entry_name(entry); });
}

const SymbolTable& ModuleSymbols::symbol_table() const {
    if (!symbol_table_) symbol_table_ = std::make_unique<SymbolTable>(*elf_);
    return *symbol_table_;
}

const DebugInfo& ModuleSymbols::debug_info() const {
    return *info_;
}

bool ModuleSymbols::has_debug_information() const {
    return !info_->units().empty();
}

std::vector<std::string> ModuleSymbols::problems() const {
    std::vector<std::string> all = section_problems_;
    if (!elf_->damage().empty()) all.push_back(elf_->damage());
    const auto& more = index().problems;
    all.insert(all.end(), more.begin(), more.end());
    all.insert(all.end(), line_problems_.begin(), line_problems_.end());
    return all;
}

const SymbolIndex& ModuleSymbols::index() const {
    if (!index_) index_ = std::make_unique<SymbolIndex>(build_symbol_index(*info_));
    return *index_;
}

const Function* ModuleSymbols::function_at(FileAddress address) const {
    return index().function_at(address);
}

const FunctionBody& ModuleSymbols::body_of(const Function& function) const {
    auto& slot = bodies_[function.entry_offset];
    if (!slot) {
        slot = std::make_unique<FunctionBody>();
        try {
            *slot = scopes_->read(function);
        } catch (const FormatError& error) {
            slot->outermost.ranges = function.ranges;
            line_problems_.push_back(error.what());
        }
    }
    return *slot;
}

std::optional<Variable> ModuleSymbols::global(const NamedEntry& named) const {
    auto entry = info_->entry_at(named.entry_offset);
    if (!entry) return std::nullopt;
    Variable variable = scopes_->read_variable(*entry);
    variable.name = named.name;
    return variable;
}

std::string ModuleSymbols::entry_name(const Entry& entry) const {
    if (const Function* function = index().function_of_entry(entry.offset())) return function->name;
    std::optional<Entry> current = entry;
    for (int hops = 0; current && hops < 4; ++hops) {
        if (auto name = current->text(DW_AT_name)) return std::string(*name);
        auto next = info_->referred(*current, DW_AT_abstract_origin);
        if (!next) next = info_->referred(*current, DW_AT_specification);
        current = next;
    }
    return "(unnamed)";
}

const LineTable& ModuleSymbols::lines_of(const Unit& unit) const {
    auto& slot = lines_[&unit];
    if (!slot) {
        LineProgram program;
        try {
            program = read_line_program(unit);
        } catch (const FormatError& error) {
            line_problems_.push_back(error.what());
        }
        slot = std::make_unique<LineTable>(std::move(program));
    }
    return *slot;
}

const std::vector<LineFile>& ModuleSymbols::files_of(const Unit& unit) const {
    auto found = files_.find(&unit);
    if (found != files_.end()) return found->second;
    auto& slot = files_[&unit];
    try {
        slot = read_line_header(unit).files;
    } catch (const FormatError& error) {
        line_problems_.push_back(error.what());
    }
    return slot;
}

std::string ModuleSymbols::file_name(const Unit& unit, std::uint64_t index) const {
    const auto& files = files_of(unit);
    return index < files.size() ? files[index].path : std::string();
}

const Unit* ModuleSymbols::unit_at(FileAddress address) const {
    if (const Function* function = function_at(address)) return function->unit;
    // Code without a function, such as assembler: ask the units themselves.
    for (const auto& unit : info_->units()) {
        try {
            auto root = Entry::at(*unit, unit->first_entry);
            if (root && any_contains(ranges_of(*root), address)) return unit.get();
        } catch (const FormatError&) {
            continue;
        }
    }
    return nullptr;
}

std::optional<SourceLine> ModuleSymbols::line_at(FileAddress address) const {
    const Unit* unit = unit_at(address);
    if (!unit) return std::nullopt;
    const LineTable& lines = lines_of(*unit);
    const LineEntry* entry = lines.at(address);
    if (!entry || entry->line == 0 || entry->file >= lines.files().size()) return std::nullopt;
    return SourceLine{lines.files()[entry->file].path, entry->line, entry->column, entry->range, entry->is_statement};
}

const Type* ModuleSymbols::type_named(const std::string& name) const {
    auto found = index().types.find(name);
    return found == index().types.end() ? nullptr : types_->type_at(found->second);
}

std::optional<FrameDescription> ModuleSymbols::frame_description(FileAddress pc) const {
    if (eh_frame_)
        if (auto description = eh_frame_->describe(pc)) return description;
    if (debug_frame_) return debug_frame_->describe(pc);
    return std::nullopt;
}

std::optional<ModuleSymbols::Nearest> ModuleSymbols::nearest_name(FileAddress address) const {
    if (const Function* function = function_at(address)) return Nearest{function->name, address - function->low()};
    if (const ElfSymbol* symbol = symbol_table().covering(address))
        return Nearest{std::string(symbol->name.substr(0, symbol->name.find('@'))), address - symbol->address};
    return std::nullopt;
}

}  // namespace lantern
