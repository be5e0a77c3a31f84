#include "core/target/attach.h"

#include <dirent.h>
#include <fmt/format.h>
#include <sys/ptrace.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <fstream>
#include <set>
#include <string>

#include "core/support/error.h"

namespace lantern {
namespace {

std::vector<pid_t> tasks_of(pid_t process) {
    std::vector<pid_t> tasks;
    DIR* folder = opendir(fmt::format("/proc/{}/task", process).c_str());
    if (!folder) return tasks;
    while (dirent* entry = readdir(folder))
        if (entry->d_name[0] != '.') tasks.push_back(std::atoi(entry->d_name));
    closedir(folder);
    return tasks;
}

// A line of /proc/PID/status: "TracerPid:\t0" gives 0.
long status_field(pid_t process, const std::string& name) {
    std::ifstream status(fmt::format("/proc/{}/status", process));
    for (std::string line; std::getline(status, line);)
        if (line.starts_with(name)) return std::atol(line.c_str() + name.size());
    return -1;
}

// A thread that has ended and is not cleared away yet (proc(5)): it cannot be traced any more.
bool has_ended(pid_t task) {
    std::ifstream status(fmt::format("/proc/{}/status", task));
    for (std::string line; std::getline(status, line);)
        if (line.starts_with("State:\t")) return line[7] == 'Z' || line[7] == 'X';
    return true;
}

[[noreturn]] void refuse(pid_t process, int reason) {
    if (reason == ESRCH)
        throw TargetError(fmt::format("there is no process {}", process),
                          "ps -e lists the processes");
    if (reason == EPERM) {
        if (long tracer = status_field(process, "TracerPid:"); tracer > 0)
            throw TargetError(
                fmt::format("process {} is already being traced, by process {}", process, tracer),
                "end or release that one first");
        if (status_field(process, "VmSize:") < 0 && !has_ended(process))
            throw TargetError(fmt::format("process {} is a part of the kernel", process),
                              "ps -e lists the processes; those of the kernel cannot be traced");
        if (std::ifstream setting("/proc/sys/kernel/yama/ptrace_scope"); setting) {
            int scope = 0;
            setting >> scope;
            if (scope == 1)
                throw TargetError(
                    fmt::format("process {} may not be traced: the kernel lets a program trace its "
                                "own children only",
                                process),
                    "run elm-lantern as root, or set /proc/sys/kernel/yama/ptrace_scope to 0");
            if (scope > 1)
                throw TargetError(
                    fmt::format(
                        "process {} may not be traced: /proc/sys/kernel/yama/ptrace_scope is {}",
                        process, scope),
                    scope == 2 ? "run elm-lantern as root"
                               : "tracing is off until this machine is started again");
        }
        throw TargetError(
            fmt::format("process {} may not be traced: it belongs to another user, or is protected",
                        process),
            "run elm-lantern as its user or as root");
    }
    throw TargetError(
        fmt::format("process {} cannot be traced: {}", process, std::strerror(reason)));
}

// Waits until a seized and interrupted thread has stopped; false if it ended instead.
bool wait_until_stopped(pid_t task) {
    for (;;) {
        int status = 0;
        pid_t got = waitpid(task, &status, __WALL);
        if (got < 0 && errno == EINTR) continue;
        if (got < 0 || WIFEXITED(status) || WIFSIGNALED(status)) return false;
        if (status >> 16 == PTRACE_EVENT_STOP) return true;
        // A signal or an event came first, and every stop takes back an interruption that was asked
        // for before it (the kernel's ptrace_stop): it is asked for again, and the thread goes on
        // with its signal, into it.
        ptrace(PTRACE_INTERRUPT, task, nullptr, nullptr);
        ptrace(PTRACE_CONT, task, nullptr,
               reinterpret_cast<void*>(static_cast<long>(status >> 16 ? 0 : WSTOPSIG(status))));
    }
}

}  // namespace

long wanted_trace_events() {
    return PTRACE_O_TRACEEXEC | PTRACE_O_TRACECLONE | PTRACE_O_TRACEFORK | PTRACE_O_TRACEVFORK |
           PTRACE_O_TRACEVFORKDONE | PTRACE_O_TRACEEXIT | PTRACE_O_TRACESYSGOOD;
}

std::vector<pid_t> attach_traced(pid_t process) {
    if (process <= 0) throw TargetError(fmt::format("{} is no number of a process", process));
    if (process == getpid()) throw TargetError("this process is elm-lantern itself");
    long group = status_field(process, "Tgid:");
    if (group > 0 && group != process)
        throw TargetError(fmt::format("{} is a thread of process {}", process, group),
                          {Next::attach_to, std::to_string(group)});
    std::vector<pid_t> stopped;
    std::set<pid_t> seen;
    // Threads go on making threads until all of them stand: look again until nothing is new.
    for (bool found = true; found;) {
        found = false;
        std::vector<pid_t> seized;
        for (pid_t task : tasks_of(process)) {
            if (!seen.insert(task).second) continue;
            if (ptrace(PTRACE_SEIZE, task, nullptr,
                       reinterpret_cast<void*>(wanted_trace_events())) != 0) {
                int reason = errno;
                if (task != process && (reason == ESRCH || has_ended(task))) continue;
                // A thread's child thread is seized by the kernel with it.
                if (task == process || status_field(task, "TracerPid:") != getpid()) {
                    for (pid_t each : seized)
                        if (wait_until_stopped(each)) stopped.push_back(each);
                    for (pid_t each : stopped) ptrace(PTRACE_DETACH, each, nullptr, nullptr);
                    refuse(process, reason);
                }
            }
            ptrace(PTRACE_INTERRUPT, task, nullptr, nullptr);
            seized.push_back(task);
            found = true;
        }
        for (pid_t task : seized)
            if (wait_until_stopped(task)) stopped.push_back(task);
    }
    if (stopped.empty()) refuse(process, ESRCH);
    return stopped;
}

}  // namespace lantern
