/* The keeper of a weir: how much higher the water may rise, and what runs over in a day. Built with
   -O2, the compiler has taken away a check, a variable and a call. */
#include <stdio.h>

#define VERBOSE 0
#define READINGS 96

struct gauge {
    int level_cm;
    int limit_cm;
    int flows[READINGS];
};

static int rounded(int cm) {
    return (cm + 5) / 10 * 10;
}

/* -1 where there is no gauge. */
__attribute__((noinline)) static int headroom(const struct gauge* gauge, int scale) {
    int level = gauge->level_cm * scale;
    if (gauge == NULL)
        return -1;
    int limit = gauge->limit_cm;
    int shown = rounded(level);
    if (VERBOSE)
        printf("level %d\n", shown);
    return limit > level ? limit - level : 0;
}

__attribute__((noinline)) static long overflow_of(const int* flows, int count) {
    long total = 0;
    for (int i = 0; i < count; ++i)
        total += flows[i];
    return total;
}

__attribute__((noinline)) static void lower(struct gauge* gauge, int by_cm) {
    int half = by_cm / 2;
    for (int i = 0; i < READINGS; ++i)
        gauge->flows[i] -= half;
    gauge->level_cm -= by_cm;
}

int main(void) {
    struct gauge weir = {.level_cm = 182, .limit_cm = 240};
    for (int i = 0; i < READINGS; ++i)
        weir.flows[i] = 300 + i % 7;
    lower(&weir, 12);
    printf("headroom %d cm, %ld over the weir\n", headroom(&weir, 1),
           overflow_of(weir.flows, READINGS));
    return 0;
}
