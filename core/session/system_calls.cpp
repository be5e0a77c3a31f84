#include "core/session/system_calls.h"

#include <fmt/format.h>
#include <string.h>

#include <algorithm>
#include <cstring>
#include <map>

#include "core/machine/system_call.h"
#include "core/support/text.h"
#include "core/values/value.h"

namespace lantern {
namespace {

struct NamedCall {
    std::string_view name;
    long number;
};

constexpr NamedCall kCalls[] = {
#include "system_call_names.inc"  // made by the build from the kernel's own header
};

// What the arguments are, one letter each: d a signed number, u an unsigned one, x flags, o a mode
// in octal, f a descriptor, p an address, s a text, b a buffer of as many bytes as the next
// argument says.
struct Signature {
    std::string_view name, arguments;
};
constexpr Signature kSignatures[] = {
    {"accept", "fpp"},
    {"accept4", "fppx"},
    {"access", "sx"},
    {"alarm", "u"},
    {"arch_prctl", "xp"},
    {"bind", "fpu"},
    {"brk", "p"},
    {"chdir", "s"},
    {"chmod", "so"},
    {"chown", "sdd"},
    {"clock_gettime", "dp"},
    {"clock_nanosleep", "dxpp"},
    {"clone", "xpppp"},
    {"clone3", "pu"},
    {"close", "f"},
    {"connect", "fpu"},
    {"creat", "so"},
    {"dup", "f"},
    {"dup2", "ff"},
    {"dup3", "ffx"},
    {"epoll_create1", "x"},
    {"epoll_ctl", "fdfp"},
    {"epoll_wait", "fpdd"},
    {"eventfd2", "ux"},
    {"execve", "spp"},
    {"exit", "d"},
    {"exit_group", "d"},
    {"faccessat", "fsx"},
    {"fallocate", "fxuu"},
    {"fchdir", "f"},
    {"fchmod", "fo"},
    {"fchownat", "fsddx"},
    {"fcntl", "fdx"},
    {"fdatasync", "f"},
    {"flock", "fx"},
    {"fork", ""},
    {"fstat", "fp"},
    {"fsync", "f"},
    {"ftruncate", "fu"},
    {"futex", "pxupp"},
    {"getcwd", "pu"},
    {"getdents64", "fpu"},
    {"getegid", ""},
    {"geteuid", ""},
    {"getgid", ""},
    {"getpid", ""},
    {"getppid", ""},
    {"getrandom", "pux"},
    {"gettid", ""},
    {"gettimeofday", "pp"},
    {"getuid", ""},
    {"ioctl", "fxp"},
    {"kill", "dd"},
    {"link", "ss"},
    {"listen", "fd"},
    {"lseek", "fdd"},
    {"lstat", "sp"},
    {"madvise", "pud"},
    {"mkdir", "so"},
    {"mkdirat", "fso"},
    {"mmap", "puxxfx"},
    {"mprotect", "pux"},
    {"mremap", "puuxp"},
    {"munmap", "pu"},
    {"nanosleep", "pp"},
    {"newfstatat", "fspx"},
    {"open", "sxo"},
    {"openat", "fsxo"},
    {"pause", ""},
    {"pipe", "p"},
    {"pipe2", "px"},
    {"poll", "pud"},
    {"ppoll", "puppu"},
    {"prctl", "duuuu"},
    {"pread64", "fpud"},
    {"prlimit64", "ddpp"},
    {"pselect6", "dppppp"},
    {"pwrite64", "fbud"},
    {"read", "fpu"},
    {"readlink", "spu"},
    {"readlinkat", "fspu"},
    {"readv", "fpu"},
    {"recvfrom", "fpuxpp"},
    {"recvmsg", "fpx"},
    {"rename", "ss"},
    {"renameat", "fsfs"},
    {"renameat2", "fsfsx"},
    {"rmdir", "s"},
    {"rseq", "puxx"},
    {"rt_sigaction", "dppu"},
    {"rt_sigprocmask", "dppu"},
    {"rt_sigreturn", ""},
    {"sched_yield", ""},
    {"select", "dpppp"},
    {"sendfile", "ffpu"},
    {"sendmsg", "fpx"},
    {"sendto", "fbuxpu"},
    {"set_robust_list", "pu"},
    {"set_tid_address", "p"},
    {"setsid", ""},
    {"shutdown", "fd"},
    {"sigaltstack", "pp"},
    {"socket", "dxd"},
    {"socketpair", "dxdp"},
    {"stat", "sp"},
    {"statx", "fsxxp"},
    {"symlink", "ss"},
    {"tgkill", "ddd"},
    {"timerfd_create", "dx"},
    {"truncate", "su"},
    {"umask", "o"},
    {"uname", "p"},
    {"unlink", "s"},
    {"unlinkat", "fsx"},
    {"vfork", ""},
    {"wait4", "dpxp"},
    {"waitid", "ddpxp"},
    {"write", "fbu"},
    {"writev", "fpu"},
};

constexpr std::size_t kTextShown = 60;
constexpr std::uint64_t kCurrentFolder = static_cast<std::uint32_t>(-100);  // AT_FDCWD

std::string text_argument(Target& target, std::uint64_t address, std::size_t length,
                          bool ends_by_itself) {
    std::string bytes(std::min(length, kTextShown + 1), '\0');
    std::size_t got =
        target.read_available(RunAddress(address), std::as_writable_bytes(std::span(bytes)));
    bytes.resize(got);
    if (ends_by_itself) bytes.resize(std::min(bytes.size(), bytes.find('\0')));
    if (got == 0 && length) return fmt::format("{:#x}", address);
    bool cut = bytes.size() > kTextShown;
    if (cut) bytes.resize(kTextShown);
    return quote(bytes) + (cut ? "…" : "");
}

std::string argument_text(Target& target, const Registers& registers, char kind, unsigned index) {
    std::uint64_t word = system_call_argument(registers, index);
    switch (kind) {
        case 'd': return std::to_string(static_cast<std::int32_t>(word));
        case 'u': return std::to_string(word);
        case 'o': return fmt::format("0{:o}", word);
        case 'f':
            return static_cast<std::uint32_t>(word) == kCurrentFolder
                       ? "the current folder"
                       : std::to_string(static_cast<std::int32_t>(word));
        case 's': return word ? text_argument(target, word, kTextShown + 1, true) : "null";
        case 'b':
            return text_argument(target, word, system_call_argument(registers, index + 1), false);
        case 'p': return word ? fmt::format("{:#x}", word) : "null";
        default: return fmt::format("{:#x}", word);
    }
}

}  // namespace

std::string system_call_name(long number) {
    for (const NamedCall& call : kCalls)
        if (call.number == number) return std::string(call.name);
    return fmt::format("system call {}", number);
}

std::optional<long> system_call_numbered(std::string_view name) {
    for (const NamedCall& call : kCalls)
        if (call.name == name) return call.number;
    return std::nullopt;
}

std::vector<std::string> system_call_names() {
    std::vector<std::string> names;
    for (const NamedCall& call : kCalls) names.emplace_back(call.name);
    return names;
}

std::string system_call_text(Target& target, ThreadId thread) {
    const Registers& registers = target.registers(thread);
    std::string name = system_call_name(static_cast<long>(registers.system_call));
    auto known = std::find_if(std::begin(kSignatures), std::end(kSignatures),
                              [&](const Signature& s) { return s.name == name; });
    std::string_view kinds = known == std::end(kSignatures) ? "xxxxxx" : known->arguments;
    std::string arguments;
    for (unsigned i = 0; i < kinds.size(); ++i)
        arguments += (i ? ", " : "") + argument_text(target, registers, kinds[i], i);
    return fmt::format("{}({})", name, arguments);
}

std::string system_call_result_text(Target& target, ThreadId thread) {
    std::int64_t result = system_call_result(target.registers(thread));
    if (result < -4095 || result >= 0)
        return result > 1'000'000 ? fmt::format("{:#x}", result) : std::to_string(result);
    const char* name = strerrorname_np(static_cast<int>(-result));
    return fmt::format("{} {}", name ? name : std::to_string(result),
                       strerror(static_cast<int>(-result)));
}

}  // namespace lantern
