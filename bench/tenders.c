// Only asks for memory and gives it back: eight threads, 64 bytes to 4 kB. For the allocator in front.
#include <pthread.h>
#include <stdio.h>
#include <stdlib.h>
#include <sys/resource.h>
#include <time.h>

enum { kHeld = 64, kRounds = 1000000, kThreads = 8 };

static void* work(void* which) {
    unsigned long state = (unsigned long)which * 7919 + 1;
    void* held[kHeld] = {0};
    for (int i = 0; i < kRounds; ++i) {
        state = state * 6364136223846793005UL + 1442695040888963407UL;
        unsigned at = (state >> 33) % kHeld;
        free(held[at]);
        held[at] = malloc(64 + (state >> 40) % 4032);
        *(volatile char*)held[at] = 1;
    }
    for (int i = 0; i < kHeld; ++i) free(held[i]);
    return 0;
}

int main(void) {
    pthread_t threads[kThreads];
    struct timespec begin, end;
    clock_gettime(CLOCK_MONOTONIC, &begin);
    for (long i = 0; i < kThreads; ++i) pthread_create(&threads[i], 0, work, (void*)i);
    for (long i = 0; i < kThreads; ++i) pthread_join(threads[i], 0);
    clock_gettime(CLOCK_MONOTONIC, &end);
    struct rusage used;
    getrusage(RUSAGE_SELF, &used);
    double seconds =
        (double)(end.tv_sec - begin.tv_sec) + (double)(end.tv_nsec - begin.tv_nsec) / 1e9;
    printf("%.0f ns a request and its return, %ld kB at most\n",
           seconds * 1e9 / ((double)kRounds * kThreads), used.ru_maxrss);
    return 0;
}
