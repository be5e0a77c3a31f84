// A process and its children, which work beside each other, wait for each other, fail and end.
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

volatile long total;

__attribute__((noinline)) void work(int who, int round) {
    total += who + round;
}

static void work_often(int who, int rounds) {
    for (int round = 0; round < rounds; ++round) work(who, round);
}

static int ends_of(int children) {
    int sum = 0;
    for (int i = 0; i < children; ++i) {
        int status = 0;
        wait(&status);
        sum += WIFEXITED(status) ? WEXITSTATUS(status) : 100 + WTERMSIG(status);
    }
    return sum;
}

static int many(int children, int rounds) {
    for (int child = 1; child <= children; ++child)
        if (fork() == 0) {
            work_often(child, rounds);
            _exit(child);
        }
    work_often(0, rounds);
    int sum = ends_of(children);
    printf("sum %d total %ld\n", sum, total);
    return 0;
}

static int grandchildren(int depth) {
    work(depth, 0);
    if (depth == 0) return 0;
    if (fork() == 0) _exit(grandchildren(depth - 1) + depth);
    int sum = ends_of(1);
    work(depth, 1);
    return sum;
}

static int talk(void) {
    int way[2];
    char letter = 0;
    if (pipe(way) != 0) return 1;
    if (fork() == 0) {
        work(1, 1);
        letter = 'w';
        return write(way[1], &letter, 1) == 1 ? 3 : 1;
    }
    long got = read(way[0], &letter, 1);
    work(0, letter);
    printf("got %ld %c, end %d\n", got, letter, ends_of(1));
    return 0;
}

static int crash(void) {
    if (fork() == 0) {
        volatile int* nowhere = 0;
        work(1, 1);
        *nowhere = 1;
    }
    printf("end %d\n", ends_of(1));
    return 0;
}

__attribute__((noinline)) void mark(int round) {
    total += round;
}

// The parent is stopped again and again while the children work.
static int marks(int children, int rounds) {
    for (int child = 1; child <= children; ++child)
        if (fork() == 0) {
            work_often(child, rounds);
            _exit(child);
        }
    for (int round = 0; round < 50; ++round) mark(round);
    printf("sum %d\n", ends_of(children));
    return 0;
}

static int becomes(void) {
    if (fork() == 0) return execl("/bin/true", "true", (char*)0);
    printf("end %d\n", ends_of(1));
    return 0;
}

static int spin(int processes) {
    for (int i = 1; i < processes; ++i)
        if (fork() == 0) break;
    for (;;) work(0, 1);
}

int main(int count, char** words) {
    const char* mode = count > 1 ? words[1] : "many";
    if (strcmp(mode, "talk") == 0) return talk();
    if (strcmp(mode, "crash") == 0) return crash();
    if (strcmp(mode, "spin") == 0) return spin(count > 2 ? atoi(words[2]) : 1);
    if (strcmp(mode, "marks") == 0) return marks(3, 2000);
    if (strcmp(mode, "becomes") == 0) return becomes();
    if (strcmp(mode, "deep") == 0) return grandchildren(4);
    return many(count > 2 ? atoi(words[2]) : 3, count > 3 ? atoi(words[3]) : 100);
}
