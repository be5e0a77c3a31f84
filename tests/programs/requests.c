// Asks for memory in every way, in threads, in children and under signals, and looks whether each
// block keeps what was written into it: for an allocator. Ends with 0 and "all whole".
#include <errno.h>
#include <malloc.h>
#include <pthread.h>
#include <signal.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/time.h>
#include <sys/wait.h>
#include <unistd.h>

enum { kThreads = 6, kHeld = 200, kRounds = 20000, kPassed = 64 };

struct held {
    unsigned char* at;
    size_t size;
    unsigned char what;
};

static struct held passed[kPassed];  // from thread to thread
static pthread_mutex_t passing = PTHREAD_MUTEX_INITIALIZER;
static volatile int alarms;

static void fail(const char* what) {
    printf("broken: %s\n", what);
    fflush(stdout);
    _exit(1);
}

static unsigned next(uint64_t* state) {
    *state = *state * 6364136223846793005u + 1442695040888963407u;
    return (unsigned)(*state >> 33);
}

static void check(const struct held* held) {
    for (size_t i = 0; i < held->size; ++i)
        if (held->at[i] != held->what) fail("a block does not hold what was written");
}

static void* asked_for(uint64_t* state, size_t size) {
    void* made = 0;
    switch (next(state) % 5) {
        case 0:
            made = calloc(1, size);
            for (size_t i = 0; i < size; ++i)
                if (((unsigned char*)made)[i]) fail("calloc gave no zeroes");
            return made;
        case 1:
            if (posix_memalign(&made, 64, size)) fail("posix_memalign");
            if ((uintptr_t)made % 64) fail("an address is not aligned to 64");
            return made;
        case 2:
            made = memalign(4096, size);
            if ((uintptr_t)made % 4096) fail("an address is not aligned to a page");
            return made;
        default:
            made = malloc(size);
            if ((uintptr_t)made % 16) fail("an address is not aligned to 16");
            return made;
    }
}

static size_t some_size(uint64_t* state) {
    unsigned kind = next(state) % 100;
    return kind < 80 ? next(state) % 400 : kind < 98 ? next(state) % 20000 : next(state) % 400000;
}

static void replace(struct held* held, uint64_t* state) {
    if (held->at) check(held);
    unsigned how = next(state) % 4;
    if (held->at && how == 0) {
        size_t size = some_size(state) + 1;
        size_t kept = size < held->size ? size : held->size;
        unsigned char* moved = realloc(held->at, size);
        for (size_t i = 0; i < kept; ++i)
            if (moved[i] != held->what) fail("realloc has not kept what was there");
        held->at = moved;
        held->size = size;
    } else {
        free(held->at);
        held->size = some_size(state);
        held->at = asked_for(state, held->size);
        if (!held->at && held->size) fail("no memory");
    }
    if (malloc_usable_size(held->at) < held->size) fail("the usable size is smaller than asked for");
    held->what = (unsigned char)next(state);
    memset(held->at, held->what, held->size);
}

static void child(struct held* held, uint64_t state) {
    for (int i = 0; i < 500; ++i) replace(&held[next(&state) % kHeld], &state);
    _exit(7);
}

static void* work(void* which) {
    uint64_t state = (uintptr_t)which * 7919 + 1;
    struct held held[kHeld] = {{0}};
    for (int i = 0; i < kRounds; ++i) {
        struct held* one = &held[next(&state) % kHeld];
        replace(one, &state);
        if (i % 16 == 0) {  // somebody else frees it
            pthread_mutex_lock(&passing);
            struct held* other = &passed[next(&state) % kPassed];
            struct held swapped = *other;
            *other = *one;
            *one = swapped;
            pthread_mutex_unlock(&passing);
        }
        if (i % 8000 == 4000) {
            pid_t born = fork();
            if (born == 0) child(held, state);
            int status = 0;
            while (waitpid(born, &status, 0) < 0)
                if (errno != EINTR) fail("waitpid");
            if (!WIFEXITED(status) || WEXITSTATUS(status) != 7) fail("a child");
        }
    }
    for (int i = 0; i < kHeld; ++i) {
        if (held[i].at) check(&held[i]);
        free(held[i].at);
    }
    return 0;
}

static void on_alarm(int signal) {
    (void)signal;
    alarms = alarms + 1;
}

int main(void) {
    struct sigaction action = {0};
    action.sa_handler = on_alarm;
    action.sa_flags = SA_RESTART;
    sigaction(SIGALRM, &action, 0);
    struct itimerval often = {{0, 500}, {0, 500}};
    setitimer(ITIMER_REAL, &often, 0);
    pthread_t threads[kThreads];
    for (uintptr_t i = 0; i < kThreads; ++i)
        if (pthread_create(&threads[i], 0, work, (void*)i)) fail("pthread_create");
    for (int i = 0; i < kThreads; ++i) pthread_join(threads[i], 0);
    for (int i = 0; i < kPassed; ++i) free(passed[i].at);
    errno = 5;
    free(malloc(3));
    if (errno != 5) fail("free has changed errno");
    volatile size_t too_much = (size_t)1 << 60, square = (size_t)1 << 40;
    if (malloc(too_much) || errno != ENOMEM) fail("so much memory there is not");
    if (calloc(square, square)) fail("a product that is too large");
    void* none = malloc(0);
    if (!none) fail("malloc(0)");
    free(none);
    free(0);
    puts("all whole");
    return 0;
}
