#include "core/object/elf_file.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <gelf.h>
#include <libelf.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>

#include "core/object/compression.h"
#include "core/object/section_cache.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern {
namespace {

std::string shown(const std::filesystem::path& path) {
    return escape_for_display(path.string());
}

// What a file that is not ELF seems to be, for the sentence that refuses it.
[[noreturn]] void refuse_foreign_format(const std::filesystem::path& path, std::string_view head) {
    if (head.starts_with("#!")) {
        std::string first_line(head.substr(0, head.find('\n')));
        throw FileError(fmt::format("{} is a script ({}), not a compiled program", shown(path),
                                    escape_for_display(first_line)),
                        "name the compiled program that the script starts");
    }
    if (head.starts_with("!<arch>")) {
        throw FileError(fmt::format("{} is a static library, not a program", shown(path)),
                        "name an executable that was linked with it");
    }
    if (head.empty())
        throw FileError(fmt::format("{} is empty", shown(path)), "build the program again");
    throw FileError(fmt::format("{} is not an ELF file", shown(path)),
                    "name a program compiled for Linux on x86-64");
}

std::string machine_name(unsigned machine) {
    switch (machine) {
        case EM_386: return "32-bit x86";
        case EM_AARCH64: return "ARM (AArch64)";
        case EM_ARM: return "ARM (32-bit)";
        case EM_RISCV: return "RISC-V";
        case EM_PPC64: return "PowerPC 64";
        case EM_S390: return "S/390";
        case EM_MIPS: return "MIPS";
        default: return fmt::format("processor number {}", machine);
    }
}

FileStamp stamp_from(const struct stat& facts) {
    return {facts.st_ino, static_cast<std::uint64_t>(facts.st_size),
            facts.st_mtim.tv_sec * std::int64_t{1'000'000'000} + facts.st_mtim.tv_nsec};
}

}  // namespace

std::optional<FileStamp> stamp_of(const std::filesystem::path& path) {
    struct stat facts {};
    if (stat(path.c_str(), &facts) != 0) return std::nullopt;
    return stamp_from(facts);
}

bool Section::is_code() const {
    return (flags & SHF_ALLOC) && (flags & SHF_EXECINSTR);
}

ElfFile::ElfFile(const std::filesystem::path& path) : ElfFile(path, Purpose::program) {}

std::unique_ptr<ElfFile> ElfFile::open_symbol_file(const std::filesystem::path& path) {
    return std::unique_ptr<ElfFile>(new ElfFile(path, Purpose::symbols));
}

ElfFile::ElfFile(const std::filesystem::path& path, Purpose purpose)
    : path_(path), purpose_(purpose) {
    struct stat facts {};
    if (stat(path.c_str(), &facts) != 0) {
        int reason = errno;
        if (reason == ENOENT || reason == ENOTDIR)
            throw FileError(fmt::format("there is no file {}", shown(path)),
                            "check the path, or build the program first");
        throw FileError(
            fmt::format("{} cannot be looked at: {}", shown(path), std::strerror(reason)));
    }
    if (S_ISDIR(facts.st_mode))
        throw FileError(fmt::format("{} is a folder, not a program", shown(path)),
                        "name a program inside it");
    if (!S_ISREG(facts.st_mode))
        throw FileError(fmt::format("{} is not a regular file", shown(path)));
    stamp_ = stamp_from(facts);
    fd_ = open(path.c_str(), O_RDONLY | O_CLOEXEC);
    if (fd_ < 0) {
        throw FileError(fmt::format("{} cannot be opened: {}", shown(path), std::strerror(errno)),
                        "check that you may read it");
    }
    try {
        char head[64] = {};
        ssize_t got = pread(fd_, head, sizeof head, 0);
        std::string_view start(head, got > 0 ? static_cast<std::size_t>(got) : 0);
        if (!start.starts_with(ELFMAG)) refuse_foreign_format(path, start);
        elf_version(EV_CURRENT);
        elf_ = elf_begin(fd_, ELF_C_READ_MMAP, nullptr);
        if (!elf_)
            throw FileError(
                fmt::format("{} cannot be read as ELF: {}", shown(path), elf_errmsg(-1)));
        std::size_t size = 0;
        if (const char* bytes = elf_rawfile(elf_, &size))
            guard_ = GuardedMapping(bytes, size, path.string());
        read_headers();
    } catch (...) {
        if (elf_) elf_end(elf_);
        close(fd_);
        throw;
    }
}

ElfFile::ElfFile(std::vector<std::byte> image, std::string name)
    : path_(std::move(name)), image_(std::move(image)) {
    elf_version(EV_CURRENT);
    elf_ = elf_memory(reinterpret_cast<char*>(image_.data()), image_.size());
    if (!elf_)
        throw FormatError(
            fmt::format("{}: the image in memory is not ELF: {}", path_.string(), elf_errmsg(-1)));
    try {
        read_headers();
    } catch (...) {
        elf_end(elf_);
        throw;
    }
}

ElfFile::~ElfFile() {
    if (elf_) elf_end(elf_);
    if (fd_ >= 0) close(fd_);
}

void ElfFile::read_headers() {
    std::size_t raw_size = 0;
    const char* raw = elf_rawfile(elf_, &raw_size);
    if (!raw) throw FileError(fmt::format("{} cannot be mapped: {}", shown(path_), elf_errmsg(-1)));
    file_ = ByteSpan(reinterpret_cast<const std::byte*>(raw), raw_size);

    GElf_Ehdr header;
    if (!gelf_getehdr(elf_, &header))
        throw FileError(
            fmt::format("{} has a damaged ELF header: {}", shown(path_), elf_errmsg(-1)),
            "build the program again");
    if (header.e_machine != EM_X86_64 || gelf_getclass(elf_) != ELFCLASS64) {
        std::string kind = header.e_machine == EM_X86_64 ? "x32" : machine_name(header.e_machine);
        throw FileError(
            fmt::format("{} is a program for {}; Elm Lantern reads 64-bit x86-64 programs",
                        shown(path_), kind),
            "build it for this machine (without -m32 or a cross compiler)");
    }
    bool is_symbol_file = purpose_ == Purpose::symbols && header.e_type == ET_REL;
    if (header.e_type == ET_REL && !is_symbol_file)
        throw FileError(fmt::format("{} is an object file that is not linked yet", shown(path_)),
                        "link it into a program first");
    if (header.e_type == ET_CORE)
        throw FileError(fmt::format("{} is a core file, not a program", shown(path_)),
                        "name the program that left it");
    if (header.e_type != ET_EXEC && header.e_type != ET_DYN && !is_symbol_file)
        throw FileError(fmt::format("{} is neither a program nor a shared library", shown(path_)));
    std::uint64_t table_end = header.e_shoff + std::uint64_t{header.e_shnum} * header.e_shentsize;
    if (header.e_shoff != 0 && (header.e_shoff > file_.size() || table_end > file_.size())) {
        damage_ = fmt::format(
            "{} was cut short: it ends after {} bytes, before its section table, and all symbols "
            "are lost; build or copy it again",
            shown(path_), file_.size());
    }
    entry_ = FileAddress(header.e_entry);
    position_independent_ = header.e_type == ET_DYN;
    read_segments();
    read_sections();
    read_build_id();
    is_program_ = header.e_type == ET_EXEC || !interpreter_.empty() ||
                  (header.e_type == ET_DYN && header.e_entry != 0 && !section(".dynsym"));
}

void ElfFile::read_segments() {
    std::size_t count = 0;
    if (elf_getphdrnum(elf_, &count) != 0) count = 0;
    for (std::size_t i = 0; i < count; ++i) {
        GElf_Phdr header;
        if (!gelf_getphdr(elf_, static_cast<int>(i), &header)) break;
        if (header.p_type == PT_LOAD) {
            segments_.push_back(
                {{FileAddress(header.p_vaddr), FileAddress(header.p_vaddr + header.p_memsz)},
                 header.p_offset,
                 header.p_filesz,
                 (header.p_flags & PF_R) != 0,
                 (header.p_flags & PF_W) != 0,
                 (header.p_flags & PF_X) != 0});
        } else if (header.p_type == PT_TLS) {
            thread_local_ = ThreadLocal{header.p_memsz, std::max<std::uint64_t>(header.p_align, 1),
                                        FileAddress(header.p_vaddr)};
        } else if (header.p_type == PT_INTERP && header.p_offset < file_.size() &&
                   header.p_filesz <= file_.size() - header.p_offset && header.p_filesz > 1) {
            interpreter_.assign(reinterpret_cast<const char*>(file_.data()) + header.p_offset,
                                header.p_filesz - 1);
        }
    }
}

void ElfFile::read_sections() {
    std::size_t name_table = 0;
    if (elf_getshdrstrndx(elf_, &name_table) != 0) return;
    Elf_Scn* handle = nullptr;
    while ((handle = elf_nextscn(elf_, handle))) {
        GElf_Shdr header;
        if (!gelf_getshdr(handle, &header)) continue;
        const char* name = elf_strptr(elf_, name_table, header.sh_name);
        Section section;
        section.name = name ? name : "";
        section.address = FileAddress(header.sh_addr);
        section.size = header.sh_size;
        section.flags = header.sh_flags;
        section.type = header.sh_type;
        section.index = static_cast<std::uint32_t>(elf_ndxscn(handle));
        section.stored_size = header.sh_type == SHT_NOBITS ? 0 : header.sh_size;
        describe_compression(section, header.sh_offset);
        sections_.push_back(std::move(section));
    }
}

// What the section's own head says: SHF_COMPRESSED (System V gABI, "Compressed sections"), or the
// older ".zdebug" form.
void ElfFile::describe_compression(Section& section, std::uint64_t offset) const {
    if (section.stored_size == 0 || offset > file_.size() ||
        section.stored_size > file_.size() - offset)
        return;
    ByteSpan stored = file_.subspan(offset, section.stored_size);
    std::optional<CompressionHead> head;
    if (section.flags & SHF_COMPRESSED)
        head = read_compression_head(stored);
    else if (section.name.starts_with(".zdebug_"))
        head = read_old_compression_head(stored);
    if (!head) return;
    section.compression = head->name;
    section.size = head->size;
}

void ElfFile::read_build_id() {
    ByteSpan note = bytes(".note.gnu.build-id");
    if (note.size() < 16) return;
    ByteReader reader(note, ".note.gnu.build-id");
    std::uint32_t name_size = reader.u32(), size = reader.u32();
    reader.u32();
    if (name_size > 16 || size > 64 || reader.remaining() < ((name_size + 3) & ~3u) + size) return;
    reader.skip((name_size + 3) & ~3u);
    for (std::byte b : reader.block(size))
        build_id_ += fmt::format("{:02x}", static_cast<unsigned>(b));
}

const Section* ElfFile::section(std::string_view name) const {
    for (const Section& section : sections_)
        if (section.name == name) return &section;
    return nullptr;
}

const Section* ElfFile::section_at(FileAddress address) const {
    for (const Section& section : sections_)
        if ((section.flags & SHF_ALLOC) && section.address <= address &&
            address - section.address < section.size)
            return &section;
    return nullptr;
}

ByteSpan ElfFile::bytes(std::string_view name) const {
    const Section* found = section(name);
    // ".zdebug_info" is the old name of a compressed ".debug_info".
    if (!found && name.starts_with(".debug_")) found = section(".z" + std::string(name.substr(1)));
    return found ? bytes(*found) : ByteSpan();
}

ByteSpan ElfFile::bytes(const Section& section) const {
    if (section.type == SHT_NOBITS) return {};
    Elf_Scn* handle = elf_getscn(elf_, section.index);
    GElf_Shdr header;
    if (!handle || !gelf_getshdr(handle, &header)) return {};
    if (header.sh_offset > file_.size() || header.sh_size > file_.size() - header.sh_offset) {
        throw FormatError(
            fmt::format("{} of {} lies beyond the end of the file (offset {:#x}, {:#x} bytes)",
                        section.name, shown(path_), header.sh_offset, header.sh_size),
            "the file was cut short: build or copy it again");
    }
    ByteSpan stored = file_.subspan(header.sh_offset, header.sh_size);
    if ((header.sh_flags & SHF_COMPRESSED) || section.name.starts_with(".zdebug_"))
        return decompressed(section, stored);
    return stored;
}

std::shared_ptr<const std::byte> ElfFile::unpacked(const Section& section, ByteSpan stored) const {
    bool may_be_kept =
        cache_ && section.size >= SectionCache::kWorthKeeping && build_id_.size() > 2;
    if (may_be_kept)
        if (auto kept = cache_->find(build_id_, section.name, section.size)) return kept;
    try {
        auto head = (section.flags & SHF_COMPRESSED) ? read_compression_head(stored)
                                                     : read_old_compression_head(stored);
        if (!head) throw FormatError("its compression is not known");
        std::shared_ptr<const std::byte> made(decompress(*head, stored).release(),
                                              std::default_delete<const std::byte[]>());
        if (may_be_kept && head->size == section.size)
            cache_->keep(build_id_, section.name, ByteSpan(made.get(), section.size));
        return made;
    } catch (const FormatError& error) {
        throw FormatError(fmt::format("{} of {} cannot be decompressed: {}", section.name,
                                      shown(path_), error.what()));
    }
}

ByteSpan ElfFile::decompressed(const Section& section, ByteSpan stored) const {
    std::unique_lock lock(decompressing_);
    auto found = decompressed_.find(section.index);
    if (found != decompressed_.end()) return ByteSpan(found->second.get(), section.size);
    lock.unlock();  // others may decompress other sections meanwhile
    auto made = unpacked(section, stored);
    lock.lock();
    auto [slot, is_new] = decompressed_.emplace(section.index, std::move(made));
    return ByteSpan(slot->second.get(), section.size);
}

ByteSpan ElfFile::loaded_bytes(FileAddress address, std::uint64_t size) const {
    for (const Segment& segment : segments_) {
        if (!segment.range.contains(address)) continue;
        std::uint64_t into = address - segment.range.low;
        if (into >= segment.file_size) return {};
        std::uint64_t offset = segment.file_offset + into;
        if (offset >= file_.size()) return {};
        return file_.subspan(offset,
                             std::min({size, segment.file_size - into, file_.size() - offset}));
    }
    return {};
}

}  // namespace lantern
