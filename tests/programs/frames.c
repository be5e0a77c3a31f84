/* A signal handler in the middle of a stack, and functions that call through each other. Each prints where it will
   return to and where its frame is: the witness for a walk of the stack. */
#include <signal.h>
#include <stdio.h>

volatile int seen;

#define REPORT(name) printf(#name "_returns_to=%p\n" #name "_frame=%p\n", __builtin_return_address(0), __builtin_frame_address(0))

void innermost(int number) {
    REPORT(innermost);
    fflush(stdout);
    seen = number;
}
static void on_signal(int number) { innermost(number); }
void middle(void) {
    REPORT(middle);
    raise(SIGUSR1);
    seen++;
}
void outer(void) {
    REPORT(outer);
    middle();
    seen++;
}

int main(void) {
    signal(SIGUSR1, on_signal);
    outer();
    printf("seen=%d\n", seen);
    return 0;
}
