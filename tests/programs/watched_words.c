/* Four threads write one word each, two of them by system calls: each write is one, and whose it was is no question. */
#include <pthread.h>
#include <stdio.h>
#include <unistd.h>

enum { kWrites = 200 };
static volatile long lock0, lock1, lock2, lock3;
static volatile long *const locks[] = {&lock0, &lock1, &lock2, &lock3};
static int source;

static void *by_instructions(void *which) {
    for (long i = 1; i <= kWrites; ++i) *locks[(long)which] = i;
    return 0;
}

static void *by_system_calls(void *which) {
    for (long i = 1; i <= kWrites; ++i)
        if (pread(source, (void *)locks[(long)which], sizeof(long), i * (long)sizeof(long)) != sizeof(long)) return (void *)1;
    return 0;
}

int main(void) {
    FILE *file = tmpfile();
    source = fileno(file);
    for (long i = 0; i <= kWrites; ++i)
        if (write(source, &i, sizeof i) != sizeof i) return 2;
    pthread_t threads[4];
    for (long i = 0; i < 4; ++i) pthread_create(&threads[i], 0, i % 2 ? by_system_calls : by_instructions, (void *)i);
    for (int i = 0; i < 4; ++i) pthread_join(threads[i], 0);
    printf("%ld %ld %ld %ld\n", lock0, lock1, lock2, lock3);
    return 0;
}
