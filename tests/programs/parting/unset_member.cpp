// The constructor forgets a member; what lies there is what another function left.
#include <cstdio>

struct Gate {
    int level, limit;
    Gate(int l) : level(l) {}
};
[[gnu::noinline]] void speak(int n) {
    volatile int words[24];
    for (int i = 0; i < 24; ++i) words[i] = n;
}
[[gnu::noinline]] int room(Gate gate) { return gate.limit - gate.level; }
[[gnu::noinline]] int ask(int level) {
    Gate gate(level);
    return room(gate);
}

int main() {
    speak(7);
    int left = ask(3);
    std::printf("%d\n", left);
}
