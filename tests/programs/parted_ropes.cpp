// Functions that an exception leaves: what runs next has its variables where theirs lay.
#include <cstdio>
#include <stdexcept>
#include <string>
#include <vector>

[[gnu::noinline]] static int haul(int weight) {
    int pull = weight * 2;
    if (weight > 30) throw std::runtime_error("parted at " + std::to_string(pull));
    pull += 1;
    return pull;
}

[[gnu::noinline]] static int tow(int boats) {
    int sum = 0;
    for (int i = 1; i <= boats; ++i) sum += haul(i * 10);
    return sum;
}

[[gnu::noinline]] static int rest(int hours) {
    volatile int naps[16] = {};
    for (int i = 0; i < 16; ++i) naps[i] = hours * i;
    return naps[15];
}

// A handler's body stands on the line of its catch, and in the loop that the exception began in.
[[gnu::noinline]] static int week() {
    int total = 0;
    for (int boats = 2; boats < 6; ++boats) {
        try {
            total += tow(boats);
        } catch (const std::exception& error) { total -= rest(boats); std::puts(error.what()); }
    }
    return total;
}

[[gnu::noinline]] static std::string bill(int tolls) {
    return "tolls to pay this week: " + std::to_string(tolls);
}

// Deep in its own calls, which come back to the same lines many times before.
static int ends = 0;
static int last_end = 300;
[[gnu::noinline]] static int branch(int depth) {
    if (depth == 0) {
        if (++ends == last_end) throw 7;
        return 1;
    }
    int left = branch(depth - 1);
    int right = branch(depth - 1);
    return left * 2 - right;
}

[[gnu::noinline]] static int canal(int depth) {
    int got = 0;
    try {
        got = branch(depth);
    } catch (int code) {
        got = -code;
    }
    return got;
}

// The library's vector has functions of these names too, in the same program.
struct Coils {
    std::vector<int> all;
    void push_back(int length) { all.push_back(length); }
};

int main() {
    Coils coils;
    coils.push_back(12);
    int total = week();
    std::size_t length = bill(total).append(" in all, by the end of it").size();
    int first = canal(11);
    last_end = 1 << 30;
    int second = canal(3);
    std::printf("total=%d length=%zu first=%d second=%d\n", total, length, first, second);
}
