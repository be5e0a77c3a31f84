/* Millions of small blocks, linked in chains, for the heap's benchmarks. */
#include <stdio.h>
#include <stdlib.h>

struct berth {
    struct berth *next;
    long number[2];
};
static struct berth *chains[1000];
static volatile int stop_here;

__attribute__((noinline)) void look_here(void) { stop_here++; }

int main(int count, char **words) {
    long blocks = count > 1 ? atol(words[1]) : 1000000;
    long size = count > 2 ? atol(words[2]) : 0; /* 0: small ones, and some larger */
    for (long i = 0; i < blocks; i++) {
        struct berth *made = malloc(size ? size : i % 7 == 0 ? 200 : sizeof *made);
        made->next = chains[i % 1000];
        made->number[0] = i;
        chains[i % 1000] = made;
    }
    look_here();
    return chains[0] == 0;
}
