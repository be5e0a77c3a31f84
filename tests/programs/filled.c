// A structure that is filled member by member, and one that is declared within a loop: each value
// is in memory where a line says so, in optimised code too.
#include <stdio.h>

struct size {
    int width_cm, depth_cm;
};
struct gate {
    int number;
    struct size size;
    long long opened;
    char note[8];
};

#define IN_MEMORY(what) __asm__ volatile("" ::"m"(what))

__attribute__((noinline)) static void build(struct gate* gate) {
    gate->size.width_cm = gate->number * 600;
    __asm__ volatile("" ::: "memory");
}

__attribute__((noinline)) static void fill(int number) {
    struct gate gate;
    gate.number = number;
    IN_MEMORY(gate.number);
    gate.size.depth_cm = 210;  // one member is set
    IN_MEMORY(gate.size.depth_cm);
    gate.opened = 7;  // and half of another
    IN_MEMORY(gate.opened);
    build(&gate);                                                   // it is given away here
    printf("width=%d depth=%d\n", gate.size.width_cm, gate.size.depth_cm);  // so anybody may have set it
}

__attribute__((noinline)) static void go_round(int turns) {
    for (int turn = 0; turn < turns; ++turn) {
        printf("turn=%d\n", turn);  // above the declaration
        struct gate inner;
        inner.number = turn + 1;
        build(&inner);
        printf("inner=%d\n", inner.size.width_cm);  // below it
    }
}

int main(int argc, char** argv) {
    (void)argv;
    fill(argc);
    go_round(argc + 1);
    return 0;
}
