// A fixture: what people meet all day. A recursion below a library's adaptors in a thread, pointers into and behind objects,
// a lambda with captures, statics of functions, constants in instructions.
#include <algorithm>
#include <cstdio>
#include <functional>
#include <thread>
#include <vector>

struct Chamber {
    int depth;
    int level;
    short marks[3];
};

Chamber flight[3] = {{1, 2, {}}, {3, 4, {}}, {5, 6, {}}};
int guard = 7;
int level = 3;

static int count(int n) {
    static int calls = 0;
    calls += n;
    level = calls;
    return calls;
}

static int other(int n) {
    static int calls = 100;
    calls += n;
    return calls;
}

static int deepest(int n) { return n * 2; }

static int depth(int n, const char *why) {
    if (n == 0) return deepest(21);
    return depth(n - 1, why) + 1;
}

static int through(const std::function<int(int)> &work, int n) { return work(n); }

struct Lock {
    int id;
    double toll(int weight) {
        double base = 2.5;
        auto add = [this, base](int x) {
            double sum = base * x;
            return sum + id;
        };
        return add(weight);
    }
};

int main() {
    for (int i = 0; i < 3; ++i) {
        count(i);
        other(i);
    }
    int local[4] = {1, 2, 3, 4};
    Chamber one = {1, 2, {3, 4, 5}};
    int *second = &local[2], *end = local + 4, *inner = &one.level, *global = &flight[2].level;
    Chamber *behind = flight + 3;
    short *mark = &one.marks[1];
    Lock lock{3};
    double toll = lock.toll(4);
    std::vector<int> deep = {40, 1};
    std::thread worker([&] { std::for_each(deep.begin(), deep.begin() + 1, [&](int x) { through([&](int y) { return depth(y, "a reason that is told in many words"); }, x); }); });
    worker.join();
    std::printf("%d %d %d %d %d %f %p %p\n", *second, *inner, *global, guard, level, toll, static_cast<void *>(behind), static_cast<void *>(mark));
    return end == nullptr;
}
