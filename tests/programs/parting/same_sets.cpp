// A table without an order is passed through in another order by another library.
#include <cstdio>
#include <string>
#include <unordered_map>

using Tolls = std::unordered_map<std::string, int>;
[[gnu::noinline]] int sum_of(const Tolls& tolls) {
    int sum = 0;
    for (const auto& [name, toll] : tolls) sum += toll;
    return sum;
}

int main() {
    Tolls tolls;
    for (const char* name : {"Wren", "Heron", "Coot", "Teal", "Swan"})
        tolls[name] = static_cast<int>(tolls.size()) * 3;
    std::printf("%d\n", sum_of(tolls));
}
