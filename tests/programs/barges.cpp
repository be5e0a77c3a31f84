// A fixture in C++: namespaces, a class with a virtual function, a template, a static member, a lambda, an exception.
#include <cstdio>
#include <stdexcept>
#include <string>
#include <vector>

namespace canal {

struct Barge {
    virtual ~Barge() = default;
    virtual int toll(int base) const { return base * 2; }
    int draught = 130;
    static int count;
};
int Barge::count = 3;

struct Narrow : Barge {
    int toll(int base) const override {
        return base + draught;
    }
    bool blue = true;
};

template <class T>
T deepest(const std::vector<T>& all) {
    T best{};
    for (const T& x : all)
        if (x > best) best = x;
    return best;
}

enum class Way { up, down };

int pass(const Barge& barge, Way way) {
    int result = barge.toll(way == Way::up ? 10 : 20);
    return result;
}

}  // namespace canal

int main() {
    canal::Narrow narrow;
    std::vector<int> depths{3, 9, 4};
    int best = canal::deepest(depths);
    int toll = canal::pass(narrow, canal::Way::up);
    try {
        throw std::runtime_error("gate stuck");
    } catch (const std::exception&) {
        toll++;
    }
    auto add = [&](int x) { return toll + x; };
    std::printf("%d %d %d\n", best, toll, add(1));
    return 0;
}
