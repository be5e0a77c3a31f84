/* A fork in the middle of watching: what the program gets back from it must be what it gets without us. */
#include <stdio.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

static int gates[3] = {1, 2, 3};
static char berths[3 * 4096];

int twice(int gate) { return gate * 2; }

int main(int count, char **words) {
    memset(berths, 1, sizeof berths);
    pid_t child = count > 1 && words[1][0] == 'v' ? vfork() : fork(); /* here */
    if (child == 0) {
        berths[5000] = 7;
        _exit(twice(gates[0]));
    }
    int status = 0;
    pid_t ended = waitpid(child, &status, 0);
    printf("fork gave %s, %s ended with %d\n", child > 0 ? "a child" : child < 0 ? "an error" : "nothing", ended == child ? "it" : "another", WEXITSTATUS(status));
    return 0;
}
