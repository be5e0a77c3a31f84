/* Four threads write into one watched array, two of them by system calls: none of it may be lost, neither to the program nor to us. */
#include <pthread.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

enum { kWrites = 200 };
static char berths[20000];
static int source;

static void *by_instructions(void *which) {
    for (int i = 1; i <= kWrites; ++i) berths[(long)which * 4000 + i] = (char)(i % 100 + 1);
    return 0;
}

static void *by_system_calls(void *which) {
    for (int i = 1; i <= kWrites; ++i)
        if (pread(source, &berths[(long)which * 4000 + i], 1, i % 100) != 1) return (void *)1;
    return 0;
}

int main(void) {
    char levels[100];
    for (int i = 0; i < 100; ++i) levels[i] = (char)(i + 1);
    FILE *file = tmpfile();
    source = fileno(file);
    if (write(source, levels, sizeof levels) != sizeof levels) return 2;
    pthread_t threads[4];
    for (long i = 0; i < 4; ++i) pthread_create(&threads[i], 0, i % 2 ? by_system_calls : by_instructions, (void *)i); /* here */
    long failed = 0, changed = 0;
    for (int i = 0; i < 4; ++i) {
        void *how = 0;
        pthread_join(threads[i], &how);
        failed += how != 0;
    }
    for (unsigned i = 0; i < sizeof berths; ++i) changed += berths[i] != 0;
    printf("%ld threads failed, %ld berths changed\n", failed, changed);
    return 0;
}
