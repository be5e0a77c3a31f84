// A child that does something of its own, and a parent that waits for it or not.
#include <stdio.h>
#include <sys/wait.h>
#include <unistd.h>

__attribute__((noinline)) int helper(int n) { return n * 2; }

int main(int count, char** words) {
    pid_t child = fork();
    if (child == 0) {
        helper(3);
        _exit(4);
    }
    printf("child %d\n", child);
    fflush(stdout);
    if (count > 1) {
        int status = 0;
        waitpid(child, &status, 0);
        printf("status %d\n", status);
    }
    return helper(5) == 10 ? 0 : 1;
}
