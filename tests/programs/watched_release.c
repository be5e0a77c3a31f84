/* Threads that read into a watched array while we leave: nothing of what they read may be lost. */
#include <pthread.h>
#include <stdio.h>
#include <unistd.h>

enum { kThreads = 4, kReads = 600 };
static char berths[20000];
static int ends[2];

static void *receive(void *which) {
    for (int i = 0; i < kReads; ++i)
        if (read(ends[0], &berths[(long)which * 4000 + i], 1) != 1) return (void *)1;
    return 0;
}

int main(void) {
    if (pipe(ends) != 0) return 2;
    pthread_t threads[kThreads];
    for (long i = 0; i < kThreads; ++i) pthread_create(&threads[i], 0, receive, (void *)i);
    for (int i = 0; i < kThreads * kReads; ++i) {
        char level = (char)(i % 100 + 1);
        if (write(ends[1], &level, 1) != 1) return 3;
        if (i % 20 == 0) usleep(4000);
    }
    long failed = 0, changed = 0;
    for (int i = 0; i < kThreads; ++i) {
        void *how = 0;
        pthread_join(threads[i], &how);
        failed += how != 0;
    }
    for (unsigned i = 0; i < sizeof berths; ++i) changed += berths[i] != 0;
    printf("%ld threads failed, %ld berths changed\n", failed, changed);
    return 0;
}
