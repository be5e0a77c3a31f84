// Loops that come with calls of the standard library and of helpers, which the compiler puts into
// their callers. Each function is compiled by itself; the compiler writes down which it has vectorised.
#include <algorithm>
#include <cstdio>
#include <numeric>
#include <vector>

#define KEPT extern "C" __attribute__((noinline))

KEPT int sum_of_levels(const std::vector<int>& levels) {
    return std::accumulate(levels.begin(), levels.end(), 0);
}

KEPT void doubled(const std::vector<int>& levels, std::vector<int>& into) {
    std::transform(levels.begin(), levels.end(), into.begin(), [](int level) { return level * 2; });
}

KEPT long empty_ones(const std::vector<int>& levels) {
    return std::count(levels.begin(), levels.end(), 0);
}

KEPT int products(const std::vector<int>& first, const std::vector<int>& second) {
    return std::inner_product(first.begin(), first.end(), second.begin(), 0);
}

KEPT double flow_of(const std::vector<double>& levels) {
    return std::accumulate(levels.begin(), levels.end(), 0.0);
}

KEPT void numbered(std::vector<int>& levels) {
    std::iota(levels.begin(), levels.end(), 7);
}

KEPT int ranged(const std::vector<int>& levels) {
    int sum = 0;
    for (int level : levels) {
        sum += level;
    }
    return sum;
}

KEPT void raised(std::vector<int>& levels, int by) {
    for (int& level : levels) {
        level += by;
    }
}

static inline int largest_in(const int* levels, int count) {
    int largest = levels[0];
    for (int i = 1; i < count; ++i)
        if (levels[i] > largest) largest = levels[i];
    return largest;
}
KEPT int largest(const int* levels, int count) {
    int found = largest_in(levels, count);
    return found * 3;
}

static inline unsigned hash_of(const char* name) {
    unsigned hash = 17;
    while (*name) hash = hash * 31 + static_cast<unsigned char>(*name++);
    return hash;
}
KEPT unsigned hashed(const char* name) {
    unsigned hash = hash_of(name);
    return hash ^ 0x5a5a;
}

KEPT int two_of_them(const int* levels, int count) {
    int largest = largest_in(levels, count);
    int sum = 0;
    for (int i = 0; i < count; ++i) {
        sum ^= levels[i] - largest;
    }
    return sum;
}

int main() {
    std::vector<int> levels(100), others(100);
    numbered(levels);
    raised(levels, 3);
    doubled(levels, others);
    std::vector<double> flows(levels.begin(), levels.end());
    std::printf("%d %ld %d %f %d %d %u %d\n", sum_of_levels(levels), empty_ones(levels), products(levels, others), flow_of(flows),
                ranged(levels), largest(levels.data(), 100), hashed("lock"), two_of_them(levels.data(), 100));
}
