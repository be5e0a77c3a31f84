// A function that catches goes on by a call that is its last: it is not left by the exception, what it
// called is.
#include <cstdio>
#include <stdexcept>

[[gnu::noinline]] int toll(int kind) {
    if (kind % 2) throw std::runtime_error("no toll");
    return kind * 3;
}
[[gnu::noinline]] int settle(int kind, int due) { return kind + due * 2; }
[[gnu::noinline]] int pass(int kind) {
    int due;
    try {
        due = toll(kind);
    } catch (const std::exception&) {
        due = -1;
    }
    return settle(kind, due);
}

int main() {
    int sum = 0;
    for (int kind = 0; kind < 6; ++kind) sum += pass(kind);
    std::printf("%d\n", sum);
}
