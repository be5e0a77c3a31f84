/* More places than the unused end of the code has room for copies of: eight threads pass them all. It says itself what it passed, and
   whether memory that is not its own can be run in it. */
#include <pthread.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

#define ONE(n) __attribute__((noinline)) static long gate_##n(long barge) { __asm__ volatile("" : "+r"(barge)); return barge + 1; }
#define TEN(n) ONE(n##0) ONE(n##1) ONE(n##2) ONE(n##3) ONE(n##4) ONE(n##5) ONE(n##6) ONE(n##7) ONE(n##8) ONE(n##9)
#define ALL TEN(0) TEN(1) TEN(2) TEN(3) TEN(4) TEN(5) TEN(6) TEN(7) TEN(8) TEN(9) TEN(10) TEN(11) TEN(12) TEN(13) TEN(14) TEN(15)
ALL
#undef ONE
#define ONE(n) gate_##n,
static long (*const gates[])(long) = {ALL};
#define GATES (sizeof gates / sizeof gates[0])

static int rounds;
static long passed[8];

static void *go(void *argument) {
    long *mine = argument;
    for (int round = 0; round < rounds; ++round)
        for (unsigned i = 0; i < GATES; ++i) *mine = gates[i](*mine);
    return 0;
}

static int foreign_code(void) {
    FILE *maps = fopen("/proc/self/maps", "r");
    int found = 0;
    for (char line[512]; fgets(line, sizeof line, maps);) {
        char rights[8] = "", name[256] = "";
        sscanf(line, "%*s %7s %*s %*s %*s %255s", rights, name);
        found += rights[2] == 'x' && !name[0];
    }
    fclose(maps);
    return found;
}

__attribute__((noinline)) void release_here(void) { __asm__ volatile(""); }

int main(int count, char **words) {
    rounds = count > 1 ? atoi(words[1]) : 20;
    pthread_t threads[8];
    for (int i = 0; i < 8; ++i) pthread_create(&threads[i], 0, go, &passed[i]);
    long all = 0;
    for (int i = 0; i < 8; ++i) pthread_join(threads[i], 0), all += passed[i];
    printf("passed %ld\n", all);
    fflush(stdout);
    if (fork() == 0) {
        printf("the child has %d\n", foreign_code());
        return 0;
    }
    wait(0);
    release_here();
    usleep(300000);
    printf("afterwards %d\n", foreign_code());
    return 0;
}
