/* One call that runs about ten million instructions, alone on its line, timed by the program itself. */
#include <stdio.h>
#include <time.h>

volatile long counter;

static void turn(long times) {
    for (long i = 0; i < times; i++)
        counter += i;
}

static double now_ms(void) {
    struct timespec t;
    clock_gettime(CLOCK_MONOTONIC, &t);
    return t.tv_sec * 1e3 + t.tv_nsec / 1e6;
}

double spent_ms;

int main(void) {
    double before = now_ms();
    turn(1250000);
    spent_ms = now_ms() - before;
    before = now_ms();
    turn(1250000);
    spent_ms = now_ms() - before;
    printf("%.3f\n", spent_ms);
    return 0;
}
