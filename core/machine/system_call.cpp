#include "core/machine/system_call.h"

#include <linux/futex.h>
#include <sys/syscall.h>

#include <algorithm>
#include <iterator>

namespace lantern {
namespace {

constexpr unsigned kArguments[] = {5, 4, 1, 10, 8, 9};  // rdi, rsi, rdx, r10, r8, r9
constexpr unsigned kNumber = 0;                         // rax

}  // namespace

void set_system_call(Registers& registers, long number,
                     std::initializer_list<std::uint64_t> arguments) {
    registers.set(kNumber, static_cast<std::uint64_t>(number));
    unsigned index = 0;
    for (std::uint64_t argument : arguments) registers.set(kArguments[index++], argument);
    registers.system_call = ~std::uint64_t{0};
}

std::int64_t system_call_result(const Registers& registers) {
    return static_cast<std::int64_t>(registers.get(kNumber).value_or(0));
}

std::uint64_t system_call_argument(const Registers& registers, unsigned index) {
    return registers.get(kArguments[index]).value_or(0);
}

void set_system_call_argument(Registers& registers, unsigned index, std::uint64_t value) {
    registers.set(kArguments[index], value);
}

std::uint64_t CallBuffer::used(std::int64_t result) const {
    if (result < 0) return 0;
    return result_counts ? std::min(size, static_cast<std::uint64_t>(result)) : size;
}

namespace {

// Each man page (2) of that name; sizes of structures as the kernel lays them out on x86-64.
struct KnownCall {
    long number;
    unsigned buffer;
    int length;  // which argument says how long it is; below 0: it has `fixed` bytes
    std::uint64_t fixed;
    bool is_written;
};
constexpr KnownCall kKnownCalls[] = {
    {SYS_read, 1, 2, 0, true},          {SYS_pread64, 1, 2, 0, true},
    {SYS_recvfrom, 1, 2, 0, true},      {SYS_getrandom, 0, 1, 0, true},
    {SYS_getdents64, 1, 2, 0, true},    {SYS_readlink, 1, 2, 0, true},
    {SYS_readlinkat, 2, 3, 0, true},    {SYS_getcwd, 0, 1, 0, true},
    {SYS_write, 1, 2, 0, false},        {SYS_pwrite64, 1, 2, 0, false},
    {SYS_sendto, 1, 2, 0, false},       {SYS_stat, 1, -1, 144, true},
    {SYS_lstat, 1, -1, 144, true},      {SYS_fstat, 1, -1, 144, true},
    {SYS_newfstatat, 2, -1, 144, true}, {SYS_clock_gettime, 1, -1, 16, true},
    {SYS_pipe, 0, -1, 8, true},         {SYS_pipe2, 0, -1, 8, true},
    {SYS_uname, 0, -1, 390, true},      {SYS_getrusage, 1, -1, 144, true},
    {SYS_times, 0, -1, 32, true},       {SYS_sysinfo, 0, -1, 112, true}};

}  // namespace

std::optional<CallBuffer> buffer_of_call(const Registers& registers) {
    auto number = static_cast<long>(registers.system_call);
    auto known = std::ranges::find(kKnownCalls, number, &KnownCall::number);
    if (known == std::end(kKnownCalls)) return std::nullopt;
    bool tells_the_sender = number == SYS_recvfrom && system_call_argument(registers, 4);
    if (tells_the_sender) return std::nullopt;
    bool has_length = known->length >= 0;
    std::uint64_t size = has_length
                             ? system_call_argument(registers, static_cast<unsigned>(known->length))
                             : known->fixed;
    return CallBuffer{known->buffer, system_call_argument(registers, known->buffer), size,
                      known->is_written, has_length};
}

bool writes_no_memory(const Registers& registers) {
    static constexpr long kSuch[] = {SYS_sched_yield,
                                     SYS_close,
                                     SYS_lseek,
                                     SYS_mprotect,
                                     SYS_exit_group,
                                     SYS_tgkill,
                                     SYS_kill,
                                     SYS_getpid,
                                     SYS_gettid,
                                     SYS_getppid,
                                     SYS_getuid,
                                     SYS_geteuid,
                                     SYS_getgid,
                                     SYS_openat,
                                     SYS_open,
                                     SYS_access,
                                     SYS_writev,
                                     SYS_fsync,
                                     SYS_unlink,
                                     SYS_mkdir,
                                     SYS_dup,
                                     SYS_dup2,
                                     SYS_set_robust_list,
                                     SYS_eventfd2,
                                     SYS_epoll_ctl,
                                     SYS_sendmsg,
                                     SYS_socket,
                                     SYS_connect,
                                     SYS_bind,
                                     SYS_listen,
                                     SYS_shutdown,
                                     SYS_pause,
                                     SYS_alarm};
    auto number = static_cast<long>(registers.system_call);
    if (number != SYS_futex) return std::ranges::find(kSuch, number) != std::end(kSuch);
    // Those that hand a lock over write its word.
    auto operation = static_cast<int>(system_call_argument(registers, 1)) & FUTEX_CMD_MASK;
    return operation == FUTEX_WAIT || operation == FUTEX_WAKE || operation == FUTEX_WAIT_BITSET ||
           operation == FUTEX_WAKE_BITSET;
}

void take_system_call_back(Registers& registers, long number) {
    registers.set(kNumber, static_cast<std::uint64_t>(number));
    registers.set_program_counter(registers.program_counter() - kSystemCallLength);
    registers.system_call = ~std::uint64_t{0};
}

bool take_broken_call_back(Registers& registers) {
    // What the kernel leaves as the result of one that it begins anew (linux/errno.h).
    constexpr std::int64_t kAgain[] = {-512, -513, -514}, kGoesOn = -516;
    if (static_cast<std::int64_t>(registers.system_call) < 0) return false;
    std::int64_t result = system_call_result(registers);
    bool goes_on = result == kGoesOn;  // a time that it waits for has begun already
    if (!goes_on && std::ranges::find(kAgain, result) == std::end(kAgain)) return false;
    take_system_call_back(registers,
                          goes_on ? SYS_restart_syscall : static_cast<long>(registers.system_call));
    return true;
}

}  // namespace lantern
