// What the benchmarks of values look at: a map of a million entries, and a frame with twenty locals.
#include <map>
#include <string>
#include <vector>

struct Barge {
    const char* name;
    int draught;
};

__attribute__((noinline)) int look_here(const Barge* barge, const int* tolls) {
    int chamber = 3, n = 2;
    int a = 1, b = 2, c = 3, d = 4, e = 5, f = 6, g = 7;
    double half = 0.5, third = 1.0 / 3;
    std::string name = barge->name;
    std::vector<int> levels = {214, 180, 146};
    char letter = 'q';
    bool open = true;
    long serial = 77;
    const char* text = "lock";
    int passed = 0;
    passed += tolls[n];  // the benchmarks stop here
    return chamber + a + b + c + d + e + f + g + static_cast<int>(half + third) + levels[0] + letter + open + static_cast<int>(serial) + text[0] + passed;
}

int main() {
    std::map<int, int> ledger;
    for (int i = 0; i < 1'000'000; ++i) ledger.emplace_hint(ledger.end(), i, i * 3);
    Barge barge{"Wren", 130};
    int tolls[4] = {12, 30, 0, 9};
    return look_here(&barge, tolls) + static_cast<int>(ledger.size()) == 0;
}
