// A coroutine that is resumed from a loop.
#include <coroutine>
#include <cstdio>
#include <string>
#include <vector>

struct Barges {
    struct promise_type {
        int current = 0;
        Barges get_return_object() {
            return Barges{std::coroutine_handle<promise_type>::from_promise(*this)};
        }
        std::suspend_always initial_suspend() noexcept { return {}; }
        std::suspend_always final_suspend() noexcept { return {}; }
        std::suspend_always yield_value(int value) noexcept {
            current = value;
            return {};
        }
        void return_void() {}
        void unhandled_exception() {}
    };
    std::coroutine_handle<promise_type> handle;
    explicit Barges(std::coroutine_handle<promise_type> given) : handle(given) {}
    Barges(Barges&& other) : handle(other.handle) { other.handle = {}; }
    ~Barges() {
        if (handle) handle.destroy();
    }
    bool next() {
        handle.resume();
        return !handle.done();
    }
    int value() const { return handle.promise().current; }
};

Barges passing(int first, std::vector<int> weights) {
    std::string name = "lock";
    int total = 0;
    for (int weight : weights) {
        total += weight * first;
        name += "!";
        co_yield total;  // the yield
        total += 1;
    }
    std::printf("%s ends with %d\n", name.c_str(), total);
}

int main() {
    Barges barges = passing(2, {3, 4, 5});
    int sum = 0;
    while (barges.next()) sum += barges.value();
    std::printf("sum %d\n", sum);
    return 0;
}
