// Three threads that take turns as they come: their order is chance, their sums are not.
#include <pthread.h>
#include <stdio.h>

static pthread_mutex_t gate = PTHREAD_MUTEX_INITIALIZER;
static long total = 0;
__attribute__((noinline)) long share(long worker, long turn) { return worker * 100 + turn; }
__attribute__((noinline)) void *work(void *given) {
    long worker = (long)given, sum = 0;
    for (long turn = 0; turn < 200; ++turn) sum += share(worker, turn);
    pthread_mutex_lock(&gate);
    total += sum;
    pthread_mutex_unlock(&gate);
    return NULL;
}

int main(void) {
    pthread_t threads[3];
    for (long i = 0; i < 3; ++i) pthread_create(&threads[i], NULL, work, (void *)(i + 1));
    for (int i = 0; i < 3; ++i) pthread_join(threads[i], NULL);
    printf("%ld\n", total);
    return 0;
}
