// Two gates, each a thread with a name; in the second build they begin the other way round, and the
// lower one counts wrongly. The upper one does the same in both.
#define _GNU_SOURCE
#include <pthread.h>
#include <stdio.h>

#ifdef TURNED
enum { FIRST = 1, FAULT = 1 };
#else
enum { FIRST = 0, FAULT = 0 };
#endif

__attribute__((noinline)) long passages(long gate, long turn) { return gate * 10 + turn + gate * (turn == 3) * FAULT; }
__attribute__((noinline)) void *work(void *given) {
    long gate = (long)given, sum = 0;
    pthread_setname_np(pthread_self(), gate ? "lower" : "upper");
    for (long turn = 0; turn < 6; ++turn) sum += passages(gate, turn);
    return (void *)sum;
}

int main(void) {
    pthread_t threads[2];
    for (long i = 0; i < 2; ++i) pthread_create(&threads[i], NULL, work, (void *)(i ^ FIRST));
    for (int i = 0; i < 2; ++i) pthread_join(threads[i], NULL);
    return 0;
}
