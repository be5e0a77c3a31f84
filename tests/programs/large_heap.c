// A heap of 60 MB, in which one barge points to another that has been freed.
#include <stdlib.h>

struct barge {
    int draught_cm;
    struct barge *next;
};

static void *kept[60000];

__attribute__((noinline)) static int moored(struct barge *first) { return first->draught_cm; }

int main(void) {
    for (int i = 0; i < 60000; ++i) kept[i] = malloc(1000);
    struct barge *first = malloc(sizeof *first), *gone = malloc(sizeof *gone);
    first->draught_cm = 130;
    first->next = gone;
    free(gone);
    return moored(first) != 130;
}
