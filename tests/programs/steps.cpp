// Calls that a step must find its way through: virtual functions and thunks, what std::function holds, templates of the library,
// exceptions, values returned in every way.
#include <algorithm>
#include <cstdio>
#include <cstring>
#include <functional>
#include <stdexcept>
#include <string>
#include <vector>

namespace canal {

struct Gate {
    virtual ~Gate() = default;
    virtual int open(int by) { return by + 1; }
};
struct Marked {
    virtual ~Marked() = default;
    virtual int mark(int x) { return x; }
};
struct TailGate : Gate, Marked {
    int open(int by) override { return by + 2; }
    int mark(int x) override {
        return x * 7;
    }
};

struct TollError : std::runtime_error {
    int chamber;
    TollError(const std::string& what, int chamber) : std::runtime_error(what), chamber(chamber) {}
};

__attribute__((noinline)) int check(int toll) {
    if (toll > 90) throw TollError("toll too high", toll);
    return toll;
}

__attribute__((noinline)) int through(int toll) {
    int checked = check(toll);
    return checked + 1;
}

struct Pair {
    long a;
    double b;
};
struct Large {
    long words[6];
};

Pair pair_of(long a) { return {a, a / 2.0}; }
Large large_of(long a) { return {{a, a + 1, a + 2, a + 3, a + 4, a + 5}}; }
std::string name_of(int number) { return "barge " + std::to_string(number); }
bool is_open(int gate) { return gate % 2 == 0; }
double ratio_of(int a) { return a / 4.0; }

}  // namespace canal

using namespace canal;

__attribute__((noinline)) int twice(int x) {
    return x * 2;
}

__attribute__((noinline)) static int use_all(int start) {
    TailGate gate;
    Gate* as_gate = &gate;
    Marked* as_mark = &gate;
    int sum = as_gate->open(start);            // virtual
    sum += as_mark->mark(3);                   // through a thunk
    std::function<int(int)> kept = twice;
    sum += kept(sum);                          // through std::function
    std::vector<int> tolls{5, 3, 9};
    std::sort(tolls.begin(), tolls.end(), [](int a, int b) {
        return a < b;                          // compared
    });
    sum += twice(tolls[0]) + check(4);         // two calls
    return sum;
}

__attribute__((noinline)) static int values_returned() {
    Pair pair = pair_of(8);
    Large large = large_of(3);
    std::string name = name_of(4);
    bool open = is_open(2);
    double ratio = ratio_of(3);
    return static_cast<int>(pair.a + large.words[5] + static_cast<long>(name.size()) + open + ratio);
}

__attribute__((noinline)) static int catching() {
    int got = 0;
    try {
        got = through(50);
        got += through(95);
        got = -1;
    } catch (const TollError& error) {
        got += error.chamber;
        std::printf("caught=%s\n", error.what());
    }
    return got;
}

int main(int argc, char** argv) {
    int sum = use_all(argc);
    int returned = values_returned();
    int caught = catching();
    std::printf("sum=%d\nreturned=%d\ncaught_sum=%d\n", sum, returned, caught);
    if (argc > 1 && !std::strcmp(argv[1], "uncaught")) check(99);
    return 0;
}
