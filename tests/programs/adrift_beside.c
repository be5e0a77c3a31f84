// Functions that never come back, and some that only seem not to.
#include <setjmp.h>
#include <stdio.h>
#include <stdlib.h>
#include <unistd.h>

static jmp_buf shore;

__attribute__((noinline)) void tell(const char *what, int line) {
    fprintf(stderr, "line %d: %s\n", line, what);
}

// By what it calls, two calls deep.
__attribute__((noinline)) static void abandon(int status) {
    if (status > 1) abort();
    exit(status);
}

void cast_adrift(const char *what, int line) {
    tell(what, line);
    if (line % 2)
        abandon(1);
    else
        abandon(2);
}

// A name of the C library's, and it comes back.
void err(int status, const char *what, ...) {
    tell(what, status);
}

// It leaves by a jump to one that never comes back.
void drift(int status) {
    tell("drifting", status);
    abandon(status);
}

// Round and round.
void wait_for_ever(void) {
    for (;;) pause();
}

void swim_ashore(int how) {
    longjmp(shore, how);
}

// It comes back on one way.
int warn_of(const char *what, int line) {
    tell(what, line);
    if (line > 100) abandon(3);
    return line > 50;
}

__attribute__((cold)) void complain(int kind) {
    tell("no such tide", kind);
}

// It comes back where it is asked softly, which nobody does.
void give_in(const char *what, int softly) {
    tell(what, softly);
    if (!softly) abandon(1);
}

struct entry {
    int depth, width;
    char name[24];
};

const char *next_entry(const char *list, struct entry *entry) {
    entry->depth = list[0] - 'a';
    entry->width = 2;
    entry->name[0] = list[0];
    return list + 1;
}

// Each calls the other, and both come back.
void turn_back(int turns);
__attribute__((noinline)) void turn(int turns) {
    tell("turn", turns);
    if (turns > 0) turn_back(turns - 1);
}
__attribute__((noinline)) void turn_back(int turns) {
    tell("back", turns);
    if (turns > 0) turn(turns - 1);
}
