/* Ends the way its argument says. */
#include <pthread.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

struct barge { int draught; struct barge *next; };

static int draught_of(struct barge *barge) { return barge->next->draught; }
static int share(int whole, int parts) { return whole / parts; }
static int deeper(int depth) { return depth <= 0 ? 0 : 1 + deeper(depth - 1); }

volatile long counter;
static void turn(long times) {
    for (long i = 0; i < times; i++)
        counter += i;
}

static void *keeper(void *argument) {
    turn(1000);
    long number = (long)argument;
    return (void *)(number * 2);
}

static void on_user_signal(int signal) { counter += signal; }

int main(int argc, char **argv) {
    const char *how = argc > 1 ? argv[1] : "";
    struct barge lonely = {130, 0};
    if (strcmp(how, "null") == 0)
        return draught_of(&lonely);
    if (strcmp(how, "zero") == 0)
        return share(12, argc - 2);
    if (strcmp(how, "abort") == 0)
        abort();
    if (strcmp(how, "call") == 0) {
        void (*nowhere)(void) = 0;
        nowhere();
    }
    if (strcmp(how, "deep") == 0)
        return deeper(200) == 200 ? 0 : 1;
    if (strcmp(how, "spin") == 0)
        for (;;)
            turn(1000000);
    if (strcmp(how, "busy") == 0) {
        turn(2500000);
        puts("turned");
        return 0;
    }
    if (strcmp(how, "echo") == 0) {
        char line[64];
        while (fgets(line, sizeof line, stdin))
            printf("heard %s", line);
        printf("%s\n%s\n", getenv("CANAL") ? getenv("CANAL") : "no canal", argc > 2 ? argv[2] : "no argument");
        char folder[256];
        puts(getcwd(folder, sizeof folder));
        return 0;
    }
    if (strcmp(how, "signal") == 0) {
        signal(SIGUSR1, on_user_signal);
        raise(SIGUSR1);
        raise(SIGTERM);
    }
    if (strcmp(how, "fork") == 0) {
        pid_t child = fork();
        if (child == 0) {
            turn(10);
            _exit(7);
        }
        int status = 0;
        waitpid(child, &status, 0);
        turn(10);
        return WEXITSTATUS(status);
    }
    if (strcmp(how, "threads") == 0) {
        pthread_t threads[4];
        long sum = 0;
        for (long i = 0; i < 4; i++)
            pthread_create(&threads[i], 0, keeper, (void *)i);
        for (int i = 0; i < 4; i++) {
            void *result;
            pthread_join(threads[i], &result);
            sum += (long)result;
        }
        printf("sum=%ld\n", sum);
        return (int)sum;
    }
    return 0;
}
