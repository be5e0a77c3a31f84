#include "core/symbols/module_symbols.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/dwarf/ranges.h"
#include "core/support/error.h"
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
        eh_frame_.emplace(section_or_nothing(*elf_, ".eh_frame"), section->address, CallFrameInformation::Flavour::eh_frame);
    std::vector<FileRange> code;
    for (const Section& section : elf_->sections())
        if (section.is_code() && section.size) code.push_back({section.address, section.address + section.size});
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
    if (frames.empty() && &holder != elf_.get()) frames = section_or_nothing(holder, ".debug_frame");
    if (!frames.empty()) dwarf_->debug_frame.emplace(frames, FileAddress(), CallFrameInformation::Flavour::debug_frame);

    DebugInfoInput input;
    input.sections = dwarf_sections(holder, "", section_problems_);
    if (symbol_files_->shared()) input.shared = dwarf_sections(*symbol_files_->shared(), "", section_problems_);
    input.find_split = [this](const Unit& skeleton, std::string& problem) { return symbol_files_->split_file(skeleton, problem); };
    dwarf_->info = std::make_unique<DebugInfo>(std::move(input));
    const DebugInfo& info = *dwarf_->info;
    dwarf_->unit_map = std::make_unique<UnitMap>(info, areas_);
    unit_names_.resize(info.units().size());
    lines_.resize(info.units().size());
    files_.resize(info.units().size());
    auto file_name_of = [this](const Unit& unit, std::uint64_t index) { return file_name(unit, index); };
    dwarf_->types = std::make_unique<TypeTable>(info, [this](const Entry& declaration) { return find_complete(declaration); }, file_name_of);
    dwarf_->scopes = std::make_unique<ScopeReader>(info, *dwarf_->types, file_name_of, [this](const Entry& entry) { return entry_name(entry); });
    return *dwarf_;
}

const SymbolTable& ModuleSymbols::symbol_table() const {
    if (!symbol_table_) symbol_table_ = std::make_unique<SymbolTable>(*elf_, files().symbol_file());
    return *symbol_table_;
}

bool ModuleSymbols::has_debug_information() const {
    return !debug_info().units().empty();
}

std::vector<std::string> ModuleSymbols::problems() const {
    index();
    return problems_so_far();
}

std::vector<std::string> ModuleSymbols::problems_so_far() const {
    std::vector<std::string> all = section_problems_;
    if (!elf_->damage().empty()) all.push_back(elf_->damage());
    for (const auto& more : {files().refused(), debug_info().problems(), index_ ? index_->problems() : std::vector<std::string>(), line_problems_})
        for (const std::string& problem : more)
            if (std::find(all.begin(), all.end(), problem) == all.end()) all.push_back(problem);
    if (!name_table_distrust_.empty()) all.push_back(name_table_distrust_);
    if (!dwarf().unit_map->distrust().empty()) all.push_back(dwarf().unit_map->distrust());
    return all;
}

// ---- names -------------------------------------------------------------------------------------------------------

const SymbolIndex& ModuleSymbols::index() const {
    if (!index_) {
        std::function<void(double)> progress;
        if (search_.progress) progress = [this](double done) { search_.progress(elf_->path().string(), done); };
        constexpr std::uint64_t kWorthKeeping = 4 << 20;  // below this the pass is quicker than the file
        std::uint64_t bytes = 0;
        for (const auto& section : debug_info().sections()) bytes += section->bytes.size();
        bool is_kept = !search_.index_folder.empty() && elf_->build_id().size() > 2 && bytes >= kWorthKeeping;
        if (is_kept)
            if (auto kept = load_index(search_.index_folder, elf_->build_id(), debug_info())) {
                index_ = std::make_unique<SymbolIndex>(std::move(*kept));
                index_from_file_ = true;
                return *index_;
            }
        index_ = std::make_unique<SymbolIndex>(SymbolIndex::build(debug_info(), areas_, progress));
        if (progress) progress(1);
        // Damage is found by the pass alone: a program that has some is passed over anew each time.
        if (is_kept && index_->problems().empty()) save_index(search_.index_folder, elf_->build_id(), *index_, debug_info(), search_.index_limit);
    }
    return *index_;
}

const UnitNames& ModuleSymbols::names_of(const Unit& unit) const {
    auto& slot = unit_names_.at(unit.index);
    if (!slot) slot = std::make_unique<UnitNames>(NameScanner(debug_info(), areas_).scan(unit));
    return *slot;
}

// Who has asked about this many units, one after the other, will ask about more: all at once, on all processors, is quicker.
void ModuleSymbols::prefer_index(const Unit& unit) const {
    constexpr std::size_t kSingleUnits = 8;
    if (!index_ && !unit_names_[unit.index] && ++units_scanned_ > kSingleUnits) index();
}

std::span<const CodeRange> ModuleSymbols::code_of(const Unit& unit) const {
    prefer_index(unit);
    return index_ ? index_->code_of(unit.index) : names_of(unit).code;
}

std::span<const NameScope> ModuleSymbols::scopes_of(const Unit& unit) const {
    return index_ ? index_->scopes_of(unit.index) : names_of(unit).scopes;
}

const Function* ModuleSymbols::function_at(FileAddress address) const {
    const Unit* unit = dwarf().unit_map->find(address);
    if (!unit) return nullptr;
    std::span<const CodeRange> code = code_of(*unit);
    auto after = std::upper_bound(code.begin(), code.end(), address, [](FileAddress a, const CodeRange& range) { return a < range.low; });
    if (after == code.begin() || !std::prev(after)->contains(address)) return nullptr;
    return function(std::prev(after)->function);
}

const Function* ModuleSymbols::function(Position position) const {
    auto [slot, is_new] = functions_.try_emplace(position);
    if (!is_new) return slot->second.get();
    try {
        auto entry = debug_info().entry_at(position);
        if (!entry || entry->tag() != DW_TAG_subprogram) return nullptr;
        Function read = read_function(*entry);
        auto made = std::make_unique<Function>(std::move(read));
        return (functions_[position] = std::move(made)).get();
    } catch (const FormatError& error) {
        line_problems_.push_back(error.what());
        return nullptr;
    }
}

Function ModuleSymbols::read_function(const Entry& entry) const {
    Function function;
    function.entry_offset = entry.offset();
    function.unit = &entry.unit();
    for (const FileRange& range : ranges_of(entry))
        if (areas_.holds(range.low)) function.ranges.push_back(range);
    // A definition may say its name itself, or leave that to its declaration or abstract origin.
    std::optional<Entry> current = entry;
    for (int hops = 0; current && hops < 6; ++hops) {
        if (function.name.empty() && current->has(DW_AT_name)) function.name = qualified_name(current->offset());
        if (function.linkage_name.empty()) {
            if (auto name = current->text(DW_AT_linkage_name)) function.linkage_name = *name;
            else if (auto old = current->text(DW_AT_MIPS_linkage_name)) function.linkage_name = *old;
        }
        if (!function.declared_line) {
            function.declared_line = static_cast<std::uint32_t>(current->number(DW_AT_decl_line).value_or(0));
            if (auto file = current->number(DW_AT_decl_file)) function.declared_in = file_name(current->unit(), *file);
        }
        auto next = debug_info().referred(*current, DW_AT_abstract_origin);
        if (!next) next = debug_info().referred(*current, DW_AT_specification);
        current = next;
    }
    // The compiler numbers Rust's impl blocks; the linkage name tells whose they are: "<flight::Narrow as flight::Toll>::toll".
    if (function.name.find("{impl#") != std::string::npos && function.linkage_name.starts_with("_")) function.name = demangled(function.linkage_name);
    if (current && function.name.empty())
        line_problems_.push_back(fmt::format("the function at {:#x} leads from origin to origin without end", entry.offset()));
    if (function.name.empty()) function.name = function.linkage_name.empty() ? "(unnamed)" : demangled(function.linkage_name);
    return function;
}

namespace {

// The names of the entries around `position`, functions and closures among them: what `scopes` alone cannot tell.
void collect_path(const Entry& parent, Position position, std::vector<std::string>& path, int depth) {
    std::optional<Entry> holder;
    for (auto child = parent.first_child(); child && child->offset() <= position; child = child->next_sibling()) holder = child;
    if (!holder || depth > 100) return;
    if (holder->offset() == position) return;
    switch (holder->tag()) {
        case DW_TAG_lexical_block: case DW_TAG_inlined_subroutine: break;
        default:
            if (auto name = holder->text(DW_AT_name)) path.emplace_back(*name);
            else if (holder->tag() == DW_TAG_structure_type || holder->tag() == DW_TAG_class_type) path.emplace_back("(lambda)");
            else if (holder->tag() == DW_TAG_namespace) path.emplace_back("(anonymous)");
    }
    collect_path(*holder, position, path, depth + 1);
}

}  // namespace

std::optional<Position> ModuleSymbols::declaration_of_type(const Entry& definition) const {
    if (definition.tag() == DW_TAG_subprogram || definition.tag() == DW_TAG_variable) return std::nullopt;
    auto declaration = debug_info().referred(definition, DW_AT_specification);
    if (!declaration || declaration->offset() == definition.offset() || declaration->has(DW_AT_specification)) return std::nullopt;
    return declaration->offset();
}

std::string ModuleSymbols::qualified_name(Position position) const {
    auto entry = debug_info().entry_at(position);
    if (!entry) return {};
    std::string name(entry->text(DW_AT_name).value_or(""));
    // A type unit's definition stands outside of its namespace; a declaration inside says which that is.
    if (auto declaration = declaration_of_type(*entry)) return qualified_name(*declaration);
    const Unit& unit = entry->unit();
    std::string scope;
    if (name == "operator()") {  // a lambda's stands inside the function that makes it
        std::vector<std::string> path;
        if (auto root = Entry::at(unit, unit.first_entry)) collect_path(*root, position, path, 0);
        for (const std::string& part : path) scope += (scope.empty() ? "" : "::") + part;
    } else if (unit.is_cplusplus() || unit.is_rust() || unit.language() == 0) {
        std::span<const NameScope> scopes = scopes_of(unit);
        std::uint32_t at = scope_at(scopes, position);
        if (at < scopes.size() && scopes[at].begin == position) at = scopes[at].parent;  // its own scope is no part of its name
        scope = join_scope_names(debug_info(), scopes, at);
    }
    return scope.empty() ? name : scope + "::" + name;
}

namespace {

// "Narrow::toll" and "Toll::toll" for "<flight::Narrow as flight::Toll>::toll".
bool impl_matches(const std::string& function, std::string_view wanted) {
    std::string_view method = last_component(wanted);
    std::size_t as = function.find(" as ");
    if (!function.starts_with('<') || as == std::string::npos || method.size() + 2 >= wanted.size() || last_component(function) != method) return false;
    std::string_view scope = wanted.substr(0, wanted.size() - method.size() - 2);
    std::string trait = function.substr(as + 4, function.size() - as - 4 - method.size() - 3);
    return name_matches(function.substr(1, as - 1), scope) || name_matches(trait, scope);
}

}  // namespace

std::vector<const Function*> ModuleSymbols::functions_named(std::string_view name) const {
    std::vector<const Function*> found;
    index().for_each_named(last_component(name), [&](const NameEntry& entry) {
        if (!is_function(entry.kind)) return;
        std::string qualified = index().qualified_name(entry);
        bool fits = name_matches(qualified, name);
        if (!fits && qualified.find("{impl#") == std::string::npos) return;
        const Function* one = function(entry.position);
        if (one && (fits || impl_matches(one->name, name))) found.push_back(one);
    });
    std::sort(found.begin(), found.end(), [](const Function* a, const Function* b) { return a->entry_offset < b->entry_offset; });
    return found;
}

std::vector<const Function*> ModuleSymbols::functions_of(const Unit& unit) const {
    std::vector<const Function*> found;
    for (const CodeRange& range : code_of(unit))
        if (const Function* one = function(range.function); one && (found.empty() || found.back() != one)) found.push_back(one);
    return found;
}

const FunctionBody& ModuleSymbols::body_of(const Function& function) const {
    auto& slot = bodies_[function.entry_offset];
    if (!slot) {
        slot = std::make_unique<FunctionBody>();
        try {
            *slot = dwarf().scopes->read(function);
        } catch (const FormatError& error) {
            slot->outermost.ranges = function.ranges;
            line_problems_.push_back(error.what());
        }
    }
    return *slot;
}

std::vector<InlinedCall> ModuleSymbols::inlined_calls_at(const Function& function, FileAddress address) const {
    try {
        return dwarf().scopes->inlined_at(function, address);
    } catch (const FormatError& error) {
        line_problems_.push_back(error.what());
        return {};
    }
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

// ---- lines -------------------------------------------------------------------------------------------------------

const LineTable& ModuleSymbols::lines_of(const Unit& unit) const {
    auto& slot = lines_[unit.index];
    if (!slot) {
        LineProgram program;
        try {
            program = read_line_program(unit);
        } catch (const FormatError& error) {
            line_problems_.push_back(error.what());
        }
        slot = std::make_unique<LineTable>(std::move(program), areas_);
    }
    return *slot;
}

const std::vector<LineFile>& ModuleSymbols::files_of(const Unit& unit) const {
    if (lines_[unit.index]) return lines_[unit.index]->files();
    auto& slot = files_[unit.index];
    if (slot) return *slot;
    slot = std::make_unique<std::vector<LineFile>>();
    try {
        *slot = read_line_header(unit).files;
    } catch (const FormatError& error) {
        line_problems_.push_back(error.what());
    }
    return *slot;
}

std::string ModuleSymbols::file_name(const Unit& unit, std::uint64_t index) const {
    const auto& files = files_of(unit);
    return index < files.size() ? files[index].path : std::string();
}

const Unit* ModuleSymbols::unit_at(FileAddress address) const {
    return dwarf().unit_map->find(address);
}

std::optional<SourceLine> ModuleSymbols::line_at(FileAddress address) const {
    const Unit* unit = unit_at(address);
    if (!unit) return std::nullopt;
    const LineTable& lines = lines_of(*unit);
    const LineEntry* entry = lines.at(address);
    if (!entry || entry->line == 0 || entry->file >= lines.files().size()) return std::nullopt;
    return SourceLine{lines.files()[entry->file].path, entry->line, entry->column, entry->range, entry->is_statement};
}

// ---- types -------------------------------------------------------------------------------------------------------

namespace {

struct WantedType {
    std::string_view name;
    std::optional<NameKind> kind;  // from a keyword: "struct barge"
};

WantedType wanted_type(std::string_view text) {
    static constexpr std::pair<std::string_view, NameKind> kKeywords[] = {
        {"struct ", NameKind::structure}, {"class ", NameKind::structure}, {"union ", NameKind::union_}, {"enum ", NameKind::enumeration}};
    for (auto [word, kind] : kKeywords)
        if (text.starts_with(word)) return {text.substr(word.size()), kind};
    return {text, std::nullopt};
}

std::optional<NameKind> kind_of_type(std::uint16_t tag) {
    switch (tag) {
        case DW_TAG_structure_type: case DW_TAG_class_type: return NameKind::structure;
        case DW_TAG_union_type: return NameKind::union_;
        case DW_TAG_enumeration_type: return NameKind::enumeration;
        case DW_TAG_typedef: return NameKind::alias;
        case DW_TAG_base_type: return NameKind::base_type;
        default: return std::nullopt;
    }
}

// In C a structure is only named with its keyword; in C++ and Rust the name is enough.
bool keyword_is_needed(const DebugInfo& info, const NameEntry& entry) {
    if (entry.kind == NameKind::alias || entry.kind == NameKind::base_type) return false;
    const Unit* unit = info.unit_holding(entry.position);
    return unit && !unit->is_cplusplus() && !unit->is_rust();
}

}  // namespace

std::string ModuleSymbols::type_name(const NameEntry& entry) const {
    std::string name = index().qualified_name(entry);
    if (name.empty() || !keyword_is_needed(debug_info(), entry)) return name;
    return (entry.kind == NameKind::structure ? "struct " : entry.kind == NameKind::union_ ? "union " : "enum ") + name;
}

std::vector<const Type*> ModuleSymbols::types_named(const std::string& text) const {
    WantedType wanted = wanted_type(text);
    std::vector<const Type*> found;
    if (wanted.name.empty()) return found;
    index().for_each_named(last_component(wanted.name), [&](const NameEntry& entry) {
        if (!is_type(entry.kind)) return;
        if (wanted.kind ? entry.kind != *wanted.kind : keyword_is_needed(debug_info(), entry)) return;
        std::string name = index().qualified_name(entry);
        if (!name_matches(name, wanted.name)) return;
        const Type* type = types().type_at(entry.position);
        // Every unit that saw a definition repeats it.
        bool known = std::any_of(found.begin(), found.end(), [&](const Type* other) {
            return other->kind == type->kind && other->size == type->size && other->declared_in == type->declared_in && other->declared_at == type->declared_at &&
                   other->name == type->name && qualified_name(other->entry_offset) == name;
        });
        if (!known) found.push_back(type);
    });
    // The name as it was asked for comes before those that merely end in it, and types before their template instances.
    std::stable_sort(found.begin(), found.end(), [&](const Type* a, const Type* b) {
        auto rank = [&](const Type* type) { return qualified_name(type->entry_offset) == wanted.name ? 0 : type->name == wanted.name ? 1 : 2; };
        return rank(a) < rank(b);
    });
    return found;
}

const Type* ModuleSymbols::type_named(const std::string& text) const {
    WantedType wanted = wanted_type(text);
    if (wanted.name.empty()) return nullptr;
    if (const NameTable* table = name_table())
        if (auto position = type_in_table(*table, wanted.name, wanted.kind)) return types().type_at(*position);
    const NameEntry* best = nullptr;
    index().for_each_named(last_component(wanted.name), [&](const NameEntry& entry) {
        if (!is_type(entry.kind) || best) return;
        if (wanted.kind ? entry.kind != *wanted.kind : keyword_is_needed(debug_info(), entry)) return;
        // Template arguments count here: an expression means one type, not a family.
        std::string name = index().qualified_name(entry);
        if (name == wanted.name || (name.size() > wanted.name.size() + 2 && name.ends_with(wanted.name) &&
                                    name.compare(name.size() - wanted.name.size() - 2, 2, "::") == 0))
            best = &entry;
    });
    return best ? types().type_at(best->position) : nullptr;
}

// The file's own index is believed when the entry it names is there and is what it says.
std::optional<Position> ModuleSymbols::type_in_table(const NameTable& table, std::string_view name, std::optional<NameKind> kind) const {
    try {
        for (const NameTable::Found& found : table.find(last_component(name))) {
            auto entry_kind = kind_of_type(found.tag);
            if (!entry_kind) continue;
            auto entry = debug_info().entry_at(found.position);
            if (!entry || entry->tag() != found.tag || entry->text(DW_AT_name) != last_component(name)) {
                distrust_name_table(fmt::format("it names an entry at {:#x} that is not there", found.position));
                return std::nullopt;
            }
            if (entry->flag(DW_AT_declaration)) continue;
            if (kind ? *entry_kind != *kind : keyword_is_needed(debug_info(), {found.position, 0, 0, *entry_kind, {}})) continue;
            if (name_matches(qualified_name(found.position), name)) return found.position;
        }
    } catch (const FormatError& error) {
        distrust_name_table(error.what());
    }
    return std::nullopt;
}

const NameTable* ModuleSymbols::name_table() const {
    if (index_) return nullptr;  // ours knows more
    if (name_table_read_) return name_table_.get();
    name_table_read_ = true;
    for (const auto& first : debug_info().units()) {
        const Sections& sections = (first->skeleton ? *first->skeleton : *first).sections();
        if (sections.names.empty()) return nullptr;
        try {
            name_table_ = std::make_unique<NameTable>(sections);
            std::vector<Position> ours;
            for (const auto& unit : debug_info().units())
                if (unit->type == DW_UT_compile || unit->type == DW_UT_split_compile || unit->type == DW_UT_skeleton)
                    ours.push_back(unit->skeleton ? unit->skeleton->offset : unit->offset);
            std::sort(ours.begin(), ours.end());
            if (ours != name_table_->units()) distrust_name_table("it does not cover the units that are there");
            if (std::any_of(debug_info().units().begin(), debug_info().units().end(), [](const auto& unit) { return unit->skeleton != nullptr; }))
                name_table_.reset();  // its offsets lead into the split files, which our own index reads anyway
        } catch (const FormatError& error) {
            distrust_name_table(error.what());
        }
        break;
    }
    return name_table_.get();
}

void ModuleSymbols::distrust_name_table(const std::string& why) const {
    name_table_.reset();
    name_table_distrust_ = fmt::format(".debug_names is not used: {}", why);
}

std::vector<std::string> ModuleSymbols::own_indexes() const {
    std::vector<std::string> told;
    if (debug_info().units().empty()) return told;
    const Unit& first = *debug_info().units().front();
    const Sections& sections = (first.skeleton ? *first.skeleton : first).sections();
    if (!sections.aranges.empty()) {
        bool agrees = dwarf().unit_map->check_table();
        told.push_back(agrees ? ".debug_aranges agrees with the units and is used" : dwarf().unit_map->distrust());
    }
    if (!sections.names.empty()) {
        bool had_index = index_ != nullptr;
        if (!had_index) name_table();
        told.push_back(!name_table_distrust_.empty() ? name_table_distrust_ : ".debug_names covers the units and is used until the full index is there");
    }
    return told;
}

// A declaration's definition: in its own unit if that has one, else anywhere.
std::optional<Position> ModuleSymbols::find_complete(const Entry& declaration) const {
    auto own = declaration.text(DW_AT_name);
    if (!own) return std::nullopt;
    NameKind kind = declaration.tag() == DW_TAG_union_type ? NameKind::union_
                    : declaration.tag() == DW_TAG_enumeration_type ? NameKind::enumeration : NameKind::structure;
    std::string name = qualified_name(declaration.offset());
    if (const NameTable* table = name_table())
        if (auto position = type_in_table(*table, name, kind)) return position;
    std::optional<Position> found;
    index().for_each_named(*own, [&](const NameEntry& entry) {
        if (found || entry.kind != kind) return;
        if (index().own_name(entry) == *own && index().qualified_name(entry) == name) found = entry.position;
    });
    return found;
}

// ---- the rest ----------------------------------------------------------------------------------------------------

std::optional<FrameDescription> ModuleSymbols::frame_description(FileAddress pc) const {
    if (eh_frame_)
        if (auto description = eh_frame_->describe(pc)) return description;
    if (dwarf().debug_frame) return dwarf().debug_frame->describe(pc);
    return std::nullopt;
}

std::optional<ModuleSymbols::Nearest> ModuleSymbols::nearest_name(FileAddress address) const {
    if (const Function* function = function_at(address)) return Nearest{function->name, address - function->low()};
    if (const ElfSymbol* symbol = symbol_table().covering(address)) return Nearest{demangled(symbol->name), address - symbol->address};
    return std::nullopt;
}

}  // namespace lantern
