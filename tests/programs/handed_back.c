/* A berth is looked up by way of two functions; the third time there is none, and nobody asks. */
#include <stdio.h>
#include <string.h>

struct berth {
    char name[8];
    int depth;
};

static struct berth berths[] = {{"Ash", 3}, {"Birch", 4}, {"Cedar", 5}};

__attribute__((noinline)) static struct berth *find(const char *name) {
    if (!*name) return NULL;
    for (unsigned i = 0; i < sizeof berths / sizeof *berths; ++i) {
        if (strcmp(berths[i].name, name) == 0) return &berths[i];
    }
    return NULL; /* of no berth */
}

__attribute__((noinline)) static struct berth *choose(const char *wish, int *asked) {
    ++*asked;
    if (*wish == '!') {
        struct berth *found = find(wish + 1);
        return found;
    }
    return &berths[0];
}

int main(void) {
    const char *wishes[] = {"", "!Birch", "!Dogwood", "!"};
    int asked = 0, sum = 0;
    for (unsigned i = 0; i < 4; ++i) {
        struct berth *berth = choose(wishes[i], &asked);
        sum += berth->depth;
        printf("%s %d\n", berth->name, asked);
        fflush(stdout);
    }
    return sum;
}
