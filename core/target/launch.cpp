#include "core/target/launch.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sched.h>
#include <signal.h>
#include <sys/personality.h>
#include <sys/ptrace.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <memory>

#include "core/support/error.h"
#include "core/support/sanitized.h"
#include "core/target/attach.h"

namespace lantern {
namespace {

// What the child reports through the pipe when it cannot become the program.
struct ChildFailure {
    enum Step : int { folder, input, output, error, exec } step;
    int reason;
};

std::vector<char*> pointers(const std::vector<std::string>& strings) {
    std::vector<char*> out;
    for (const std::string& s : strings) out.push_back(const_cast<char*>(s.c_str()));
    out.push_back(nullptr);
    return out;
}

[[noreturn]] void give_up(int pipe_end, ChildFailure::Step step) {
    ChildFailure failure{step, errno};
    (void)!write(pipe_end, &failure, sizeof failure);
    _exit(127);
}

void redirect(const std::string& file, int descriptor, int flags, int pipe_end,
              ChildFailure::Step step) {
    if (file.empty()) return;
    int opened = open(file.c_str(), flags, 0666);
    if (opened < 0 || dup2(opened, descriptor) < 0) give_up(pipe_end, step);
    close(opened);
}

struct Birth {
    const LaunchOptions& options;
    char* const* arguments;
    char* const* environment;
    int go_ahead[2], report[2];
};

// Runs in the child, which uses our memory until the exec: nothing but system calls from here on,
// and no handler of ours.
[[noreturn]] void become_program(const Birth& birth) {
    const LaunchOptions& options = birth.options;
    int go_ahead = birth.go_ahead[0], report = birth.report[1];
    close(birth.go_ahead[1]);
    close(birth.report[0]);
    if (!options.terminal.empty())
        setsid();
    else if (options.own_process_group)
        setpgid(0, 0);
    char seized;
    (void)!read(go_ahead, &seized, 1);
    for (int signal :
         {SIGINT, SIGQUIT, SIGTSTP, SIGTTIN, SIGTTOU, SIGPIPE, SIGCHLD, SIGTERM, SIGHUP})
        ::signal(signal, SIG_DFL);
    sigset_t none;
    sigemptyset(&none);
    sigprocmask(SIG_SETMASK, &none, nullptr);
    if (!options.terminal.empty()) {
        // The first terminal that the leader of a session opens becomes its controlling one.
        int no_control = options.terminal_controls ? 0 : O_NOCTTY;
        for (int descriptor : {0, 1, 2})
            redirect(options.terminal, descriptor, O_RDWR | no_control, report,
                     ChildFailure::input);
    }
    redirect(options.input_file, 0, O_RDONLY, report, ChildFailure::input);
    redirect(options.output_file, 1, O_WRONLY | O_CREAT | O_TRUNC, report, ChildFailure::output);
    redirect(options.error_file, 2, O_WRONLY | O_CREAT | O_TRUNC, report, ChildFailure::error);
    if (options.output_to_error && options.output_file.empty()) dup2(2, 1);
    if (!options.folder.empty() && chdir(options.folder.c_str()) != 0)
        give_up(report, ChildFailure::folder);
    if (!options.randomise_addresses) personality(ADDR_NO_RANDOMIZE);
    execve(options.program.c_str(), birth.arguments, birth.environment);
    give_up(report, ChildFailure::exec);
}

#ifdef LANTERN_SANITIZED
pid_t bear(Birth& birth, std::byte*) {
    pid_t child = fork();
    if (child == 0) become_program(birth);
    return child;
}
#else
// A copy of our memory, of which the child would use nothing, takes longer than all the rest of a
// launch. So it gets a stack and no more.
pid_t bear(Birth& birth, std::byte* stack_end) {
    auto begin = [](void* given) -> int { become_program(*static_cast<const Birth*>(given)); };
    return clone(begin, stack_end, CLONE_VM | SIGCHLD, &birth);
}
#endif

[[noreturn]] void explain(const LaunchOptions& options, const ChildFailure& failure) {
    std::string reason = std::strerror(failure.reason);
    switch (failure.step) {
        case ChildFailure::folder:
            throw TargetError(fmt::format("the program's folder {} cannot be entered: {}",
                                          options.folder, reason),
                              Next::check_folder);
        case ChildFailure::input:
            throw TargetError(
                fmt::format("the input file {} cannot be opened: {}", options.input_file, reason),
                Next::check_input);
        case ChildFailure::output:
            throw TargetError(
                fmt::format("the output file {} cannot be opened: {}", options.output_file, reason),
                Next::check_output);
        case ChildFailure::error:
            throw TargetError(
                fmt::format("the error file {} cannot be opened: {}", options.error_file, reason));
        case ChildFailure::exec: break;
    }
    if (failure.reason == EACCES)
        throw TargetError(fmt::format("{} may not be run: {}", options.program, reason),
                          fmt::format("chmod +x {}", options.program));
    if (failure.reason == ENOENT)
        throw TargetError(
            fmt::format("{} cannot be started: it, or the loader it names, is not there",
                        options.program),
            "check the path; a program built for another system names a loader that is missing "
            "here");
    throw TargetError(fmt::format("{} cannot be started: {}", options.program, reason));
}

}  // namespace

pid_t launch_traced(const LaunchOptions& options) {
    std::vector<std::string> words{options.called.empty() ? options.program : options.called};
    words.insert(words.end(), options.arguments.begin(), options.arguments.end());
    auto arguments = pointers(words), environment = pointers(options.environment);

    Birth birth{options, arguments.data(), environment.data(), {}, {}};
    int(&go_ahead)[2] = birth.go_ahead;
    int(&report)[2] = birth.report;
    if (pipe2(go_ahead, O_CLOEXEC) != 0 || pipe2(report, O_CLOEXEC) != 0)
        throw TargetError(fmt::format("no pipe can be made: {}", std::strerror(errno)));
    constexpr std::size_t kStack = 64 << 10;
    auto stack = std::make_unique<std::byte[]>(kStack);  // used until the exec, which is waited for
    pid_t child = bear(birth, stack.get() + kStack);
    if (child < 0) {
        int reason = errno;
        for (int end : {go_ahead[0], go_ahead[1], report[0], report[1]}) close(end);
        throw TargetError(fmt::format("no process can be started: {}", std::strerror(reason)));
    }
    close(go_ahead[0]);
    close(report[1]);
    if (options.own_process_group && options.terminal.empty()) setpgid(child, child);

    // EXITKILL: however we end, the program is not left behind.
    long wanted = PTRACE_O_EXITKILL | wanted_trace_events();
    if (ptrace(PTRACE_SEIZE, child, nullptr, reinterpret_cast<void*>(wanted)) != 0) {
        int reason = errno;
        close(go_ahead[1]);
        close(report[0]);
        kill(child, SIGKILL);
        waitpid(child, nullptr, 0);
        throw TargetError(fmt::format("the program cannot be traced: {}", std::strerror(reason)),
                          "another debugger may hold it, or this system forbids tracing "
                          "(/proc/sys/kernel/yama/ptrace_scope)");
    }
    (void)!write(go_ahead[1], "!", 1);
    close(go_ahead[1]);

    // Either the exec succeeds, which stops the child and closes its end of the pipe, or it says
    // why not.
    for (;;) {
        int status = 0;
        pid_t got;
        while ((got = waitpid(child, &status, __WALL)) < 0 && errno == EINTR) continue;
        if (got < 0) {
            close(report[0]);
            throw TargetError(
                fmt::format("the program was lost while it started: {}", std::strerror(errno)));
        }
        if (WIFSTOPPED(status) && status >> 8 == (SIGTRAP | PTRACE_EVENT_EXEC << 8)) break;
        if (WIFEXITED(status) || WIFSIGNALED(status)) {
            ChildFailure failure{ChildFailure::exec, 0};
            ssize_t size = read(report[0], &failure, sizeof failure);
            close(report[0]);
            if (size == sizeof failure) explain(options, failure);
            throw TargetError(fmt::format("{} ended before it began", options.program));
        }
        // Any other stop on the way to the exec (a signal somebody sent) is passed on.
        int signal = status >> 16 == 0 ? WSTOPSIG(status) : 0;
        ptrace(PTRACE_CONT, child, nullptr, reinterpret_cast<void*>(static_cast<long>(signal)));
    }
    close(report[0]);
    return child;
}

}  // namespace lantern
