// A recursion that the compiler makes a loop of; without it the stack is too small.
#include <stdio.h>

__attribute__((noinline)) long sink(long depth, long sum) {
    char mud[4000];
    mud[0] = (char)depth;
    *(volatile char *)mud = 1;
    return depth == 0 ? sum : sink(depth - 1, sum + depth);
}

int main(void) {
    printf("%ld\n", sink(3000, 0));
    return 0;
}
