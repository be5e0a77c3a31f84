// Faults that the compilers' sanitizers find. Its argument says which.
#include <pthread.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

struct toll {
    int barge;
    int cents[4];
};

static int sum_of(const struct toll* toll, int count) {
    int sum = 0;
    for (int i = 0; i < count; ++i) sum += toll->cents[i];
    return sum;
}

static int scaled(int level, int by) {
    int result = level * by;
    return result;
}

static int shifted(int level, int by) {
    int result = level << by;
    return result;
}

static int passed;

static void* pass(void* times) {
    for (long i = 0; i < (long)times; ++i) ++passed;
    return 0;
}

int main(int argc, char** argv) {
    const char* what = argc > 1 ? argv[1] : "";
    struct toll* toll = calloc(1, sizeof *toll);
    int sum = sum_of(toll, strcmp(what, "behind") == 0 ? 5 : 4);
    if (strcmp(what, "undefined") == 0) sum += scaled(2000000000, argc) + shifted(1, argc + 40);
    if (strcmp(what, "race") == 0) {
        pthread_t one, other;
        pthread_create(&one, 0, pass, (void*)1000l);
        pthread_create(&other, 0, pass, (void*)1000l);
        pthread_join(one, 0);
        pthread_join(other, 0);
    }
    if (strcmp(what, "leak") != 0) free(toll);
    toll = 0;
    printf("sum %d\n", sum != 0);
    return 0;
}
