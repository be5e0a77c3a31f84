#include "core/target/core_writer.h"

#include <elf.h>
#include <fcntl.h>
#include <fmt/format.h>
#include <signal.h>
#include <sys/procfs.h>
#include <sys/stat.h>
#include <sys/user.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <fstream>

#include "core/machine/page.h"
#include "core/support/error.h"

namespace lantern {
namespace {

constexpr std::uint64_t kChunk = 1 << 20;

std::string whole_file(const std::string& path) {
    std::ifstream file(path, std::ios::binary);
    return {std::istreambuf_iterator<char>(file), {}};
}

// The notes of a core, one behind the other.
class Notes {
  public:
    void add(std::uint32_t type, const char* name, const void* content, std::size_t size) {
        Elf64_Nhdr header{static_cast<Elf64_Word>(std::strlen(name) + 1),
                          static_cast<Elf64_Word>(size), type};
        append(&header, sizeof header);
        append(name, std::strlen(name) + 1);
        append(content, size);
    }
    const std::string& bytes() const { return bytes_; }

  private:
    void append(const void* content, std::size_t size) {
        bytes_.append(static_cast<const char*>(content), size);
        bytes_.resize((bytes_.size() + 3) & ~std::size_t{3});
    }
    std::string bytes_;
};

void add_names(Notes& notes, LiveProcess& process) {
    elf_prpsinfo names{};
    names.pr_sname = 'T';
    names.pr_pid = process.id();
    names.pr_ppid = getpid();
    std::string name = process.thread_name(process.id());
    std::copy_n(name.begin(), std::min(name.size(), sizeof names.pr_fname - 1), names.pr_fname);
    std::string words = whole_file(fmt::format("/proc/{}/cmdline", process.id()));
    std::replace(words.begin(), words.end(), '\0', ' ');
    while (words.ends_with(' ')) words.pop_back();
    std::copy_n(words.begin(), std::min(words.size(), sizeof names.pr_psargs - 1), names.pr_psargs);
    notes.add(NT_PRPSINFO, "CORE", &names, sizeof names);
}

void add_signal(Notes& notes, const CoreWish& wish) {
    siginfo_t info{};
    info.si_signo = wish.signal;
    info.si_code = wish.signal_code;
    if (wish.is_fault) info.si_addr = reinterpret_cast<void*>(wish.fault_address.value);
    notes.add(NT_SIGINFO, "CORE", &info, sizeof info);
}

// The list of mapped files: numbers first, then the paths.
void add_mappings(Notes& notes, LiveProcess& process) {
    std::vector<std::uint64_t> numbers{0, kPageSize};
    std::string paths;
    for (const MemoryRegion& region : process.regions()) {
        if (!region.name.starts_with('/')) continue;
        ++numbers[0];
        numbers.insert(numbers.end(),
                       {region.begin.value, region.end.value, region.offset / kPageSize});
        paths += region.name + '\0';
    }
    std::string content(reinterpret_cast<const char*>(numbers.data()),
                        numbers.size() * sizeof numbers[0]);
    content += paths;
    notes.add(NT_FILE, "CORE", content.data(), content.size());
}

void add_thread(Notes& notes, LiveProcess& process, ThreadId id, const CoreWish& wish) {
    elf_prstatus status{};
    status.pr_pid = id;
    status.pr_cursig = id == wish.thread ? static_cast<short>(wish.signal) : short{0};
    status.pr_info.si_signo = status.pr_cursig;
    status.pr_fpvalid = 1;
    user_regs_struct system = process.all_registers(id);
    std::memcpy(&status.pr_reg, &system, sizeof system);
    notes.add(NT_PRSTATUS, "CORE", &status, sizeof status);
}

void add_extended_state(Notes& notes, LiveProcess& process, ThreadId id) {
    std::vector<std::byte> state = process.extended_state(id);
    // What the older note holds is the beginning of the newer one's.
    if (state.size() >= sizeof(user_fpregs_struct))
        notes.add(NT_FPREGSET, "CORE", state.data(), sizeof(user_fpregs_struct));
    notes.add(NT_X86_XSTATE, "LINUX", state.data(), state.size());
}

std::string all_notes(LiveProcess& process, const CoreWish& wish) {
    Notes notes;
    std::vector<ThreadId> threads = process.threads();
    std::stable_partition(threads.begin(), threads.end(),
                          [&](ThreadId id) { return id == wish.thread; });
    for (ThreadId id : threads) {
        add_thread(notes, process, id, wish);
        if (id == threads.front()) {
            add_names(notes, process);
            if (wish.signal) add_signal(notes, wish);
            std::string auxiliary = whole_file(fmt::format("/proc/{}/auxv", process.id()));
            notes.add(NT_AUXV, "CORE", auxiliary.data(), auxiliary.size());
            add_mappings(notes, process);
        }
        add_extended_state(notes, process, id);
    }
    return notes.bytes();
}

// A file that is there only once it is whole.
class NewFile {
  public:
    explicit NewFile(std::string path)
        : path_(std::move(path)), temporary_(path_ + ".part-XXXXXX") {
        file_ = mkostemp(temporary_.data(), O_CLOEXEC);
        if (file_ < 0) fail();
    }
    ~NewFile() {
        if (file_ < 0) return;
        close(file_);
        unlink(temporary_.c_str());
    }
    NewFile(const NewFile&) = delete;
    NewFile& operator=(const NewFile&) = delete;

    void write(const void* bytes, std::size_t size, std::uint64_t offset) {
        for (std::size_t done = 0; done < size;) {
            ssize_t got = pwrite(file_, static_cast<const char*>(bytes) + done, size - done,
                                 static_cast<off_t>(offset + done));
            if (got <= 0 && errno != EINTR) fail();
            if (got > 0) done += static_cast<std::size_t>(got);
        }
    }
    std::uint64_t finish(std::uint64_t size) {
        struct stat facts {};
        if (ftruncate(file_, static_cast<off_t>(size)) != 0 || fstat(file_, &facts) != 0) fail();
        if (rename(temporary_.c_str(), path_.c_str()) != 0) fail();
        close(file_);
        file_ = -1;
        return static_cast<std::uint64_t>(facts.st_blocks) * 512;
    }

  private:
    [[noreturn]] void fail() {
        throw FileError(fmt::format("{} cannot be written: {}", path_, std::strerror(errno)),
                        "name another file");
    }
    std::string path_, temporary_;
    int file_ = -1;
};

bool is_all_zero(ByteSpan bytes) {
    return bytes[0] == std::byte{} &&
           std::memcmp(bytes.data(), bytes.data() + 1, bytes.size() - 1) ==
               0;  // each like the one before it
}

// Page by page what is not zero; pages that cannot be read stay holes.
void write_memory(NewFile& file, LiveProcess& process, const MemoryRegion& region,
                  std::uint64_t offset, const std::function<void(std::uint64_t)>& wrote) {
    std::vector<std::byte> chunk(kChunk);
    for (std::uint64_t at = 0; at < region.size();) {
        std::size_t wanted =
            static_cast<std::size_t>(std::min<std::uint64_t>(kChunk, region.size() - at));
        std::size_t got = process.read_bulk(region.begin + at, std::span(chunk).first(wanted));
        for (std::size_t page = 0; page < got; page += kPageSize) {
            ByteSpan bytes =
                ByteSpan(chunk).subspan(page, std::min<std::size_t>(kPageSize, got - page));
            if (!is_all_zero(bytes)) file.write(bytes.data(), bytes.size(), offset + at + page);
        }
        at += got < wanted ? got - got % kPageSize + kPageSize : wanted;
        wrote(std::min<std::uint64_t>(at, region.size()));
    }
}

Elf64_Word flags_of(const MemoryRegion& region) {
    return (region.permissions[0] == 'r' ? PF_R : 0u) | (region.permissions[1] == 'w' ? PF_W : 0u) |
           (region.permissions[2] == 'x' ? PF_X : 0u);
}

}  // namespace

WrittenCore write_core(LiveProcess& process, const CoreWish& wish, const std::string& path) {
    std::vector<MemoryRegion> regions;
    for (const MemoryRegion& region : process.regions())
        if (region.name != "[vvar]" && region.name != "[vsyscall]" &&
            region.name != "[vvar_vclock]")
            regions.push_back(region);
    std::string notes = all_notes(process, wish);

    Elf64_Ehdr header{};
    std::memcpy(header.e_ident, ELFMAG, SELFMAG);
    header.e_ident[EI_CLASS] = ELFCLASS64;
    header.e_ident[EI_DATA] = ELFDATA2LSB;
    header.e_ident[EI_VERSION] = EV_CURRENT;
    header.e_type = ET_CORE;
    header.e_machine = EM_X86_64;
    header.e_version = EV_CURRENT;
    header.e_phoff = sizeof header;
    header.e_ehsize = sizeof header;
    header.e_phentsize = sizeof(Elf64_Phdr);
    std::size_t count = regions.size() + 1;
    bool is_many = count >= PN_XNUM;
    header.e_phnum = is_many ? PN_XNUM : static_cast<Elf64_Half>(count);
    Elf64_Shdr many{};
    many.sh_info = static_cast<Elf64_Word>(count);

    std::uint64_t notes_at = sizeof header + count * sizeof(Elf64_Phdr);
    std::uint64_t end = (notes_at + notes.size() + kPageSize - 1) & ~(kPageSize - 1);
    std::vector<Elf64_Phdr> headers(1);
    headers[0].p_type = PT_NOTE;
    headers[0].p_offset = notes_at;
    headers[0].p_filesz = notes.size();
    headers[0].p_align = 4;
    std::uint64_t total = 0;
    for (const MemoryRegion& region : regions) {
        Elf64_Phdr each{};
        each.p_type = PT_LOAD;
        each.p_flags = flags_of(region);
        each.p_offset = end;
        each.p_vaddr = region.begin.value;
        each.p_memsz = region.size();
        each.p_filesz = region.permissions[0] == 'r' ? region.size() : 0;
        each.p_align = kPageSize;
        end += each.p_filesz;
        total += each.p_filesz;
        headers.push_back(each);
    }
    if (is_many) {
        header.e_shoff = end;
        header.e_shentsize = sizeof many;
        header.e_shnum = 1;
    }

    NewFile file(path);
    file.write(&header, sizeof header, 0);
    file.write(headers.data(), headers.size() * sizeof headers[0], sizeof header);
    file.write(notes.data(), notes.size(), notes_at);
    std::uint64_t before = 0;
    for (std::size_t i = 0; i < regions.size(); ++i) {
        if (!headers[i + 1].p_filesz) continue;
        write_memory(file, process, regions[i], headers[i + 1].p_offset, [&](std::uint64_t done) {
            if (wish.progress)
                wish.progress(static_cast<double>(before + done) / static_cast<double>(total));
        });
        before += regions[i].size();
    }
    if (is_many) file.write(&many, sizeof many, end);
    WrittenCore written;
    written.size = end + (is_many ? sizeof many : 0);
    written.stored = file.finish(written.size);
    return written;
}

}  // namespace lantern
