// Ends by the allocator's own check, or by a failed assertion, in the way that is asked for.
#include <assert.h>
#include <stdlib.h>
#include <string.h>

struct berth {
    int *marks, count, limit;
};

__attribute__((noinline)) static void release(struct berth* berth) {
    free(berth->marks);  // the block that is given back
    berth->marks = NULL;
}

__attribute__((noinline)) static void check(struct berth* berth, int least) {
    assert(berth->count >= least && (berth->limit != 12 || berth->marks[0] == 3));
}

int main(int argc, char** argv) {
    const char* how = argc > 1 ? argv[1] : "";
    struct berth berth = {malloc(1400 * sizeof(int)), 1400, 12};
    char* beside = malloc(5000);
    berth.marks[0] = 4;
    if (!strcmp(how, "twice")) {
        free(berth.marks);
        release(&berth);
    } else if (!strcmp(how, "overrun")) {
        memset(berth.marks, 'w', 1400 * sizeof(int) + 16);
        release(&berth);
    } else if (!strcmp(how, "inside")) {
        berth.marks += 4;
        release(&berth);
    } else if (!strcmp(how, "stack")) {
        int local[64] = {0};
        berth.marks = local + 8;
        release(&berth);
    } else if (!strcmp(how, "asserts")) {
        check(&berth, argc);
    } else {
        abort();  // nothing of the heap
    }
    return beside[0];
}
