// Calls whose target is read through a pointer that leads nowhere.
#include <stdlib.h>
#include <string.h>

struct Work {
    int (*open)(int level);
    int (*close)(int level);
};
struct Gate {
    const struct Work* work;
    int level;
};

__attribute__((noinline)) int open_first(struct Gate* gate) {
    return gate->work->open(gate->level) + 1;
}

__attribute__((noinline)) int close_first(struct Gate* gate) {
    return gate->work->close(gate->level) + 1;
}

__attribute__((noinline)) int left_over(int tons, int berths) {
    return tons % berths;
}

int main(int count, char** words) {
    struct Gate* gate = malloc(sizeof *gate);
    memset(gate, 0x5a, sizeof *gate);
    if (words[1][0] == 'n') gate->work = NULL;
    if (words[1][0] == 'l') return left_over(10, count - 2);
    return words[1][1] == 'o' ? open_first(gate) : close_first(gate);
}
