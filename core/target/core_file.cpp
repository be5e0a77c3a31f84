#include "core/target/core_file.h"

#include <elf.h>
#include <fcntl.h>
#include <fmt/format.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstring>

#include "core/machine/page.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/target/memory_map.h"

namespace lantern {
namespace {

constexpr std::size_t kMostProgramHeaders = 64;
constexpr std::uint64_t kLowestMapped =
    0x7000'0000'0000;  // where mmap(2) places what nobody asked a place for

std::string hex_of(ByteSpan bytes) {
    std::string text;
    for (std::byte each : bytes) text += fmt::format("{:02x}", static_cast<unsigned>(each));
    return text;
}

}  // namespace

CoreFile::CoreFile(const std::string& path, const std::string& program,
                   std::vector<std::filesystem::path> folders, OpenSymbols open_symbols)
    : path_(path), folders_(std::move(folders)), open_symbols_(std::move(open_symbols)) {
    map_file();
    try {
        image_ = read_core_image(file_);
    } catch (const FormatError& error) {
        throw FileError(fmt::format("{} cannot be read: {}", path, error.what()), Next::open_core);
    }
    if (image_.threads.empty())
        throw FileError(
            fmt::format("{} cannot be used: {}", path, join_with(image_.problems, "and")),
            "it may have been cut off while it was written");
    find_program(program);
    find_libraries();
    add_vdso();
    list_regions();
    tell_findings();
}

CoreFile::MappedFile::~MappedFile() {
    if (bytes.data()) munmap(const_cast<std::byte*>(bytes.data()), bytes.size());
}

void CoreFile::map_file() {
    int file = open(path_.c_str(), O_RDONLY | O_CLOEXEC);
    struct stat facts {};
    if (file < 0 || fstat(file, &facts) != 0) {
        int problem = errno;
        if (file >= 0) close(file);
        throw FileError(fmt::format("{} cannot be opened: {}", path_, std::strerror(problem)),
                        "check the path");
    }
    void* memory = S_ISREG(facts.st_mode) && facts.st_size > 0
                       ? mmap(nullptr, static_cast<std::size_t>(facts.st_size), PROT_READ,
                              MAP_PRIVATE, file, 0)
                       : MAP_FAILED;
    close(file);
    if (memory == MAP_FAILED)
        throw FileError(fmt::format("{} is no core file", path_), Next::open_core);
    mapped_.guard = GuardedMapping(memory, static_cast<std::size_t>(facts.st_size), path_);
    file_ = mapped_.bytes =
        ByteSpan(static_cast<const std::byte*>(memory), static_cast<std::size_t>(facts.st_size));
}

// ---- modules

// The build id as it lay in memory: the file's first page and its notes are kept in the core by
// default.
std::string CoreFile::build_id_in_core(const std::string& recorded) {
    for (const CoreMapping& mapping : image_.mappings) {
        if (mapping.path != recorded || mapping.offset != 0) continue;
        auto read_held = [&](RunAddress at, void* into, std::size_t size) {
            const CoreSegment* segment = image_.segment_at(at);
            std::uint64_t from = segment ? at - segment->range.low : 0;
            if (!segment || from + size > segment->stored) return false;
            std::memcpy(into, file_.data() + segment->offset + from, size);
            return true;
        };
        Elf64_Ehdr header;
        if (!read_held(mapping.range.low, &header, sizeof header) ||
            std::memcmp(header.e_ident, ELFMAG, SELFMAG) != 0)
            return {};
        std::uint64_t first = ~std::uint64_t{0};
        std::vector<Elf64_Phdr> notes;
        for (unsigned i = 0; i < std::min<std::size_t>(header.e_phnum, kMostProgramHeaders); ++i) {
            Elf64_Phdr each;
            if (!read_held(mapping.range.low + header.e_phoff + i * sizeof each, &each,
                           sizeof each))
                return {};
            if (each.p_type == PT_LOAD) first = std::min(first, each.p_vaddr & ~(kPageSize - 1));
            if (each.p_type == PT_NOTE) notes.push_back(each);
        }
        for (const Elf64_Phdr& each : notes) {
            std::vector<std::byte> bytes(std::min<std::uint64_t>(each.p_filesz, kPageSize));
            if (!read_held(mapping.range.low + (each.p_vaddr - first), bytes.data(), bytes.size()))
                continue;
            for (std::size_t at = 0; at + sizeof(Elf64_Nhdr) <= bytes.size();) {
                Elf64_Nhdr note;
                std::memcpy(&note, bytes.data() + at, sizeof note);
                std::size_t name = at + sizeof note, content = name + ((note.n_namesz + 3) & ~3u);
                if (content + note.n_descsz > bytes.size() || content < name) break;
                if (note.n_type == NT_GNU_BUILD_ID && note.n_namesz == 4 &&
                    std::memcmp(bytes.data() + name, "GNU", 4) == 0)
                    return hex_of(ByteSpan(bytes).subspan(content, note.n_descsz));
                at = content + ((note.n_descsz + 3) & ~3u);
            }
        }
        return {};
    }
    return {};
}

// Where it was, else in the user's folders by its name or its build id. One whose build id differs
// is not taken.
CoreFile::Found CoreFile::find_file(const std::string& recorded) {
    std::string wanted = build_id_in_core(recorded);
    std::filesystem::path old = without_deleted_mark(recorded);
    std::vector<std::filesystem::path> candidates{old};
    for (const auto& folder : folders_) {
        candidates.push_back(folder / old.filename());
        if (wanted.size() > 2)
            candidates.push_back(folder / ".build-id" / wanted.substr(0, 2) / wanted.substr(2));
    }
    Found found;
    bool other_build = false;
    for (const auto& candidate : candidates) {
        std::error_code ignored;
        if (!std::filesystem::is_regular_file(candidate, ignored)) continue;
        try {
            auto symbols = open_symbols_(candidate.string());
            const std::string& held = symbols->elf().build_id();
            if (!wanted.empty() && held != wanted) {
                other_build = true;
                continue;
            }
            return {candidate.string(), symbols, !wanted.empty()};
        } catch (const Error&) {
            continue;  // a mapped file that is no ELF
        }
    }
    if (other_build) unproven_.push_back(without_deleted_mark(recorded));
    return found;
}

void CoreFile::find_program(const std::string& wanted) {
    auto entry = image_.auxiliary.find(AT_ENTRY);
    const CoreMapping* mapping =
        entry == image_.auxiliary.end() ? nullptr : image_.mapping_at(RunAddress(entry->second));
    std::string recorded = mapping ? mapping->path : "";
    Found found;
    if (wanted.empty()) {
        if (recorded.empty())
            throw FileError(fmt::format("{} does not say which program it is of", path_),
                            Next::open_core_with_program);
        found = find_file(recorded);
        if (!found.symbols) return do_without_program(first_of(*mapping));
    } else {
        found = {std::filesystem::absolute(wanted).lexically_normal().string(),
                 open_symbols_(std::filesystem::absolute(wanted).lexically_normal().string()),
                 false};
        std::string held = recorded.empty() ? "" : build_id_in_core(recorded);
        found.is_proven = !held.empty() && held == found.symbols->elf().build_id();
        if (!held.empty() && !found.is_proven)
            findings_.push_back(
                {fmt::format("{} is NOT the program that left this core: its build id is {}, the "
                             "core's {}. Names and lines may be wrong everywhere",
                             wanted,
                             found.symbols->elf().build_id().empty()
                                 ? "missing"
                                 : found.symbols->elf().build_id().substr(0, 12),
                             held.substr(0, 12))});
    }
    if (!found.is_proven && findings_.empty())
        findings_.push_back(
            {fmt::format("nothing proves that {} is the build that left this core: there is no "
                         "build id to compare",
                         found.path)});
    if (found.is_proven && !recorded.empty()) proven_[recorded] = found.symbols;
    std::uint64_t bias =
        entry == image_.auxiliary.end() ? 0 : entry->second - found.symbols->elf().entry().value;
    modules_.emplace_back(found.path, bias, found.symbols);
}

// What the core itself holds of the file, without its sections: where its segments lie, and its
// build id. Everything else about it is unknown.
std::vector<std::byte> CoreFile::image_in_core(const CoreMapping& mapping) const {
    Elf64_Ehdr header{};
    std::vector<std::byte> image(kPageSize);
    const CoreSegment* segment = image_.segment_at(mapping.range.low);
    std::uint64_t from = segment ? mapping.range.low - segment->range.low : 0;
    bool is_held = segment && from + image.size() <= segment->stored;
    if (is_held) std::memcpy(image.data(), file_.data() + segment->offset + from, image.size());
    std::memcpy(&header, image.data(), sizeof header);
    bool is_sound = is_held && std::memcmp(header.e_ident, ELFMAG, SELFMAG) == 0 &&
                    header.e_phoff + header.e_phnum * sizeof(Elf64_Phdr) <= image.size();
    if (!is_sound) {
        header = {};
        std::memcpy(header.e_ident, ELFMAG, SELFMAG);
        header.e_ident[EI_CLASS] = ELFCLASS64;
        header.e_ident[EI_DATA] = ELFDATA2LSB;
        header.e_ident[EI_VERSION] = EV_CURRENT;
        header.e_type = ET_EXEC;
        header.e_machine = EM_X86_64;
        header.e_version = EV_CURRENT;
        header.e_ehsize = sizeof header;
    }
    header.e_shoff = 0;
    header.e_shnum = header.e_shstrndx = 0;
    std::memcpy(image.data(), &header, sizeof header);
    return image;
}

// Where each file that was loaded began: what was mapped, as far as the core says it.
std::map<std::string, RunRange> CoreFile::loaded() const {
    std::vector<MemoryRegion> regions;
    for (const CoreMapping& mapping : image_.mappings) {
        const CoreSegment* segment = image_.segment_at(mapping.range.low);
        regions.push_back({mapping.range.low, mapping.range.high,
                           segment ? segment->permissions : "---", mapping.path, mapping.offset,
                           true});
    }
    return loaded_files(regions);
}

// The mapping with the beginning of the file, as it was loaded.
const CoreMapping& CoreFile::first_of(const CoreMapping& mapping) const {
    auto all = loaded();
    auto found = all.find(mapping.path);
    return found == all.end() ? mapping : *image_.mapping_at(found->second.low);
}

void CoreFile::do_without_program(const CoreMapping& mapping) {
    std::string name = without_deleted_mark(mapping.path);
    bool is_other = !unproven_.empty();
    unproven_.clear();
    findings_.push_back(
        {fmt::format("{}: its frames have no names, and what called them is found by frame "
                     "pointers at best",
                     is_other
                         ? fmt::format("{} is another build than the one that left the core", name)
                         : fmt::format("the program of the core, {}, is not here", name)),
         Advice(Next::open_core_with_copy, path_).and_also(Next::name_symbol_folder)});
    auto elf = std::make_unique<ElfFile>(image_in_core(mapping), name);
    std::uint64_t first =
        elf->segments().empty() ? 0 : elf->segments().front().range.low.value & ~(kPageSize - 1);
    std::uint64_t bias = elf->segments().empty() ? 0 : mapping.range.low.value - first;
    modules_.emplace_back(name, bias, std::make_shared<ModuleSymbols>(std::move(elf)));
    lacks_program_ = true;
}

void CoreFile::find_libraries() {
    const auto all = loaded();
    for (const CoreMapping& mapping : image_.mappings) {
        auto found_at = all.find(mapping.path);
        if (found_at == all.end() || found_at->second.low != mapping.range.low) continue;
        if (modules_.front().holds(mapping.range.low) ||
            (lacks_program_ && without_deleted_mark(mapping.path) == program()))
            continue;
        Found found = find_file(mapping.path);
        if (!found.symbols) {
            bool is_elf = !build_id_in_core(mapping.path).empty();
            if (is_elf &&
                (unproven_.empty() || unproven_.back() != without_deleted_mark(mapping.path)))
                lost_.push_back(without_deleted_mark(mapping.path));
            continue;
        }
        if (found.symbols->elf().segments().empty()) continue;
        std::uint64_t first =
            found.symbols->elf().segments().front().range.low.value & ~(kPageSize - 1);
        modules_.emplace_back(found.path, mapping.range.low.value - first, found.symbols);
        if (found.is_proven) proven_[mapping.path] = found.symbols;
    }
}

void CoreFile::add_vdso() {
    auto at = image_.auxiliary.find(AT_SYSINFO_EHDR);
    const CoreSegment* segment =
        at == image_.auxiliary.end() ? nullptr : image_.segment_at(RunAddress(at->second));
    if (!segment || !segment->stored) return;
    std::vector<std::byte> copy(segment->stored);
    copy.resize(read_available(segment->range.low, copy));
    try {
        modules_.emplace_back(
            "[vdso]", segment->range.low.value,
            std::make_shared<ModuleSymbols>(std::make_unique<ElfFile>(std::move(copy), "[vdso]")));
    } catch (const Error&) {
    }
}

void CoreFile::list_regions() {
    for (const CoreSegment& segment : image_.segments) {
        MemoryRegion region;
        region.begin = segment.range.low;
        region.end = segment.range.high;
        region.permissions = segment.permissions + "p";
        if (const CoreMapping* mapping = image_.mapping_at(segment.range.low)) {
            region.name = mapping->path;
            region.is_of_file = true;
            region.offset = mapping->offset + (segment.range.low - mapping->range.low);
        } else if (auto vdso = image_.auxiliary.find(AT_SYSINFO_EHDR);
                   vdso != image_.auxiliary.end() &&
                   segment.range.contains(RunAddress(vdso->second))) {
            region.name = "[vdso]";
        } else if (segment.range.contains(image_.threads.front().registers.stack_pointer()) &&
                   segment.range.high.value > kLowestMapped) {
            region.name = "[stack]";
        }
        regions_.push_back(std::move(region));
    }
    // The kernel puts the heap behind the program's own segments, and everything else far above;
    // the core gives it no name.
    const auto& segments = modules_.front().symbols().elf().segments();
    if (segments.empty()) return;
    RunAddress end = modules_.front().to_run(segments.back().range.high);
    for (MemoryRegion& region : regions_) {
        if (region.begin < end || !region.name.empty() || region.permissions[1] != 'w') continue;
        if (region.begin.value < kLowestMapped) region.name = "[heap]";
        break;
    }
}

void CoreFile::tell_findings() {
    for (const std::string& path : unproven_)
        findings_.push_back({fmt::format(
            "{} is another build than the one the process had loaded: it is not used", path)});
    if (!lost_.empty())
        findings_.push_back(
            {fmt::format("{} {} not here: frames in {} have no names", join_with(lost_, "and"),
                         lost_.size() == 1 ? "is" : "are", lost_.size() == 1 ? "it" : "them")});
    std::uint64_t filled = 0;
    for (const CoreSegment& segment : image_.segments) {
        const CoreMapping* mapping = image_.mapping_at(segment.range.low);
        if (mapping && proven_.count(mapping->path) && segment.stored < segment.range.size())
            filled += segment.range.size() - segment.stored;
    }
    if (filled)
        filled_ = fmt::format(
            "{} KB that the core left out are read from the files they were mapped from, whose "
            "build ids match",
            with_thousands(filled / 1024));
    if (image_.bytes_cut_off)
        findings_.push_back(
            {fmt::format("the core is cut off: {} KB of the memory it should hold are missing",
                         with_thousands((image_.bytes_cut_off + 1023) / 1024))});
    for (const std::string& problem : image_.problems)
        findings_.push_back({"the core is damaged: " + problem});
}

// ---- memory

// ---- threads

}  // namespace lantern
