// The least a debugger must do to bring a program to a stop, as bare system calls.
#pragma once

#include <fcntl.h>
#include <signal.h>
#include <sys/personality.h>
#include <sys/ptrace.h>
#include <sys/user.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cstdint>
#include <cstdio>
#include <cstring>
#include <string>

namespace lantern::bench {

// fork, seize, exec, find where it was loaded, write one byte, wait, read the registers, kill,
// reap. Returns the program counter at the stop. Both addresses are the file's own.
inline std::uint64_t floor_launch(const char* program, std::uint64_t stop_at, std::uint64_t entry) {
    int go[2];
    if (pipe2(go, O_CLOEXEC) != 0) return 0;
    pid_t child = fork();
    if (child == 0) {
        char byte;
        (void)!read(go[0], &byte, 1);
        personality(ADDR_NO_RANDOMIZE);
        dup2(open("/dev/null", O_RDWR), 0);
        dup2(0, 1);
        execl(program, program, nullptr);
        _exit(127);
    }
    ptrace(PTRACE_SEIZE, child, nullptr,
           reinterpret_cast<void*>(PTRACE_O_EXITKILL | PTRACE_O_TRACEEXEC));
    (void)!write(go[1], "!", 1);
    close(go[0]);
    close(go[1]);
    int status = 0;
    waitpid(child, &status, 0);
    int auxiliary = open(("/proc/" + std::to_string(child) + "/auxv").c_str(), O_RDONLY);
    std::uint64_t words[64] = {}, loaded_entry = 0;
    ssize_t size = read(auxiliary, words, sizeof words);
    close(auxiliary);
    for (ssize_t i = 0; i + 1 < size / 8; i += 2)
        if (words[i] == 9) loaded_entry = words[i + 1];
    int memory = open(("/proc/" + std::to_string(child) + "/mem").c_str(), O_RDWR);
    char trap = static_cast<char>(0xcc);
    (void)!pwrite(memory, &trap, 1, static_cast<off_t>(stop_at + loaded_entry - entry));
    ptrace(PTRACE_CONT, child, nullptr, nullptr);
    waitpid(child, &status, 0);
    user_regs_struct registers{};
    ptrace(PTRACE_GETREGS, child, nullptr, &registers);
    close(memory);
    kill(child, SIGKILL);
    waitpid(child, &status, 0);
    return registers.rip;
}

}  // namespace lantern::bench
