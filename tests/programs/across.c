// One half of a program of two units: what it calls of the other half, across_beside.c, it only
// declares. It prints what it is about to pass on.
#include <stdio.h>

int weigh(int load, int gate);
int carry(int load);
extern volatile int level;

#define APART __attribute__((noinline))

APART int weigh_boats(int boats) {
    int sum = 0;
    for (int i = 1; i <= boats; ++i) {
        printf("weigh load=%d gate=%d\n", i * 7, 40 + i);
        sum += weigh(i * 7, 40 + i);
    }
    return sum;
}

// Leaves by a jump, and is called by its address.
static APART int through(int load) {
    return carry(load + 1);
}

APART int call_chosen(int (*chosen)(int), int load) {
    printf("chosen load=%d\n", load);
    level = 0;
    int got = chosen(load);
    return got + level;
}

// Leaves by one of two jumps.
APART int by_either(int load, int gate) {
    if (gate > 40) {
        level = gate;
        return carry(load * 2);
    }
    level = load;
    return carry(gate * 3);
}

APART int call_either(int load) {
    printf("either load=%d\n", load);
    return by_either(load, 41) + by_either(load + 1, 40);
}

// More than fits into registers: some are fetched from the stack for each call.
APART int keep_many(int a, int b, int c, int d, int e, int f) {
    printf("keep a=%d b=%d c=%d d=%d e=%d f=%d\n", a, b, c, d, e, f);
    int g = carry(a), h = carry(b), i = carry(c), j = carry(d);
    int k = carry(e + g), l = carry(f + h), m = carry(a + i), n = carry(b + j);
    int o = carry(a + c + k), p = carry(b + d + l), q = carry(a + e + m), r = carry(c + f + n);
    return a + b + c + d + e + f + g * h + i * j + k * l + m * n + o * p + q * r;
}

// Each leaves by a jump to the other, so that the first runs again with other values.
void ring(void);
APART int odd_boats(int boats, int load);
APART int even_boats(int boats, int load) {
    level = load;
    ring();
    return boats == 0 ? carry(level) : odd_boats(boats - 1, level);
}
APART int odd_boats(int boats, int load) {
    level = boats;
    printf("even load=%d\n", load * 2);
    return boats == 0 ? carry(load) : even_boats(boats - 1, load * 2);
}

APART int call_boats(int boats) {
    printf("even load=%d\n", 5);
    return even_boats(boats, 5) + level;
}

// Never runs. The first call is given a copy of what another register does not hold any more.
void give_copies(void) {
    __asm__ volatile(
        "push %rbx\n mov %rbx, %rcx\n mov $7, %ebx\n lea 8(%rbx), %rdi\n call ring\n"
        "mov %rbx, %rcx\n call ring\n lea 1(%rbx), %rbx\n call ring\n pop %rbx\n");
}

int main(void) {
    int sum = weigh_boats(2) + call_chosen(through, 5) + call_either(9);
    sum += keep_many(11, 12, 13, 14, 15, 16);
    printf("sum=%d\n", sum + call_boats(4));
    return 0;
}
