/* A signal handler in the middle of a stack, and functions that call through each other. */
#include <signal.h>
#include <stdio.h>

volatile int seen;

void innermost(int number) { seen = number; }
static void on_signal(int number) { innermost(number); }
void middle(void) { raise(SIGUSR1); }
void outer(void) { middle(); }

int main(void) {
    signal(SIGUSR1, on_signal);
    outer();
    printf("%d\n", seen);
    return 0;
}
