// Ways on which a variable is set or not: through a table of jumps, and through a handler.
#include <cstdio>
#include <stdexcept>

static volatile int sink;

static void weigh(int tons) {
    if (tons > 3) throw std::runtime_error("too heavy");
    sink = tons;
}

static void by_number(int number) {
    int level, toll, rest;
    int unused;
    struct {
        int width, depth;
    } gate;
    sink = number;  // before the switch
    switch (number) {
        case 1: level = 4; break;
        case 2: level = 9; gate.width = 2; break;
        case 3: toll = 4; level = 3; break;
        case 4: level = 2; std::printf("four\n"); break;  // in one case
        case 5: level = 12; break;
        case 6: level = 17; break;
        default: level = 1;
    }
    rest = level;                                   // behind it
    std::printf("level=%d rest=%d\n", level, rest);  // all but two are set
    if (number == 3) std::printf("toll=%d\n", toll);
    if (number == 2) std::printf("width=%d\n", gate.width);
}

static void or_caught(int tons) {
    int level, mark, never;
    try {
        weigh(tons);  // inside
        mark = 1;
    } catch (const std::exception& error) {
        level = 7;
        std::printf("caught %s\n", error.what());  // in the handler
    }
    sink = tons;  // behind both
    if (tons > 3)
        std::printf("level=%d\n", level);
    else
        std::printf("mark=%d\n", mark);
    never = tons;
    sink = never;
}

int main() {
    by_number(2);
    by_number(4);
    or_caught(2);
    or_caught(5);
}
