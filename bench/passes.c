/* What the benchmarks of control stop in: a function passed often, a value written often, a page written beside and elsewhere. */
#include <pthread.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>
#include <unistd.h>

volatile long level;
struct __attribute__((aligned(4096))) page {
    long watched[448];
    long beside[64];
};
struct page here;
static struct page elsewhere;
volatile long sum;

__attribute__((noinline)) long pass(long barge, long turn) {
    long toll = barge * 10 + turn % 10;
    return toll;
}

static double seconds(void) {
    struct timespec now;
    clock_gettime(CLOCK_MONOTONIC, &now);
    return (double)now.tv_sec + (double)now.tv_nsec / 1e9;
}

/* `every`: how many operations of the usual kind for each write to the page. 0: never there. */
__attribute__((noinline)) static void work(long operations, long every) {
    for (long i = 0; i < operations; ++i) {
        elsewhere.beside[i & 63] += i ^ sum;
        sum += elsewhere.beside[(i * 7) & 63] % 13;
        if (every && i % every == 0) here.beside[i & 63] = i;
    }
}

static void *sleeper(void *nothing) {
    pause();
    return nothing;
}

int main(int argc, char **argv) {
    const char *what = argc > 1 ? argv[1] : "";
    long count = argc > 2 ? atol(argv[2]) : 0, every = argc > 3 ? atol(argv[3]) : 0;
    if (!strcmp(what, "pass"))
        for (long i = 0; i < count; ++i) sum += pass(3, i);
    if (!strcmp(what, "write"))
        for (long i = 0; i < count; ++i) level = i;
    if (!strcmp(what, "work")) {
        pass(1, 1);
        double start = seconds();
        work(count, every);
        printf("%.9f\n", seconds() - start);
    }
    if (!strcmp(what, "threads")) {
        for (long i = 1; i < count; ++i) {
            pthread_t one;
            pthread_attr_t small;
            pthread_attr_init(&small);
            pthread_attr_setstacksize(&small, 65536);
            if (pthread_create(&one, &small, sleeper, 0)) return 1;
        }
        puts("ready");
        fflush(stdout);
        pause();
    }
    return 0;
}
