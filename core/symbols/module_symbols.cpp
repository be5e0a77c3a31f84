#include "core/symbols/module_symbols.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/dwarf/ranges.h"
#include "core/object/imports.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/symbols/demangle.h"
#include "core/symbols/index_file.h"

namespace lantern {

using namespace dwarf;

ModuleSymbols::ModuleSymbols(const std::filesystem::path& path, SymbolSearch search)
    : elf_(std::make_unique<ElfFile>(path)), search_(std::move(search)) {
    set_up();
}

ModuleSymbols::ModuleSymbols(std::unique_ptr<ElfFile> image) : elf_(std::move(image)) {
    set_up();
}

ModuleSymbols::~ModuleSymbols() = default;

void ModuleSymbols::set_up() {
    if (const Section* section = elf_->section(".eh_frame"))
        eh_frame_.emplace(section_or_nothing(*elf_, ".eh_frame"), section->address,
                          CallFrameInformation::Flavour::eh_frame);
    std::vector<FileRange> code;
    for (const Section& section : elf_->sections())
        if (section.is_code() && section.size)
            code.push_back({section.address, section.address + section.size});
    areas_ = CodeAreas(std::move(code));
}

ByteSpan ModuleSymbols::section_or_nothing(const ElfFile& file, const char* name) const {
    try {
        return file.bytes(name);
    } catch (const FormatError& error) {
        section_problems_.push_back(error.what());
        return {};
    }
}

const SymbolFiles& ModuleSymbols::files() const {
    if (!symbol_files_) symbol_files_ = std::make_unique<SymbolFiles>(*elf_, search_);
    return *symbol_files_;
}

const ModuleSymbols::Dwarf& ModuleSymbols::dwarf() const {
    if (dwarf_) return *dwarf_;
    files();
    const ElfFile& holder = symbol_files_->dwarf_file();
    dwarf_ = std::make_unique<Dwarf>();
    ByteSpan frames = section_or_nothing(*elf_, ".debug_frame");
    if (frames.empty() && &holder != elf_.get())
        frames = section_or_nothing(holder, ".debug_frame");
    if (!frames.empty())
        dwarf_->debug_frame.emplace(frames, FileAddress(),
                                    CallFrameInformation::Flavour::debug_frame);

    DebugInfoInput input;
    input.sections = dwarf_sections(holder, "", section_problems_);
    if (symbol_files_->shared())
        input.shared = dwarf_sections(*symbol_files_->shared(), "", section_problems_);
    input.find_split = [this](const Unit& skeleton, std::string& problem) {
        return symbol_files_->split_file(skeleton, problem);
    };
    dwarf_->info = std::make_unique<DebugInfo>(std::move(input));
    const DebugInfo& info = *dwarf_->info;
    dwarf_->unit_map = std::make_unique<UnitMap>(info, areas_);
    dwarf_->lines = std::make_unique<UnitLines>(info.units().size(), areas_);
    dwarf_->index = std::make_unique<UnitIndex>(*elf_, info, areas_, search_);
    auto file_name_of = [this](const Unit& unit, std::uint64_t index) {
        return file_name(unit, index);
    };
    dwarf_->types = std::make_unique<TypeTable>(
        info, [this](const Entry& declaration) { return find_complete(declaration); }, file_name_of,
        [this](Position entry) { return qualified_name(entry); });
    dwarf_->scopes =
        std::make_unique<ScopeReader>(info, *dwarf_->types, file_name_of,
                                      [this](const Entry& entry) { return entry_name(entry); });
    return *dwarf_;
}

const SymbolTable& ModuleSymbols::symbol_table() const {
    if (!symbol_table_) symbol_table_ = std::make_unique<SymbolTable>(*elf_, files().symbol_file());
    return *symbol_table_;
}

const Imports& ModuleSymbols::imports() const {
    if (!imports_) imports_ = std::make_unique<Imports>(*elf_);
    return *imports_;
}

bool ModuleSymbols::has_debug_information() const {
    return !debug_info().units().empty();
}

std::vector<std::string> ModuleSymbols::problems() const {
    index();
    std::vector<std::string> all = problems_so_far();
    for (const ElfFile* file : {&files().dwarf_file(), files().shared()})
        if (file)
            for (std::string& problem : problems_of_packed_sections(*file))
                all.push_back(std::move(problem));
    return all;
}

std::vector<std::string> ModuleSymbols::problems_so_far() const {
    std::vector<std::string> all = section_problems_;
    if (!elf_->damage().empty()) all.push_back(elf_->damage());
    for (const auto& more : {files().refused(), debug_info().problems(),
                             index_is_ready() ? index().problems() : std::vector<std::string>(),
                             types().problems(), dwarf().lines->problems(), function_problems_})
        for (const std::string& problem : more)
            if (std::find(all.begin(), all.end(), problem) == all.end()) all.push_back(problem);
    if (!name_table_distrust_.empty()) all.push_back(name_table_distrust_);
    if (!dwarf().unit_map->distrust().empty()) all.push_back(dwarf().unit_map->distrust());
    return all;
}

// ---- names

namespace {

// Functions and closures among them: what the index's scopes alone cannot tell.
std::string names_around(const Unit& unit, Position position) {
    std::string names;
    for (const Entry& holder : entries_around(unit, position)) {
        std::string_view part;
        if (auto name = holder.text(DW_AT_name))
            part = *name;
        else if (holder.tag() == DW_TAG_structure_type || holder.tag() == DW_TAG_class_type)
            part = "(lambda)";
        else if (holder.tag() == DW_TAG_namespace)
            part = "(anonymous)";
        bool is_part_of_function =
            holder.tag() == DW_TAG_lexical_block || holder.tag() == DW_TAG_inlined_subroutine;
        if (part.empty() || is_part_of_function) continue;
        if (!names.empty()) names += "::";
        names += part;
    }
    return names;
}

}  // namespace

std::optional<Position> ModuleSymbols::declaration_of_type(const Entry& definition) const {
    if (definition.tag() == DW_TAG_subprogram || definition.tag() == DW_TAG_variable)
        return std::nullopt;
    auto declaration = debug_info().referred(definition, DW_AT_specification);
    if (!declaration || declaration->offset() == definition.offset() ||
        declaration->has(DW_AT_specification))
        return std::nullopt;
    return declaration->offset();
}

std::string ModuleSymbols::qualified_name(Position position) const {
    auto entry = debug_info().entry_at(position);
    if (!entry) return {};
    std::string name(entry->text(DW_AT_name).value_or(""));
    // A type unit's definition stands outside of its namespace; a declaration inside says which
    // that is.
    if (auto declaration = declaration_of_type(*entry)) return qualified_name(*declaration);
    const Unit& unit = entry->unit();
    std::string scope;
    if (name == "operator()") {  // a lambda's stands inside the function that makes it
        scope = names_around(unit, position);
    } else if (unit.is_cplusplus() || unit.is_rust() || unit.language() == 0) {
        std::span<const NameScope> scopes = dwarf().index->scopes_of(unit);
        std::uint32_t at = scope_at(scopes, position);
        if (at < scopes.size() && scopes[at].begin == position)
            at = scopes[at].parent;  // its own scope is no part of its name
        scope = join_scope_names(debug_info(), scopes, at);
    }
    return scope.empty() ? name : scope + "::" + name;
}

namespace {

// "Narrow::toll" and "Toll::toll" for "<flight::Narrow as flight::Toll>::toll".
bool impl_matches(const std::string& function, std::string_view wanted) {
    std::string_view method = last_component(wanted);
    std::size_t as = function.find(" as ");
    if (!function.starts_with('<') || as == std::string::npos ||
        method.size() + 2 >= wanted.size() || last_component(function) != method)
        return false;
    std::string_view scope = wanted.substr(0, wanted.size() - method.size() - 2);
    std::string trait = function.substr(as + 4, function.size() - as - 4 - method.size() - 3);
    return name_matches(function.substr(1, as - 1), scope) || name_matches(trait, scope);
}

}  // namespace

std::vector<const Function*> ModuleSymbols::functions_called(std::string_view name) const {
    std::vector<const Function*> found;
    std::string exact = without_spaces(name);
    // "std::vector<int>::size", as it is shown: without the arguments that are so by themselves.
    bool has_arguments = name.find('<') != std::string_view::npos;
    auto comparable = [](std::string_view text) {
        return comparable_type_name(comparable_parameters(text), false);
    };
    std::string as_shown = has_arguments ? comparable(name) : "";
    auto is_shown_so = [&](const std::string& whole) {
        if (!has_arguments) return false;
        std::string shown = comparable(whole);
        return shown.ends_with(as_shown) && (shown.size() == as_shown.size() ||
                                             shown[shown.size() - as_shown.size() - 1] == ':');
    };
    index().for_each_named(last_component(name), [&](const NameEntry& entry) {
        if (!is_function(entry.kind)) return;
        std::string qualified = index().qualified_name(entry);
        bool fits = name_matches(qualified, name);
        const Function* one = function(entry.position);
        // What the functions around it add to its name, and what a demangler makes of it, only the
        // function itself knows.
        if (one && (fits || impl_matches(one->name, name) || without_spaces(one->name) == exact ||
                    is_shown_so(one->name)))
            found.push_back(one);
    });
    std::sort(found.begin(), found.end(), [](const Function* a, const Function* b) {
        return a->entry_offset < b->entry_offset;
    });
    return found;
}

std::vector<const Function*> ModuleSymbols::functions_of(const Unit& unit) const {
    std::vector<const Function*> found;
    for (const CodeRange& range : dwarf().index->code_of(unit))
        if (const Function* one = function(range.function);
            one && (found.empty() || found.back() != one))
            found.push_back(one);
    return found;
}

std::optional<Variable> ModuleSymbols::variable_at(Position position) const {
    auto entry = debug_info().entry_at(position);
    return entry ? std::optional(dwarf().scopes->read_variable(*entry)) : std::nullopt;
}

bool ModuleSymbols::is_entry_of(Position position, const Function& function) const {
    auto mine = debug_info().entry_at(function.entry_offset),
         other = debug_info().entry_at(position);
    if (!mine || !other) return false;
    for (const Entry& a : debug_info().with_origins(*mine))
        for (const Entry& b : debug_info().with_origins(*other))
            if (a.offset() == b.offset()) return true;
    return false;
}

std::string ModuleSymbols::linker_name_of(Position position) const {
    auto entry = debug_info().entry_at(position);
    if (!entry) return {};
    std::string plain;
    for (const Entry& each : debug_info().with_origins(*entry)) {
        for (dwarf::At name : {DW_AT_linkage_name, DW_AT_MIPS_linkage_name})
            if (auto linked = each.text(name)) return std::string(*linked);
        if (plain.empty()) plain = each.text(DW_AT_name).value_or("");
    }
    return plain;
}

std::optional<Variable> ModuleSymbols::global(const NameEntry& named) const {
    auto entry = debug_info().entry_at(named.position);
    if (!entry) return std::nullopt;
    Variable variable = dwarf().scopes->read_variable(*entry);
    variable.name = index().qualified_name(named);
    return variable;
}

std::string ModuleSymbols::entry_name(const Entry& entry) const {
    if (const Function* known = function(entry.offset())) return known->name;
    return "(unnamed)";
}

// ---- lines

const Unit* ModuleSymbols::unit_at(FileAddress address) const {
    return dwarf().unit_map->find(address);
}

std::optional<SourceLine> ModuleSymbols::line_at(FileAddress address) const {
    const Unit* unit = unit_at(address);
    if (!unit) return std::nullopt;
    const LineTable& lines = lines_of(*unit);
    const LineEntry* entry = lines.at(address);
    if (!entry || entry->line == 0 || entry->file >= lines.files().size()) return std::nullopt;
    return SourceLine{lines.files()[entry->file].path, entry->line, entry->column, entry->range,
                      entry->is_statement};
}

// ---- the rest

std::optional<FrameDescription> ModuleSymbols::frame_description(FileAddress pc) const {
    if (eh_frame_)
        if (auto description = eh_frame_->describe(pc)) return description;
    if (dwarf().debug_frame) return dwarf().debug_frame->describe(pc);
    return std::nullopt;
}

namespace {

// What is said of the parts that the compiler has put elsewhere: " (cold part)".
std::string part_name(const ModuleSymbols& symbols, const Function& function, std::size_t part) {
    if (part == 0) return {};
    const ElfSymbol* symbol = symbols.symbol_table().covering(function.ranges[part].low);
    bool is_cold = symbol && symbol->name.find(".cold") != std::string::npos;
    if (is_cold) return " (cold part)";
    return function.ranges.size() == 2 ? " (split part)" : fmt::format(" (split part {})", part);
}

}  // namespace

std::optional<ModuleSymbols::Nearest> ModuleSymbols::nearest_name(FileAddress address) const {
    if (const Function* function = function_at(address)) {
        for (std::size_t i = 0; i < function->ranges.size(); ++i) {
            const FileRange& range = function->ranges[i];
            if (!range.contains(address)) continue;
            return Nearest{function->name + part_name(*this, *function, i), address - range.low};
        }
    }
    if (const ElfSymbol* symbol = symbol_table().covering(address))
        return Nearest{demangled(symbol->name), address - symbol->address};
    return std::nullopt;
}

}  // namespace lantern
