// Statements that say the same on several ways, and those that a compiler puts in another order.
#include <stdio.h>

#define ALONE __attribute__((noinline))

int total, seen[64];

ALONE void note(int number) {
    __asm__ volatile("" : : "r"(number) : "memory");
    total += number;
}

ALONE int passed(int kind, int boats) {
    int toll = boats * 5;
    if (kind == 1) {
        note(boats);
        toll += 7;
        note(toll);
    } else {
        note(kind);
        toll += 9;
        note(toll);
    }
    return toll;
}

ALONE int refused(int* gate, int count) {
    if (count < 0)
        return -1;
    if (gate == NULL)
        return -1;
    note(*gate);
    if (count > 64)
        return -1;
    return *gate + count;
}

ALONE int sorted(int boats, int width, int depth) {
    total += boats;
    seen[1] = depth * 3;
    int wide = width / 7;
    seen[0] = boats;
    seen[2] = wide;
    return depth;
}

int main(int argc, char** argv) {
    (void)argv;
    printf("%d %d %d\n", passed(argc, 3), refused(seen, argc), sorted(argc, 7, 9));
    return 0;
}
