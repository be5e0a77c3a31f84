// Control that leaves a function otherwise than by return: coroutines that give way, exceptions that are thrown again. And a
// fork while memory is watched.
#include <coroutine>
#include <cstdio>
#include <cstring>
#include <stdexcept>
#include <sys/wait.h>
#include <unistd.h>

struct Sluice {
    struct promise_type {
        int level = 0;
        Sluice get_return_object() { return {std::coroutine_handle<promise_type>::from_promise(*this)}; }
        std::suspend_always initial_suspend() noexcept { return {}; }
        std::suspend_always final_suspend() noexcept { return {}; }
        std::suspend_always yield_value(int value) {
            level = value;
            return {};
        }
        void return_void() {}
        void unhandled_exception() {}
    };
    std::coroutine_handle<promise_type> handle;
};

Sluice fill(int by) {
    int level = 0;
    level += by;
    co_yield level;
    level += by;                           // the second part
    co_yield level;
}

__attribute__((noinline)) int coroutines() {
    Sluice sluice = fill(20);
    sluice.handle.resume();                // the first part runs
    int first = sluice.handle.promise().level;
    sluice.handle.resume();                // the rest
    int second = sluice.handle.promise().level;
    sluice.handle.destroy();
    return first * 100 + second;
}

struct TollError : std::runtime_error {
    int chamber;
    TollError(const char* what, int chamber) : std::runtime_error(what), chamber(chamber) {}
};

__attribute__((noinline)) int again(int toll) {
    try {
        if (toll > 90) throw TollError("toll too high", toll);
    } catch (const std::exception&) {
        throw;
    }
    return toll;
}

struct Sheet {
    long entries[200];
} sheet;

__attribute__((noinline)) int forks() {
    sheet.entries[0] = 1;
    pid_t child = fork();
    if (child == 0) {
        sheet.entries[3] = 5;
        _exit(static_cast<int>(sheet.entries[3]));
    }
    int status = 0;
    waitpid(child, &status, 0);
    sheet.entries[4] = 6;
    return WIFEXITED(status) ? WEXITSTATUS(status) : -1;
}

int main(int argc, char** argv) {
    if (argc > 1 && !std::strcmp(argv[1], "forks")) {
        std::printf("child=%d\n", forks());
        return 0;
    }
    int levels = coroutines();
    int caught = 0;
    try {
        again(95);
    } catch (const TollError& error) {
        caught = error.chamber;
    }
    std::printf("levels=%d caught=%d\n", levels, caught);
    return 0;
}
