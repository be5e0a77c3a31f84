// What the clock and chance give differs from run to run.
#include <stdio.h>
#include <stdlib.h>
#include <time.h>
#include <unistd.h>

__attribute__((noinline)) long long now(void) {
    struct timespec when;
    clock_gettime(CLOCK_MONOTONIC, &when);
    return when.tv_sec * 1000000000LL + when.tv_nsec;
}
__attribute__((noinline)) int draw(unsigned seed) { return rand_r(&seed) % 1000; }
__attribute__((noinline)) int is_positive(int number) { return number >= 0; }

int main(void) {
    long long begun = now();
    int good = 0;
    for (int i = 0; i < 5; ++i) good += is_positive(draw((unsigned)now()));
    printf("%d good of process %d\n", good, (int)getpid());
    return now() < begun;
}
