// One build throws where the other goes on.
#include <cstdio>
#include <stdexcept>

[[gnu::noinline]] int toll(int kind) {
#ifndef __OPTIMIZE__
    if (kind == 2) throw std::runtime_error("no toll for that");
#endif
    return kind * 3;
}

int main() {
    int sum = 0;
    for (int kind = 0; kind < 4; ++kind) try {
            sum += toll(kind);
        } catch (const std::exception&) {
            sum -= 1;
        }
    std::printf("%d\n", sum);
}
