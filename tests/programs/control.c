/* What a program can do to whoever steps, watches and counts in it. The first argument picks what it does. */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <errno.h>
#include <pthread.h>
#include <setjmp.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

volatile long passages;
static long wanted_passes;

long pass(long barge, long turn) {
    long toll = barge * 10 + turn % 10;
    return toll;
}

static void *keeper(void *which) {
    long sum = 0;
    for (long turn = 0; turn < wanted_passes; ++turn) sum += pass((long)which, turn);
    __atomic_add_fetch(&passages, wanted_passes, __ATOMIC_SEQ_CST);
    return (void *)sum;
}

static int count(int threads, long passes) {
    pthread_t all[256];
    wanted_passes = passes;
    for (long i = 0; i < threads; ++i) pthread_create(&all[i], 0, keeper, (void *)i);
    for (int i = 0; i < threads; ++i) pthread_join(all[i], 0);
    printf("passages=%ld\n", passages);
    return 0;
}

static void *short_life(void *which) {
    return (void *)pass((long)which, 1);
}

static int many_threads(int count) {
    for (int i = 0; i < count; ++i) {
        pthread_t one;
        pthread_create(&one, 0, short_life, (void *)(long)i);
        pthread_join(one, 0);
    }
    printf("threads=%d\n", count);
    return 0;
}

/* ---- watched values */
struct sheet {
    char head[64];
    long entries[500];
    char tail[32];
};
struct __attribute__((aligned(4096))) page {
    struct sheet sheet;
    long beside;
};
long level;
int levels[3];
struct page day;

static void change_level(long by) {
    level += by;
    levels[1] = (int)level;
}

static long local_watched(long start) {
    long gauge = start;
    gauge += 5;
    gauge *= 2;
    return gauge;
}

static int watch(void) {
    level = 1;
    change_level(4);
    level = 5; /* the same again */
    change_level(-2);
    long seen = local_watched(10);
    for (int i = 0; i < 5; ++i) day.beside += i;
    day.sheet.entries[7] = 70;
    day.sheet.entries[499] += 3;
    int ends[2];
    if (pipe(ends) || write(ends[1], "Wren and Heron", 14) != 14) return 1;
    ssize_t got = read(ends[0], day.sheet.head, sizeof day.sheet.head);
    memset(day.sheet.tail, 'x', sizeof day.sheet.tail);
    printf("level=%ld\nseen=%ld\nread=%zd %s\nbeside=%ld\n", level, seen, got, day.sheet.head, day.beside);
    return 0;
}

/* ---- leaving by other ways than returning */
static jmp_buf back;

static int flood(int gates) {
    if (gates == 0) longjmp(back, 3);
    return flood(gates - 1) + 1;
}

static int jump(void) {
    int round = 0;
    int how = setjmp(back);
    if (how == 0) {
        round = flood(4);
        puts("never");
    }
    round += how;
    printf("round=%d\n", round);
    return 0;
}

static volatile int rung;
static void on_bell(int number) {
    rung += number;
}

static int bell(void) {
    signal(SIGUSR1, on_bell);
    raise(SIGUSR1);
    int after = rung;
    kill(getpid(), SIGUSR1);
    after += rung;
    printf("after=%d\n", after);
    return 0;
}

/* ---- depth and loops */
int descend(int depth) {
    if (depth == 0) return 0;
    int below = descend(depth - 1);
    return below + 1;
}

static int loops(void) {
    int sum = 0;
    for (int lock = 0; lock < 3; ++lock) {
        for (int gate = 0; gate < 4; ++gate) {
            sum += lock * gate;
        }
        sum += 100;
    }
    printf("sum=%d\n", sum);
    return 0;
}

/* ---- processes */
static int fork_child(void) {
    pid_t child = fork();
    if (child == 0) {
        long toll = pass(7, 7);
        _exit(toll == 77 ? 17 : 1);
    }
    int status = 0;
    waitpid(child, &status, 0);
    printf("child=%d\n", WEXITSTATUS(status));
    return 0;
}

/* Many children, some with children of their own that outlive them and are reaped by somebody else. */
static int brood(int children) {
    int sum = 0;
    for (int i = 0; i < children; ++i) {
        pid_t child = i % 3 ? fork() : vfork();
        if (child == 0) {
            if (i % 3 == 1 && fork() == 0) _exit(pass(1, 1) ? 0 : 1);
            _exit(i % 3 ? (int)pass(0, i) : 1);
        }
        int status = 0;
        waitpid(child, &status, 0);
        sum += WEXITSTATUS(status);
    }
    printf("brood=%d\n", sum);
    return 0;
}

static void flood_of_lines(int lines) {
    for (int i = 0; i < lines; ++i) printf("%06d gauge reading, and a good deal of words besides so that it is a flood\n", i);
}

static void *exec_from_thread(void *program) {
    execl(program, program, "loops", (char *)0);
    return 0;
}

static int exec_program(char *program) {
    pthread_t thread;
    pthread_create(&thread, 0, exec_from_thread, program);
    pthread_join(thread, 0);
    return 1;
}

static void *outlives(void *nothing) {
    usleep(100000);
    printf("toll=%ld\n", pass(3, 4));
    fflush(stdout);
    return nothing;
}

static void leader_leaves(void) {
    pthread_t thread;
    pthread_create(&thread, 0, outlives, 0);
    pthread_detach(thread);
    pthread_exit(0);
}

static void *killer(void *nothing) {
    usleep(50000);
    kill(getpid(), SIGKILL);
    return nothing;
}

static int killed(void) {
    pthread_t thread;
    pthread_create(&thread, 0, killer, 0);
    for (volatile long i = 0;; ++i) pass(1, i);
}

static int plugin(const char *file) {
    for (int round = 0; round < 2; ++round) {
        void *library = dlopen(file, RTLD_NOW);
        if (!library) return 2;
        long (*toll)(long) = (long (*)(long))dlsym(library, "plugin_toll");
        printf("plugin=%ld\n", toll(20 + round));
        dlclose(library);
    }
    return 0;
}

static int chat(void) {
    char line[100];
    fputs("barge? ", stdout);
    fflush(stdout);
    while (fgets(line, sizeof line, stdin)) {
        line[strcspn(line, "\n")] = 0;
        printf("%s may pass, terminal %d\nbarge? ", line, isatty(0));
        fflush(stdout);
    }
    return 0;
}

int main(int argc, char **argv) {
    const char *what = argc > 1 ? argv[1] : "loops";
    if (!strcmp(what, "count")) return count(atoi(argv[2]), atol(argv[3]));
    if (!strcmp(what, "short")) return many_threads(atoi(argv[2]));
    if (!strcmp(what, "watch")) return watch();
    if (!strcmp(what, "jump")) return jump();
    if (!strcmp(what, "bell")) return bell();
    if (!strcmp(what, "deep")) return printf("depth=%d\n", descend(atoi(argv[2]))) < 0;
    if (!strcmp(what, "loops")) return loops();
    if (!strcmp(what, "fork")) return fork_child();
    if (!strcmp(what, "brood")) return brood(atoi(argv[2]));
    if (!strcmp(what, "flood")) return flood_of_lines(atoi(argv[2])), 0;
    if (!strcmp(what, "exec")) return exec_program(argv[0]);
    if (!strcmp(what, "leader")) leader_leaves();
    if (!strcmp(what, "killed")) return killed();
    if (!strcmp(what, "plugin")) return plugin(argv[2]);
    if (!strcmp(what, "chat")) return chat();
    if (!strcmp(what, "spin"))
        for (;;) count(8, 100000);
    return 9;
}
