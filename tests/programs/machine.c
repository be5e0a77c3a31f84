/* What lies below the source: registers with known contents, tail calls, recursion in circles, a call of nothing, a stack that is
   run over, a signal in the middle, frames that only their call-frame information can tell. */
#include <signal.h>
#include <sys/mman.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define NOINLINE __attribute__((noinline))

long odd_pushes(long);      /* odd_frames.S */
long odd_moved_frame(long);
long odd_realigned(long);

volatile long sink;
int level = 7;
static const double lanes[4] = {1.5, -2.25, 1e10, 0.5};
static const unsigned words[4] = {0x11111111, 0x22222222, 0xdeadbeef, 0x44444444};

NOINLINE static int vectors(void) {
    __asm__ volatile("movups %0, %%xmm5\n movups %1, %%xmm6\n movups %2, %%xmm7\n fldpi\n" ::"m"(lanes[0]), "m"(lanes[2]), "m"(words[0]) : "xmm5", "xmm6", "xmm7");
    sink = 1;
    __asm__ volatile("fstp %%st(0)" ::: "st");
    return level;
}

NOINLINE long innermost(long x) {
    sink = x;
    return x * 2;
}
NOINLINE static long second(long x) { return innermost(x + 2); }
NOINLINE long first(long x) { return second(x + 1); }
NOINLINE static long tails(long x) {
    long made = first(x);
    sink = made;
    return made + 1;
}

NOINLINE static long chamber(long left);
NOINLINE static long gate(long left) {
    long below = left > 0 ? chamber(left - 1) : innermost(3);
    sink = below;
    return below + 1;
}
NOINLINE static long sluice(long left) {
    long below = gate(left);
    sink = below;
    return below + 1;
}
NOINLINE static long chamber(long left) {
    long below = sluice(left);
    sink = below;
    return below + 1;
}

NOINLINE static long deep(long left) {
    long below = left > 0 ? deep(left - 1) : innermost(4);
    sink = below;
    return below + 1;
}

NOINLINE static int call_nothing(int (*keeper)(int)) {
    int got = keeper(3);
    sink = got;
    return got + 1;
}

NOINLINE static void run_over(void) {
    volatile char word[16];
    static int i; /* out of the way of what is written */
    for (i = 0; i < 72; ++i) word[i] = "GATE"[i % 4];
    sink = word[3];
}

/* Code that is made while the program runs: push rbp; mov rbp, rsp; call rsi; pop rbp; ret */
NOINLINE static long call_made_code(long x) {
    static const unsigned char code[] = {0x55, 0x48, 0x89, 0xe5, 0xff, 0xd6, 0x5d, 0xc3};
    void *made = mmap(0, 4096, PROT_READ | PROT_WRITE | PROT_EXEC, MAP_PRIVATE | MAP_ANONYMOUS, -1, 0);
    memcpy(made, code, sizeof code);
    long got = ((long (*)(long, long (*)(long)))made)(x, innermost);
    sink = got;
    return got + 1;
}

__attribute__((cold)) NOINLINE static void flood(long x) { printf("flood %ld\n", x); }
NOINLINE static long with_cold_part(long x) {
    if (__builtin_expect(x > 1000, 0)) {
        flood(x);
        flood(x + 1);
        return -x;
    }
    return innermost(x) + 1;
}

static void handler(int signal) { innermost(signal); }

int main(int argc, char **argv) {
    const char *what = argc > 1 ? argv[1] : "";
    long count = argc > 2 ? atol(argv[2]) : 3;
    if (!strcmp(what, "vectors")) return vectors() == 7 ? 0 : 1;
    if (!strcmp(what, "tails")) printf("%ld\n", tails(5));
    if (!strcmp(what, "cycle")) printf("%ld\n", chamber(count));
    if (!strcmp(what, "deep")) printf("%ld\n", deep(count));
    if (!strcmp(what, "null")) return call_nothing(0);
    if (!strcmp(what, "smash")) run_over();
    if (!strcmp(what, "made")) printf("%ld\n", call_made_code(count));
    if (!strcmp(what, "cold")) printf("%ld\n", with_cold_part(count));
    if (!strcmp(what, "odd")) printf("%ld\n", odd_pushes(2) + odd_moved_frame(3) + odd_realigned(4));
    if (!strcmp(what, "signal")) {
        signal(SIGUSR1, handler);
        raise(SIGUSR1);
    }
    return 0;
}
