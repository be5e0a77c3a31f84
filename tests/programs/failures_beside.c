/* Failures with something beside them that a diagnosis must tell: calls without an end, other threads, limits. */
#include <fcntl.h>
#include <pthread.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <sys/resource.h>
#include <unistd.h>

#define APART __attribute__((noinline))

struct barge {
    int number;
    struct barge *next;
};
static volatile long sink;

static struct barge *barge(int number) {
    struct barge *made = calloc(1, sizeof *made);
    made->number = number;
    return made;
}

/* Two that call each other. */
APART int lower(struct barge *given, int level);
APART int upper(struct barge *given, int level) {
    volatile char room[100];
    room[3] = (char)level;
    return lower(given, level - 1) + room[3];
}
APART int lower(struct barge *given, int level) {
    volatile char room[100];
    room[4] = (char)level;
    return upper(given, level - 1) + room[4];
}

static volatile int is_watched;
static void *watch_barge(void *given) {
    struct barge *watched = given;
    for (;;) {
        sink = watched->number;
        is_watched = 1;
        pause();
    }
    return NULL;
}
static void *do_nothing(void *given) {
    for (;;) pause();
    return given;
}
APART int number_behind(struct barge *sank) {
    return sank->next->number;
}
static int fail_beside_others(void) {
    struct barge *lone = barge(8);
    pthread_t thread;
    pthread_create(&thread, NULL, do_nothing, NULL);
    pthread_create(&thread, NULL, watch_barge, lone);
    while (!is_watched) usleep(1000);
    return number_behind(lone);
}

static void on_signal(int number) {
    sink = number;
}
static int fail_unusually(void) {
    struct rlimit files = {12, 12};
    sigset_t blocked;
    setrlimit(RLIMIT_NOFILE, &files);
    while (open("/dev/zero", O_RDONLY) >= 0) sink++;
    mmap(NULL, 4096, PROT_READ | PROT_WRITE | PROT_EXEC, MAP_PRIVATE | MAP_ANONYMOUS, -1, 0);
    sigemptyset(&blocked);
    sigaddset(&blocked, SIGUSR1);
    sigprocmask(SIG_BLOCK, &blocked, NULL);
    signal(SIGPIPE, SIG_IGN);
    signal(SIGUSR2, on_signal);
    raise(SIGUSR1);
    return number_behind(barge(9));
}

int main(int count, char **words) {
    const char *what = count > 1 ? words[1] : "";
    if (!strcmp(what, "turns")) return upper(barge(1), 500);
    if (!strcmp(what, "shared")) return fail_beside_others();
    if (!strcmp(what, "unusual")) return fail_unusually();
    return 0;
}
