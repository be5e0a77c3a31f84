/* Runs one call of a function one instruction at a time and writes where the program's own code was: pairs of eight bytes, the
   address as in the file and the stack pointer. Or, with a list of addresses on standard input, which of them were met at all. A plain witness. */
#include <fcntl.h>
#include <inttypes.h>
#include <stdio.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <sys/personality.h>
#include <sys/ptrace.h>
#include <sys/user.h>
#include <sys/wait.h>
#include <unistd.h>

/* Where the program's first page lies; its file's first segment begins at `first`. */
static uint64_t base_of(pid_t child, const char *program) {
    char path[64], line[4096], real[4096];
    if (!realpath(program, real)) return 0;
    snprintf(path, sizeof path, "/proc/%d/maps", child);
    FILE *maps = fopen(path, "r");
    uint64_t low = 0;
    while (maps && fgets(line, sizeof line, maps))
        if (strstr(line, real)) {
            low = strtoull(line, NULL, 16);
            break;
        }
    if (maps) fclose(maps);
    return low;
}

static void start(char **arguments) {
    personality(ADDR_NO_RANDOMIZE);
    ptrace(PTRACE_TRACEME, 0, 0, 0);
    int null = open("/dev/null", O_WRONLY);
    dup2(null, 1);
    dup2(null, 2);
    if (getenv("TRACE_INPUT")) dup2(open(getenv("TRACE_INPUT"), O_RDONLY), 0);
    execvp(arguments[0], arguments);
    _exit(127);
}

/* Every instruction of the program's own, from when `entry` is come to for the first time until that call has returned. */
static void step(pid_t child, uint64_t base, uint64_t entry, uint64_t most) {
    char path[64];
    snprintf(path, sizeof path, "/proc/%d/mem", child);
    int memory = open(path, O_RDWR), status, signal = 0;
    const uint8_t trap = 0xcc;
    uint8_t byte;
    if (pread(memory, &byte, 1, (off_t)(entry + base)) != 1 || pwrite(memory, &trap, 1, (off_t)(entry + base)) != 1) return;
    struct user_regs_struct registers;
    do {
        ptrace(PTRACE_CONT, child, 0, signal);
        if (waitpid(child, &status, 0) < 0 || WIFEXITED(status) || WIFSIGNALED(status)) return;
        signal = WSTOPSIG(status) == SIGTRAP ? 0 : WSTOPSIG(status);
    } while (signal);
    pwrite(memory, &byte, 1, (off_t)(entry + base));
    ptrace(PTRACE_GETREGS, child, 0, &registers);
    registers.rip -= 1;
    ptrace(PTRACE_SETREGS, child, 0, &registers);
    uint64_t first = registers.rsp;
    for (uint64_t written = 0; written < most;) {
        ptrace(PTRACE_GETREGS, child, 0, &registers);
        if (registers.rsp > first) return;
        uint64_t at = registers.rip - base;
        if (at < (1 << 28)) {
            uint64_t pair[2] = {at, registers.rsp};
            fwrite(pair, sizeof pair, 1, stdout);
            ++written;
        }
        signal = 0;
        do {
            ptrace(PTRACE_SINGLESTEP, child, 0, signal);
            if (waitpid(child, &status, 0) < 0 || WIFEXITED(status) || WIFSIGNALED(status)) return;
            signal = WSTOPSIG(status) == SIGTRAP ? 0 : WSTOPSIG(status);
        } while (signal);
    }
}

/* Which of the addresses are met: each has a trap that goes when it is. */
static void cover(pid_t child, uint64_t base) {
    uint64_t address;
    size_t count = 0, room = 0;
    uint64_t *addresses = NULL;
    uint8_t *bytes = NULL;
    while (scanf("%" SCNx64, &address) == 1) {
        if (count == room) {
            room = room ? 2 * room : 1024;
            addresses = realloc(addresses, room * sizeof *addresses);
            bytes = realloc(bytes, room);
        }
        addresses[count++] = address;
    }
    char path[64];
    snprintf(path, sizeof path, "/proc/%d/mem", child);
    int memory = open(path, O_RDWR);
    const uint8_t trap = 0xcc;
    for (size_t i = 0; i < count; ++i)
        if (pread(memory, &bytes[i], 1, (off_t)(addresses[i] + base)) == 1) pwrite(memory, &trap, 1, (off_t)(addresses[i] + base));
    int status, signal = 0;
    ptrace(PTRACE_SETOPTIONS, child, 0, PTRACE_O_TRACECLONE);
    pid_t thread = child;
    for (;;) {
        if (thread) ptrace(PTRACE_CONT, thread, 0, signal);
        thread = waitpid(-1, &status, __WALL);
        if (thread < 0 || (thread == child && (WIFEXITED(status) || WIFSIGNALED(status)))) return;
        signal = 0;
        if (!WIFSTOPPED(status)) {
            thread = 0;
            continue;
        }
        if (WSTOPSIG(status) != SIGTRAP || status >> 16) {
            if (WSTOPSIG(status) != SIGSTOP && !(status >> 16)) signal = WSTOPSIG(status);
            continue;
        }
        struct user_regs_struct registers;
        ptrace(PTRACE_GETREGS, thread, 0, &registers);
        uint64_t at = registers.rip - 1 - base;
        size_t low = 0, high = count;
        while (low < high) {
            size_t middle = (low + high) / 2;
            if (addresses[middle] < at) low = middle + 1;
            else high = middle;
        }
        if (low == count || addresses[low] != at) continue;
        pwrite(memory, &bytes[low], 1, (off_t)(at + base));
        registers.rip -= 1;
        ptrace(PTRACE_SETREGS, thread, 0, &registers);
        printf("%" PRIx64 "\n", at);
    }
}

int main(int count, char **arguments) {
    if (count < 5) {
        fprintf(stderr, "usage: trace FIRST-SEGMENT ENTRY MOST PROGRAM [ARGUMENTS]   (ENTRY 0: addresses to cover on standard input, ascending)\n");
        return 2;
    }
    pid_t child = fork();
    if (child == 0) start(arguments + 4);
    int status;
    waitpid(child, &status, 0);
    uint64_t base = base_of(child, arguments[4]) - strtoull(arguments[1], NULL, 16);
    uint64_t entry = strtoull(arguments[2], NULL, 16);
    if (entry == 0) cover(child, base);
    else step(child, base, entry, strtoull(arguments[3], NULL, 10));
    kill(child, 9);
    return 0;
}
