#include "core/symbols/symbol_files.h"

#include <fmt/format.h>

#include <future>

#include "core/object/debug_link.h"
#include "core/object/symbol_table.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern {

namespace fs = std::filesystem;

namespace {

bool has_dwarf(const ElfFile& file) {
    for (const char* name : {".debug_info", ".zdebug_info", ".debug_types"})
        if (const Section* section = file.section(name); section && section->stored_size)
            return true;
    return false;
}

// "ab/cdef….debug", as files are laid out by build id.
fs::path build_id_path(const std::string& id) {
    return fs::path(".build-id") / id.substr(0, 2) / (id.substr(2) + ".debug");
}

}  // namespace

namespace {

// Many questions are answered without them.
struct LaterSection {
    const char* name;
    LazyBytes dwarf::Sections::*into;
};
constexpr LaterSection kLater[] = {{".debug_loc", &dwarf::Sections::loc},
                                   {".debug_loclists", &dwarf::Sections::loclists},
                                   {".debug_macro", &dwarf::Sections::macro},
                                   {".debug_macinfo", &dwarf::Sections::macinfo}};

// What is stored as it is costs nothing to have; what is compressed is left so until somebody asks.
LazyBytes section_later(const ElfFile& file, const std::string& name,
                        std::vector<std::string>& problems) {
    const Section* section = file.section(name);
    bool is_packed = section && !section->compression.empty();
    try {
        if (!is_packed) return file.bytes(name);
    } catch (const FormatError& error) {
        problems.push_back(error.what());
        return {};
    }
    return LazyBytes([&file, section]() -> ByteSpan {
        try {
            return file.bytes(*section);
        } catch (const FormatError&) {  // see problems_of_packed_sections
            return {};
        }
    });
}

}  // namespace

std::vector<std::string> problems_of_packed_sections(const ElfFile& file) {
    std::vector<std::string> problems;
    for (const LaterSection& later : kLater) {
        const Section* section = file.section(later.name);
        if (!section || section->compression.empty()) continue;
        try {
            file.bytes(*section);
        } catch (const FormatError& error) {
            problems.push_back(error.what());
        }
    }
    return problems;
}

dwarf::Sections dwarf_sections(const ElfFile& file, std::string_view ending,
                               std::vector<std::string>& problems) {
    dwarf::Sections sections;
    struct Wanted {
        const char* name;
        ByteSpan dwarf::Sections::*into;
    };
    using S = dwarf::Sections;
    static constexpr Wanted kAll[] = {{".debug_info", &S::info},
                                      {".debug_str", &S::str},
                                      {".debug_line", &S::line},
                                      {".debug_abbrev", &S::abbrev},
                                      {".debug_types", &S::types},
                                      {".debug_line_str", &S::line_str},
                                      {".debug_str_offsets", &S::str_offsets},
                                      {".debug_addr", &S::addr},
                                      {".debug_ranges", &S::ranges},
                                      {".debug_rnglists", &S::rnglists},
                                      {".debug_aranges", &S::aranges},
                                      {".debug_names", &S::names},
                                      {".debug_cu_index", &S::cu_index},
                                      {".debug_tu_index", &S::tu_index}};
    for (const LaterSection& later : kLater)
        sections.*later.into = section_later(file, later.name + std::string(ending), problems);
    std::vector<std::string> failed(std::size(kAll));
    auto take = [&](std::size_t i) {
        bool is_index = kAll[i].into == &S::cu_index ||
                        kAll[i].into == &S::tu_index;  // the only names without an ending
        try {
            sections.*kAll[i].into =
                file.bytes(is_index ? kAll[i].name : kAll[i].name + std::string(ending));
        } catch (const FormatError& error) {
            failed[i] = error.what();
        }
    };
    // Decompressing is worth a second processor: the largest section goes first and alone.
    const Section* info = file.section(".debug_info" + std::string(ending));
    bool is_work = info && !info->compression.empty() && info->size > (1 << 20);
    std::future<void> first;
    if (is_work) first = std::async(std::launch::async, take, 0);
    for (std::size_t i = is_work ? 1 : 0; i < std::size(kAll); ++i) take(i);
    if (is_work) first.get();
    for (std::string& text : failed)
        if (!text.empty()) problems.push_back(std::move(text));
    return sections;
}

SymbolFiles::SymbolFiles(const ElfFile& program, const SymbolSearch& search)
    : program_(program), search_(search) {
    if (!search.index_folder.empty()) cache_.emplace(search.index_folder, search.index_limit);
    if (has_dwarf(program))
        origin_ = SymbolOrigin::program;
    else
        find_separate();
    if (origin_ != SymbolOrigin::nowhere) find_shared();
    try {
        inner_ = open_inner_symbols(program);
    } catch (const Error& error) {
        refused_.push_back(
            fmt::format("the symbols inside .gnu_debugdata cannot be read: {}", error.what()));
    }
}

std::unique_ptr<ElfFile> SymbolFiles::open_candidate(const fs::path& path) {
    std::error_code ignored;
    if (!fs::is_regular_file(path, ignored) || fs::equivalent(path, program_.path(), ignored))
        return nullptr;
    try {
        return ElfFile::open_symbol_file(path);
    } catch (const Error& error) {
        refused_.push_back(fmt::format("not used: {}", error.what()));
        return nullptr;
    }
}

bool SymbolFiles::take_by_build_id(const fs::path& path, SymbolOrigin origin) {
    auto file = open_candidate(path);
    if (!file) return false;
    if (file->build_id() != program_.build_id()) {
        refused_.push_back(fmt::format(
            "{} is not used: it belongs to build {}, this program is build {}", path.string(),
            file->build_id().empty() ? "(none)" : file->build_id(), program_.build_id()));
        return false;
    }
    if (!has_dwarf(*file)) {
        refused_.push_back(
            fmt::format("{} is not used: it holds no debug information", path.string()));
        return false;
    }
    separate_ = std::move(file);
    if (cache_) separate_->use(&*cache_);
    origin_ = origin;
    return true;
}

bool SymbolFiles::take_by_link(const fs::path& path, std::uint32_t checksum) {
    auto file = open_candidate(path);
    if (!file) return false;
    if (std::uint32_t actual = checksum_of(*file); actual != checksum) {
        refused_.push_back(
            fmt::format("{} is not used: its checksum is {:08x}, the program expects {:08x}; it "
                        "belongs to another build",
                        path.string(), actual, checksum));
        return false;
    }
    separate_ = std::move(file);
    if (cache_) separate_->use(&*cache_);
    origin_ = SymbolOrigin::debug_link;
    return true;
}

void SymbolFiles::find_separate() {
    const std::string& id = program_.build_id();
    fs::path name = program_.path().filename();
    std::error_code ignored;
    fs::path home = fs::absolute(program_.path(), ignored).parent_path();
    if (id.size() > 2) {
        for (const fs::path& folder : search_.folders)
            for (const fs::path& path :
                 {folder / build_id_path(id), folder / (name.string() + ".debug"), folder / name})
                if (take_by_build_id(path, path == folder / build_id_path(id)
                                               ? SymbolOrigin::build_id
                                               : SymbolOrigin::beside))
                    return;
        for (const fs::path& folder : search_.system_folders)
            if (take_by_build_id(folder / build_id_path(id), SymbolOrigin::build_id)) return;
    }
    if (auto link = read_debug_link(program_)) {
        std::vector<fs::path> places;
        for (const fs::path& folder : search_.folders) places.push_back(folder / link->name);
        places.push_back(home / link->name);
        places.push_back(home / ".debug" / link->name);
        for (const fs::path& folder : search_.system_folders)
            places.push_back(folder / home.relative_path() / link->name);
        for (const fs::path& path : places)
            if (take_by_link(path, link->checksum)) return;
    }
    if (id.size() > 2) {
        if (take_by_build_id(home / (name.string() + ".debug"), SymbolOrigin::beside)) return;
        if (search_.fetch)
            if (auto path = search_.fetch(id)) take_by_build_id(*path, SymbolOrigin::server);
    }
}

void SymbolFiles::find_shared() {
    const ElfFile& holder = dwarf_file();
    auto link = read_shared_link(holder);
    if (!link) return;
    std::error_code ignored;
    fs::path wanted = link->path;
    std::vector<fs::path> places;
    for (const fs::path& folder : search_.folders) {
        places.push_back(folder / wanted.filename());
        if (link->build_id.size() > 2) places.push_back(folder / build_id_path(link->build_id));
    }
    places.push_back(wanted.is_absolute()
                         ? wanted
                         : fs::absolute(holder.path(), ignored).parent_path() / wanted);
    for (const fs::path& folder : search_.system_folders) {
        places.push_back(folder / ".dwz" / wanted.filename());
        if (link->build_id.size() > 2) places.push_back(folder / build_id_path(link->build_id));
    }
    for (const fs::path& path : places) {
        auto file = open_candidate(path);
        if (!file) continue;
        if (file->build_id() != link->build_id) {
            refused_.push_back(fmt::format(
                "{} is not used: it belongs to build {}, the program's shared data is build {}",
                path.string(), file->build_id(), link->build_id));
            continue;
        }
        shared_ = std::move(file);
        return;
    }
    if (search_.fetch)
        if (auto path = search_.fetch(link->build_id)) {
            auto file = open_candidate(*path);
            if (file && file->build_id() == link->build_id) shared_ = std::move(file);
        }
    if (!shared_)
        refused_.push_back(fmt::format(
            "the shared debug data {} is missing; names and types that stand there are not known",
            link->path));
}

const ElfFile& SymbolFiles::symbol_file() const {
    auto has_table = [](const ElfFile* file) {
        const Section* section = file ? file->section(".symtab") : nullptr;
        return section && section->stored_size;
    };
    if (has_table(&program_)) return program_;
    if (has_table(separate_.get())) return *separate_;
    if (has_table(inner_.get())) return *inner_;
    return program_;
}

const dwarf::SplitFile* SymbolFiles::open_split(const fs::path& path) {
    auto [slot, is_new] = splits_.try_emplace(path);
    if (!is_new) return slot->second ? &slot->second->split : nullptr;
    auto file = open_candidate(path);
    if (!file) return nullptr;
    auto open = std::make_unique<OpenSplit>();
    open->split.path = path.string();
    open->split.sections = dwarf_sections(*file, ".dwo", refused_);
    if (open->split.sections.info.empty()) return nullptr;
    try {
        for (const Section& section : file->sections()) {
            ByteSpan bytes;
            if (section.name == ".debug_info.dwo" &&
                (bytes = file->bytes(section)).data() != open->split.sections.info.data())
                open->split.more_info.push_back(bytes);
            if (section.name == ".debug_types.dwo" &&
                (bytes = file->bytes(section)).data() != open->split.sections.types.data())
                open->split.more_types.push_back(bytes);
        }
    } catch (const FormatError& error) {
        refused_.push_back(error.what());
    }
    open->file = std::move(file);
    slot->second = std::move(open);
    return &slot->second->split;
}

// One package holds the split files of the whole program: PROGRAM.dwp (DWARF 5 §7.3.5).
const dwarf::SplitFile* SymbolFiles::find_package() {
    if (package_looked_for_) return package_;
    package_looked_for_ = true;
    fs::path name = program_.path().filename().string() + ".dwp";
    std::vector<fs::path> places;
    for (const fs::path& folder : search_.folders) places.push_back(folder / name);
    places.push_back(program_.path().parent_path() / name);
    if (separate_) places.push_back(separate_->path().string() + ".dwp");
    for (const fs::path& path : places) {
        package_ = open_split(path);
        if (!package_) continue;
        package_path_ = path.string();
        return package_;
    }
    return nullptr;
}

const dwarf::SplitFile* SymbolFiles::split_file(const dwarf::Unit& skeleton, std::string& problem) {
    if (const dwarf::SplitFile* package = find_package()) return package;
    fs::path named(skeleton.root().split_name);
    fs::path folder(skeleton.root().compilation_folder);
    std::vector<fs::path> places;
    for (const fs::path& user : search_.folders) {
        places.push_back(user / named.relative_path());
        places.push_back(user / named.filename());
    }
    places.push_back(named.is_absolute() ? named : folder / named);
    places.push_back(program_.path().parent_path() / named.relative_path());
    places.push_back(program_.path().parent_path() / named.filename());
    for (const fs::path& path : places)
        if (const dwarf::SplitFile* found = open_split(path)) return found;
    problem = fmt::format(
        "the split file {} is missing: its unit has lines, but no names, types or variables",
        escape_for_display(named.string()));
    return nullptr;
}

}  // namespace lantern
