// Forks while another thread goes through the library that prepares itself for forks.
#include <pthread.h>
#include <stdio.h>
#include <sys/wait.h>
#include <unistd.h>

void pass_gate(void);
static volatile int closed;

static void* pass(void* none) {
    while (!closed) pass_gate();
    return none;
}

int main(void) {
    int ended = 0;
    pthread_t other;
    pthread_create(&other, NULL, pass, NULL);
    for (int boat = 0; boat < 50; ++boat) {
        int status = 0;
        if (fork() == 0) {
            pass_gate();
            _exit(3);
        }
        wait(&status);
        ended += WEXITSTATUS(status) == 3;
    }
    closed = 1;
    pthread_join(other, NULL);
    printf("%d boats are back\n", ended);
    return 0;
}
