#include "bench/floor_control.h"

#include <fcntl.h>
#include <sys/personality.h>
#include <sys/ptrace.h>
#include <sys/user.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <cstddef>
#include <cstdio>
#include <fstream>

namespace lantern::bench {
namespace {

using Clock = std::chrono::steady_clock;

void* debug_register(unsigned number) {
    return reinterpret_cast<void*>(offsetof(user, u_debugreg) + number * sizeof(long));
}

// The program at its exec, and how far from its file addresses it was loaded.
pid_t start(const std::vector<std::string>& command, std::uint64_t entry, std::uint64_t& bias) {
    pid_t child = fork();
    if (child == 0) {
        ptrace(PTRACE_TRACEME, 0, nullptr, nullptr);
        personality(ADDR_NO_RANDOMIZE);
        int nowhere = open("/dev/null", O_RDWR);
        dup2(nowhere, 1);
        std::vector<char*> words;
        for (const std::string& word : command) words.push_back(const_cast<char*>(word.c_str()));
        words.push_back(nullptr);
        execv(words[0], words.data());
        _exit(127);
    }
    int status = 0;
    waitpid(child, &status, 0);
    std::ifstream auxv("/proc/" + std::to_string(child) + "/auxv", std::ios::binary);
    std::uint64_t pair[2];
    while (auxv.read(reinterpret_cast<char*>(pair), sizeof pair))
        if (pair[0] == 9) bias = pair[1] - entry;
    return child;
}

}  // namespace

double floor_of_breakpoint(const std::vector<std::string>& command, std::uint64_t address,
                           std::uint64_t entry) {
    std::uint64_t bias = 0, hits = 0;
    pid_t child = start(command, entry, bias);
    auto* at = reinterpret_cast<void*>(address + bias);
    long word = ptrace(PTRACE_PEEKTEXT, child, at, nullptr), trapped = (word & ~0xffL) | 0xcc;
    ptrace(PTRACE_POKETEXT, child, at, trapped);
    auto begin = Clock::now();
    for (int status = 0;;) {
        ptrace(PTRACE_CONT, child, nullptr, nullptr);
        waitpid(child, &status, 0);
        if (!WIFSTOPPED(status)) break;
        user_regs_struct registers;
        ptrace(PTRACE_GETREGS, child, nullptr, &registers);
        registers.rip -= 1;
        ptrace(PTRACE_SETREGS, child, nullptr, &registers);
        ptrace(PTRACE_POKETEXT, child, at, word);
        ptrace(PTRACE_SINGLESTEP, child, nullptr, nullptr);
        waitpid(child, &status, 0);
        ptrace(PTRACE_POKETEXT, child, at, trapped);
        ++hits;
    }
    return std::chrono::duration<double>(Clock::now() - begin).count() /
           static_cast<double>(hits ? hits : 1);
}

double floor_of_watch(const std::vector<std::string>& command, std::uint64_t address,
                      std::uint64_t entry) {
    std::uint64_t bias = 0, hits = 0;
    pid_t child = start(command, entry, bias);
    ptrace(PTRACE_POKEUSER, child, debug_register(0), address + bias);
    ptrace(PTRACE_POKEUSER, child, debug_register(7), 0x90001L);
    auto begin = Clock::now();
    for (int status = 0;;) {
        ptrace(PTRACE_CONT, child, nullptr, nullptr);
        waitpid(child, &status, 0);
        if (!WIFSTOPPED(status)) break;
        user_regs_struct registers;
        (void)ptrace(PTRACE_PEEKUSER, child, debug_register(6), nullptr);
        ptrace(PTRACE_POKEUSER, child, debug_register(6), 0L);
        ptrace(PTRACE_GETREGS, child, nullptr, &registers);
        ++hits;
    }
    return std::chrono::duration<double>(Clock::now() - begin).count() /
           static_cast<double>(hits ? hits : 1);
}

}  // namespace lantern::bench
