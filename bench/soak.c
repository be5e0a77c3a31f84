/* Threads that come and go, 64 at a time, for so many seconds: each passes a breakpoint, raises signals, forks, and now and then starts
   another program. At the end it says how often it passed. */
#define _GNU_SOURCE
#include <pthread.h>
#include <signal.h>
#include <stdatomic.h>
#include <stdio.h>
#include <stdlib.h>
#include <sys/wait.h>
#include <time.h>
#include <unistd.h>

static atomic_long passed, signalled, forked, started;

static void on_signal(int signal) { (void)signal; atomic_fetch_add(&signalled, 1); }

__attribute__((noinline)) long pass(long barge) {
    atomic_fetch_add(&passed, 1);
    __asm__ volatile("" : "+r"(barge));
    return barge + 1;
}

static void *work(void *argument) {
    long barge = (long)argument;
    unsigned seed = (unsigned)barge;
    for (int turn = 0; turn < 20; ++turn) {
        barge = pass(barge);
        int dice = rand_r(&seed) % 100;
        if (dice < 10) pthread_kill(pthread_self(), SIGUSR1);
        if (dice >= 97) {
            pid_t child = dice == 99 ? vfork() : fork();
            if (child == 0) {
                if (dice == 97) _exit(pass(3) == 4 ? 0 : 1);
                execl("/bin/true", "true", (char *)0);
                _exit(1);
            }
            int status = 0;
            if (child > 0 && (waitpid(child, &status, 0) != child || status != 0)) printf("child %d ended with %d\n", child, status);
            atomic_fetch_add(dice == 97 ? &forked : &started, 1);
        }
    }
    return 0;
}

int main(int count, char **words) {
    long seconds = count > 1 ? atol(words[1]) : 5, born = 0;
    struct sigaction action = {.sa_handler = on_signal, .sa_flags = SA_RESTART};
    sigaction(SIGUSR1, &action, 0);
    setvbuf(stdout, 0, _IONBF, 0);  // what it says is to be seen where it stands still too
    pthread_t threads[64];
    time_t end = time(0) + seconds;
    for (int i = 0; i < 64; ++i) pthread_create(&threads[i], 0, work, (void *)++born);
    for (int i = 0; time(0) < end; i = (i + 1) % 64) {
        pthread_join(threads[i], 0);
        pthread_create(&threads[i], 0, work, (void *)++born);
    }
    for (int i = 0; i < 64; ++i) pthread_join(threads[i], 0);
    printf("passed %ld, threads %ld, signals %ld, forks %ld, programs %ld\n", passed, born, signalled, forked, started);
    return 0;
}
