#include "core/target/core_image.h"

#include <elf.h>
#include <fmt/format.h>
#include <signal.h>
#include <sys/procfs.h>
#include <sys/user.h>

#include <algorithm>
#include <cstring>

#include "core/support/error.h"

namespace lantern {
namespace {

constexpr std::uint64_t kMostHeaders = 1 << 20, kMostThreads = 1 << 20;

template <class T>
std::optional<T> copy_of(ByteSpan bytes) {
    if (bytes.size() < sizeof(T)) return std::nullopt;
    T value;
    std::memcpy(&value, bytes.data(), sizeof value);
    return value;
}

std::string text_in(const char* characters, std::size_t room) {
    return std::string(characters, strnlen(characters, room));
}

class CoreReader {
  public:
    explicit CoreReader(ByteSpan file) : file_(file) {}

    CoreImage read() {
        read_header();
        for (const Elf64_Phdr& header : headers())
            if (header.p_type == PT_LOAD)
                add_segment(header);
            else if (header.p_type == PT_NOTE)
                read_notes(part(header.p_offset, header.p_filesz, "the notes"));
        std::sort(image_.segments.begin(), image_.segments.end(),
                  [](const auto& a, const auto& b) { return a.range.low < b.range.low; });
        std::sort(image_.mappings.begin(), image_.mappings.end(),
                  [](const auto& a, const auto& b) { return a.range.low < b.range.low; });
        if (image_.threads.empty()) image_.problems.push_back("it holds no thread");
        if (!image_.signal && !image_.threads.empty())
            image_.signal = image_.threads.front().signal;
        return std::move(image_);
    }

  private:
    void read_header() {
        auto header = copy_of<Elf64_Ehdr>(file_);
        if (!header || std::memcmp(header->e_ident, ELFMAG, SELFMAG) != 0)
            throw FormatError("it is no ELF file, and so no core file");
        if (header->e_type != ET_CORE) throw FormatError("it is an ELF file, but no core file");
        if (header->e_ident[EI_CLASS] != ELFCLASS64 || header->e_machine != EM_X86_64)
            throw FormatError("it is the core file of another kind of processor");
        header_ = *header;
    }

    std::vector<Elf64_Phdr> headers() {
        std::uint64_t count = header_.e_phnum;
        // More than fit into the field: the first section header says how many.
        if (count == PN_XNUM)
            if (auto section = copy_of<Elf64_Shdr>(
                    part(header_.e_shoff, sizeof(Elf64_Shdr), "the section header")))
                count = section->sh_info;
        std::vector<Elf64_Phdr> all;
        ByteSpan table = part(header_.e_phoff, std::min(count, kMostHeaders) * sizeof(Elf64_Phdr),
                              "the program headers");
        for (std::size_t i = 0; i + sizeof(Elf64_Phdr) <= table.size(); i += sizeof(Elf64_Phdr))
            all.push_back(*copy_of<Elf64_Phdr>(table.subspan(i)));
        return all;
    }

    ByteSpan part(std::uint64_t offset, std::uint64_t size, const char* what) {
        if (offset >= file_.size()) {
            if (size) image_.problems.push_back(fmt::format("{} lie behind its end", what));
            return {};
        }
        std::uint64_t there = std::min<std::uint64_t>(size, file_.size() - offset);
        if (there < size) image_.problems.push_back(fmt::format("{} are cut off", what));
        return file_.subspan(offset, there);
    }

    void add_segment(const Elf64_Phdr& header) {
        if (!header.p_memsz || header.p_vaddr + header.p_memsz < header.p_vaddr) return;
        CoreSegment segment;
        segment.range = {RunAddress(header.p_vaddr), RunAddress(header.p_vaddr + header.p_memsz)};
        segment.offset = header.p_offset;
        std::uint64_t wanted = std::min(header.p_filesz, header.p_memsz);
        segment.stored = header.p_offset >= file_.size()
                             ? 0
                             : std::min<std::uint64_t>(wanted, file_.size() - header.p_offset);
        image_.bytes_cut_off += wanted - segment.stored;
        segment.permissions = {header.p_flags & PF_R ? 'r' : '-', header.p_flags & PF_W ? 'w' : '-',
                               header.p_flags & PF_X ? 'x' : '-'};
        image_.segments.push_back(std::move(segment));
    }

    // A note is its sizes, its type, a name and a descriptor, each padded to four bytes.
    void read_notes(ByteSpan notes) {
        auto padded = [](std::uint64_t size) { return (size + 3) & ~std::uint64_t{3}; };
        for (std::uint64_t at = 0; at + sizeof(Elf64_Nhdr) <= notes.size();) {
            Elf64_Nhdr note = *copy_of<Elf64_Nhdr>(notes.subspan(at));
            at += sizeof note;
            std::uint64_t whole = padded(note.n_namesz) + padded(note.n_descsz);
            if (whole > padded(notes.size() - at)) {
                image_.problems.push_back(
                    "a note says it is longer than all of them together: the rest of the notes is "
                    "left out");
                return;
            }
            std::uint64_t name_size = note.n_namesz ? note.n_namesz - 1 : 0;
            std::string_view name(reinterpret_cast<const char*>(notes.data() + at),
                                  std::min<std::uint64_t>(name_size, notes.size() - at));
            at += padded(note.n_namesz);
            if (at > notes.size()) return;
            ByteSpan content =
                notes.subspan(at, std::min<std::uint64_t>(note.n_descsz, notes.size() - at));
            at += padded(note.n_descsz);
            if (name == "CORE" || name == "LINUX") take_note(note.n_type, content);
            if (at > notes.size()) return;
        }
    }

    void take_note(std::uint32_t type, ByteSpan content) {
        switch (type) {
            case NT_PRSTATUS: return add_thread(content);
            case NT_PRPSINFO: return take_names(content);
            case NT_SIGINFO: return take_signal(content);
            case NT_AUXV:
                for (std::size_t i = 0; i + 16 <= content.size(); i += 16)
                    image_.auxiliary[*copy_of<std::uint64_t>(content.subspan(i))] =
                        *copy_of<std::uint64_t>(content.subspan(i + 8));
                return;
            case NT_FILE: return take_mappings(content);
            // These follow the thread they belong to.
            case NT_FPREGSET:
                if (auto state = copy_of<user_fpregs_struct>(content);
                    state && !image_.threads.empty())
                    image_.threads.back().vectors = VectorRegisters::from_system(*state);
                return;
            case NT_X86_XSTATE:
                if (!image_.threads.empty()) image_.threads.back().extended_state = content;
                return;
            default: return;
        }
    }

    void add_thread(ByteSpan content) {
        auto status = copy_of<elf_prstatus>(content);
        if (!status || image_.threads.size() >= kMostThreads) {
            image_.problems.push_back("a thread's registers are damaged and left out");
            return;
        }
        user_regs_struct system;
        static_assert(sizeof system == sizeof status->pr_reg);
        std::memcpy(&system, &status->pr_reg, sizeof system);
        CoreThread thread;
        thread.id = status->pr_pid;
        thread.registers = Registers::from_system(system);
        thread.system = SystemRegisters::from_system(system);
        thread.signal = status->pr_cursig;
        image_.threads.push_back(std::move(thread));
    }

    void take_names(ByteSpan content) {
        auto names = copy_of<elf_prpsinfo>(content);
        if (!names) return;
        image_.process = names->pr_pid;
        image_.name = text_in(names->pr_fname, sizeof names->pr_fname);
        image_.command_line = text_in(names->pr_psargs, sizeof names->pr_psargs);
    }

    void take_signal(ByteSpan content) {
        auto info = copy_of<siginfo_t>(content);
        if (!info || image_.signal) return;  // the first one is that of the thread that was met
        image_.signal = info->si_signo;
        image_.has_signal_information = true;
        image_.origin = origin_of(*info);
        bool is_fault = info->si_signo == SIGSEGV || info->si_signo == SIGBUS ||
                        info->si_signo == SIGFPE || info->si_signo == SIGILL;
        if (is_fault && info->si_code > 0)
            image_.fault_address = RunAddress(reinterpret_cast<std::uint64_t>(info->si_addr));
    }

    // How many, in which unit the offsets are, three numbers each, then the paths.
    void take_mappings(ByteSpan content) {
        try {
            ByteReader reader(content, "the list of mapped files");
            std::uint64_t count = reader.u64(), unit = reader.u64();
            if (count > content.size() / 24) reader.fail("it says it has more entries than bytes");
            std::vector<CoreMapping> made;
            for (std::uint64_t i = 0; i < count; ++i) {
                CoreMapping mapping;
                mapping.range.low = RunAddress(reader.u64());
                mapping.range.high = RunAddress(reader.u64());
                mapping.offset = reader.u64() * unit;
                made.push_back(std::move(mapping));
            }
            for (CoreMapping& mapping : made) {
                mapping.path = std::string(reader.c_string());
                if (mapping.range.low < mapping.range.high)
                    image_.mappings.push_back(std::move(mapping));
            }
        } catch (const FormatError& error) {
            image_.problems.push_back(error.what());
        }
    }

    ByteSpan file_;
    Elf64_Ehdr header_{};
    CoreImage image_;
};

template <class Range>
const typename Range::value_type* holding(const Range& sorted, RunAddress address) {
    auto after =
        std::upper_bound(sorted.begin(), sorted.end(), address,
                         [](RunAddress at, const auto& each) { return at < each.range.low; });
    if (after == sorted.begin()) return nullptr;
    --after;
    return after->range.contains(address) ? &*after : nullptr;
}

}  // namespace

const CoreSegment* CoreImage::segment_at(RunAddress address) const {
    return holding(segments, address);
}

const CoreMapping* CoreImage::mapping_at(RunAddress address) const {
    return holding(mappings, address);
}

CoreImage read_core_image(ByteSpan file) {
    return CoreReader(file).read();
}

}  // namespace lantern
