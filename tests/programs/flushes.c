// One thread writes out all open files again and again, and the writing asks for memory; the other forks. Two locks of
// the C library and the allocator's are taken by both: in one order, or none of them comes to an end.
#define _GNU_SOURCE
#include <pthread.h>
#include <stdio.h>
#include <stdlib.h>
#include <sys/wait.h>
#include <unistd.h>

static volatile int closed;

static ssize_t enter(void* log, const char* text, size_t size) {
    char* volatile line = malloc(size + 100);
    line[0] = text[0];
    free(line);
    (void)log;
    return (ssize_t)size;
}

static void* keep_log(void* none) {
    FILE* log = fopencookie(NULL, "w", (cookie_io_functions_t){.write = enter});
    while (!closed) {
        fputs("lock full\n", log);
        fflush(NULL);
    }
    fclose(log);
    return none;
}

// The child has one thread, and the lists of files and of memory are its own.
static void row(void) {
    char* volatile oar = malloc(10);
    free(oar);
    fflush(NULL);
    fclose(fopen("/dev/null", "r"));
    _exit(3);
}

int main(void) {
    int ended = 0;
    for (int way = 0; way < 2; ++way) {  // alone, and beside the other
        pthread_t keeper;
        if (way == 1) pthread_create(&keeper, NULL, keep_log, NULL);
        for (int boat = 0; boat < 100; ++boat) {
            int status = 0;
            if (fork() == 0) row();
            wait(&status);
            ended += WEXITSTATUS(status) == 3;
        }
        closed = 1;
        if (way == 1) pthread_join(keeper, NULL);
        closed = 0;
    }
    printf("%d boats are back\n", ended);
    return 0;
}
