// One build makes a step less: no value tells it, but the way.
#include <stdio.h>

#ifndef STEPS
#define STEPS 5
#endif
static int level = 0;
__attribute__((noinline)) void step(void) { ++level; }
__attribute__((noinline)) void settle(void) { level /= 2; }

int main(void) {
    for (int i = 0; i < STEPS; ++i) step();
    settle();
    printf("%d\n", level);
    return 0;
}
