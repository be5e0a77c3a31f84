// Faults of the heap, each with an innocent neighbour: misuses NAME, misuses NAME innocent.
// Of each it is known where it is found and which block it is about.
#include <malloc.h>
#include <pthread.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

#define KEPT __attribute__((noinline, noclone))

static int is_innocent;
char* volatile seen;
volatile int sum;

KEPT char* moor(size_t size) { return malloc(size); }
KEPT void cast_off(char* barge) { free(barge); }
KEPT void note(char* at, char what) { *(volatile char*)at = what; }
KEPT void look(const char* at) { sum += *(const volatile char*)at; }

KEPT static void write_behind(void) {
    char* label = moor(48);
    note(label + (is_innocent ? 47 : 48), 'W');
    cast_off(label);
}
KEPT static void read_behind(void) {
    char* label = moor(48);
    memset(label, 1, 48);
    look(label + (is_innocent ? 47 : 48));
    cast_off(label);
}
KEPT static void write_before(void) {
    char* label = moor(40);
    note(label - (is_innocent ? 0 : 3), 'W');
    cast_off(label);
}
KEPT static void write_far_behind(void) {
    char* label = moor(100);
    note(label + (is_innocent ? 99 : 110), 'W');
    cast_off(label);
}
KEPT static void read_freed(void) {
    char* label = moor(32);
    memset(label, 2, 32);
    if (is_innocent) look(label + 8);
    cast_off(label);
    if (!is_innocent) look(label + 8);
}
KEPT static void write_freed(void) {
    char* label = moor(32);
    if (is_innocent) note(label + 5, 'W');
    cast_off(label);
    if (!is_innocent) note(label + 5, 'W');
}
KEPT static void free_twice(void) {
    char* label = moor(24);
    cast_off(label);
    if (!is_innocent) cast_off(label);
}
KEPT static void free_inside(void) {
    char* label = moor(64);
    cast_off(label + (is_innocent ? 0 : 16));
}
KEPT static void free_stack(void) {
    char label[16] = "Wren";
    seen = is_innocent ? moor(16) : label;
    cast_off(seen);
}
KEPT static void free_global(void) {
    static char label[16];
    seen = is_innocent ? moor(16) : label;
    cast_off(seen);
}
KEPT static void realloc_freed(void) {
    char* label = moor(20);
    if (is_innocent) {
        free(realloc(label, 200));
        return;
    }
    cast_off(label);
    seen = realloc(label, 200);
}
KEPT static void stale_after_realloc(void) {
    char* label = moor(20);
    char* longer = realloc(label, 200);
    note(is_innocent ? longer + 1 : label + 1, 'W');
    cast_off(longer);
}
KEPT static void text_too_long(void) {
    char* label = moor(8);
    strcpy(label, is_innocent ? "Heron" : "Kingfish");
    seen = label;
    cast_off(label);
}
KEPT static void copy_too_much(void) {
    char draughts[96] = {0};
    char* kept = moor(64);
    memcpy(kept, draughts, is_innocent ? 64 : 96);
    seen = kept;
    cast_off(kept);
}
KEPT static void behind_zeroed(void) {
    volatile int* levels = calloc(10, sizeof *levels);
    levels[is_innocent ? 9 : 10] = 7;
    seen = (char*)levels;
    free((void*)levels);
}
KEPT static void behind_aligned(void) {
    char* page = aligned_alloc(64, 128);
    note(page + (is_innocent ? 127 : 128), 'W');
    free(page);
}
KEPT static void behind_large(void) {
    char* sheet = moor(1 << 20);
    note(sheet + (1 << 20) - (is_innocent ? 1 : 0), 'W');
    cast_off(sheet);
}
KEPT static void freed_large(void) {
    char* sheet = moor(1 << 20);
    if (is_innocent) note(sheet + 5000, 'W');
    cast_off(sheet);
    if (!is_innocent) note(sheet + 5000, 'W');
}
struct berth {
    struct berth* next;
    int draught;
};
KEPT static void never_set(void) {
    struct berth* first = (struct berth*)moor(sizeof *first);
    if (is_innocent) first->next = 0;
    struct berth* volatile next = first->next;
    if (next) sum += next->draught;
    cast_off((char*)first);
}
KEPT static void forgotten(void) {
    for (int i = 0; i < 5; ++i) {
        seen = moor(72);
        note(seen, 'x');
        if (is_innocent) cast_off(seen);
    }
    seen = 0;
}
static void* other_thread(void* label) {
    cast_off(label);
    return 0;
}
KEPT static void freed_by_thread(void) {
    char* label = moor(56);
    pthread_t thread;
    pthread_create(&thread, 0, other_thread, label);
    pthread_join(thread, 0);
    if (!is_innocent) cast_off(label);
}
static pthread_barrier_t both;
static char* volatile shared_label;
static void* one_of_two(void* is_second) {
    for (int i = 0; i < 200; ++i) {
        pthread_barrier_wait(&both);
        if (!is_second || !is_innocent) cast_off(shared_label);
        pthread_barrier_wait(&both);
    }
    return 0;
}
KEPT static void freed_by_two(void) {
    pthread_t threads[2];
    pthread_barrier_init(&both, 0, 3);
    for (long i = 0; i < 2; ++i) pthread_create(&threads[i], 0, one_of_two, (void*)i);
    for (int i = 0; i < 200; ++i) {
        shared_label = moor(56);
        pthread_barrier_wait(&both);
        pthread_barrier_wait(&both);
    }
    for (int i = 0; i < 2; ++i) pthread_join(threads[i], 0);
    shared_label = 0;
}
KEPT static void freed_by_child(void) {
    char* label = moor(56);
    if (fork() == 0) {
        cast_off(label);
        _exit(0);
    }
    wait(0);
    cast_off(label);
    if (!is_innocent) cast_off(label);
}

// What calls have left on the stack could still lead to a block that is lost.
KEPT static void wipe_stack(void) {
    volatile char room[16384];
    for (size_t i = 0; i < sizeof room; ++i) room[i] = 0;
}

int main(int argc, char** argv) {
    static const struct {
        const char* name;
        void (*run)(void);
    } cases[] = {{"write-behind", write_behind},
                 {"read-behind", read_behind},
                 {"write-before", write_before},
                 {"write-far-behind", write_far_behind},
                 {"read-freed", read_freed},
                 {"write-freed", write_freed},
                 {"free-twice", free_twice},
                 {"free-inside", free_inside},
                 {"free-stack", free_stack},
                 {"free-global", free_global},
                 {"realloc-freed", realloc_freed},
                 {"stale-after-realloc", stale_after_realloc},
                 {"text-too-long", text_too_long},
                 {"copy-too-much", copy_too_much},
                 {"behind-zeroed", behind_zeroed},
                 {"behind-aligned", behind_aligned},
                 {"behind-large", behind_large},
                 {"freed-large", freed_large},
                 {"never-set", never_set},
                 {"forgotten", forgotten},
                 {"freed-by-thread", freed_by_thread},
                 {"freed-by-two", freed_by_two},
                 {"freed-by-child", freed_by_child}};
    is_innocent = argc > 2;
    for (size_t i = 0; argc > 1 && i < sizeof cases / sizeof *cases; ++i)
        if (strcmp(argv[1], cases[i].name) == 0) cases[i].run();
    wipe_stack();
    puts("closed");
    return 0;
}
