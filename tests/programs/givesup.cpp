// One way to give up, or to be deep in a library, for each word that is given.
#include <unistd.h>

#include <atomic>
#include <cassert>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <mutex>
#include <stdexcept>
#include <string>
#include <thread>
#include <vector>

struct TollError : std::runtime_error {
    int berth = 7;
    explicit TollError(const std::string& text) : std::runtime_error(text) {}
};
struct Plain { int code; };
struct Lock {
    Lock() { use(); }
    virtual ~Lock() = default;
    void use() { fill(); }
    virtual int fill() = 0;
};
struct Narrow : Lock {
    int fill() override { return 1; }
};

std::mutex gate;
std::atomic<bool> is_locked;

__attribute__((noinline)) void throws(const std::string& what) {
    if (what == "plain") throw Plain{42};
    if (what == "number") throw 17;
    throw TollError("no berth for " + what);
}
__attribute__((noinline)) void closed() noexcept { throws("the Heron"); }
__attribute__((noinline)) void bad_copy(char* to, const char* from) {
    std::strcpy(to, from);
}
__attribute__((noinline)) void sleeps() {
    usleep(300000);
    std::puts("woken");
}

int main(int count, char** words) {
    std::string how = count > 1 ? words[1] : "";
    std::puts(how.c_str());
    if (how == "abort") std::abort();
    if (how == "assert") assert(how == "open");
    if (how == "throw") throws("the Wren");
    if (how == "plain") throws("plain");
    if (how == "number") throws("number");
    if (how == "noexcept") closed();
    if (how == "thread") std::thread([] { throws("the Teal"); }).join();
    if (how == "rethrow") {
        try {
            throws("the Coot");
        } catch (const TollError&) {
            throw;
        }
    }
    if (how == "nothing") throw;
    if (how == "handler") {
        try {
            throws("the Rail");
        } catch (const TollError&) {
            std::terminate();
        }
    }
    if (how == "pure") Narrow narrow;
    if (how == "copy") bad_copy(nullptr, "a long name");
    if (how == "free") {
        char* room = static_cast<char*>(std::malloc(10));
        std::free(room);
        std::free(room);
    }
    if (how == "sleep") {
        sleeps();
        sleeps();
    }
    if (how == "at") std::puts(std::to_string(std::vector<int>(2).at(5)).c_str());
    if (how == "lock") {
        std::thread([] {
            gate.lock();
            is_locked = true;
            for (;;) usleep(10000);
        }).detach();
        while (!is_locked) usleep(100);
        sleeps();
        _exit(0);
    }
    if (how == "two") {
        std::thread other([] { sleeps(); sleeps(); });
        sleeps();
        other.join();
    }
    return 0;
}
