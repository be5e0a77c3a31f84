/* One way to fail for each name that is given: what its diagnosis must say stands in diagnosis_test.cpp. */
#include <assert.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define APART __attribute__((noinline))

struct barge {
    int number;
    int draught_cm;
    struct barge *next;
    const char *name;
};
struct gate {
    int level_cm;
    struct barge *waiting;
    int (*toll)(struct barge *);
};
struct flight {
    int count;
    struct gate gates[6];
};

static struct flight flight;
static struct barge *first_of_day;
static int table[8] = {3, 5000000, 2, 1, 0, 7, 8, 9};
static volatile long sink;
static volatile int zero;

static struct barge *barge(int number, struct barge *next) {
    struct barge *made = malloc(sizeof *made);
    made->number = number;
    made->draught_cm = 90 + number;
    made->next = next;
    made->name = "Wren";
    return made;
}

APART int second_draught(struct barge *queue) {
    return queue->next->draught_cm;
}

APART struct barge *find(struct barge *queue, int number) {
    for (struct barge *each = queue; each; each = each->next)
        if (each->number == number) return each;
    return NULL;
}
APART int draught_of(struct barge *queue, int number) {
    struct barge *found = find(queue, number);
    sink = number;
    return found->draught_cm;
}

APART int admit(struct barge *entering) {
    sink++;
    return entering->draught_cm;
}
APART int open_gate(struct barge *arriving, int gate) {
    int water = gate * 2;
    sink = water;
    return admit(arriving) + water;
}

APART int level_at(const int *levels, int day) {
    return levels[day];
}
APART int level_of_day(const int *levels, int which) {
    int day = table[which];
    return level_at(levels, day);
}

APART int average(int sum, int count) {
    return sum / count;
}
APART int average_of_none(int sum) {
    int passed = zero;
    return average(sum, passed);
}

APART int toll_at(struct gate *gate, struct barge *passing) {
    return gate->toll(passing) + 1;
}

APART int draught_of_waiting(int gate) {
    return flight.gates[gate].waiting->draught_cm;
}
APART int draught_of_fourth(void) {
    return flight.gates[3].waiting->draught_cm;
}
APART int draught_of_first(void) {
    return first_of_day->draught_cm;
}

APART int pass_until(struct barge *queue, int number) {
    struct barge *at = queue;
    int sum = 0;
    while (at->number != number) {
        sum += at->draught_cm;
        at = at->next;
    }
    return sum;
}

APART int draught_of_gone(void) {
    struct barge *gone = barge(4, barge(5, NULL));
    free(gone->next);
    free(gone);
    return gone->next->draught_cm;
}

APART void set_to_none(struct barge **where) {
    *where = NULL;
}
APART int draught_by_address(void) {
    struct barge *chosen = barge(1, NULL);
    set_to_none(&chosen);
    return chosen->draught_cm;
}

APART long length_of(const char *label) {
    return (long)strlen(label) + 1;
}

APART int read_label(void) {
    struct barge *named = barge(2, NULL);
    memcpy(&named->next, "timber, ", 8);
    return named->next->draught_cm;
}

/* The wrong pointer is not the one that the line has besides. */
APART int both(struct barge *sound, struct barge *missing) {
    return sound->draught_cm + missing->draught_cm;
}

APART int reset_and_use(struct barge *given) {
    struct barge *held = given;
    if (given->number > 1) held = NULL;
    sink = given->number;
    return held->draught_cm;
}

APART void check_draught(struct barge *given) {
    assert(given->draught_cm < 50);
}

/* The queue leads back to itself: it never ends. */
APART int count_queue(struct barge *queue, int limit) {
    int counted = 0;
    for (struct barge *each = queue; each; each = each->next) {
        counted++;
        for (volatile int slow = 0; slow < 1000; slow++) {
        }
    }
    return counted + limit;
}

/* What an optimiser knows beforehand: it keeps no place for `last`. */
APART int draught_of_last(struct barge *given, int day) {
    struct barge *last = given;
    if (day > 6) last = NULL;
    sink = day;
    return last->draught_cm + given->number;
}

int main(int count, char **words) {
    const char *what = count > 1 ? words[1] : "";
    struct barge *queue = barge(1, barge(2, NULL));
    static int levels[10];
    if (!strcmp(what, "member")) return second_draught(barge(3, NULL));
    if (!strcmp(what, "returned")) return draught_of(queue, 7);
    if (!strcmp(what, "passed")) return open_gate(NULL, 4);
    if (!strcmp(what, "index")) return level_of_day(levels, 1);
    if (!strcmp(what, "divisor")) return average_of_none(100);
    if (!strcmp(what, "called")) return toll_at(&flight.gates[2], queue);
    if (!strcmp(what, "element")) return draught_of_waiting(3);
    if (!strcmp(what, "fourth")) return draught_of_fourth();
    if (!strcmp(what, "global")) return draught_of_first();
    if (!strcmp(what, "loop")) return pass_until(queue, 9);
    if (!strcmp(what, "gone")) return draught_of_gone();
    if (!strcmp(what, "address")) return draught_by_address();
    if (!strcmp(what, "library")) return (int)length_of(NULL);
    if (!strcmp(what, "text")) return read_label();
    if (!strcmp(what, "both")) return both(queue, NULL);
    if (!strcmp(what, "ways")) return reset_and_use(barge(5, NULL));
    if (!strcmp(what, "known")) return draught_of_last(queue, 7);
    if (!strcmp(what, "round")) {
        queue->next->next = queue;
        return count_queue(queue, 77);
    }
    if (!strcmp(what, "assert")) check_draught(queue);
    if (!strcmp(what, "twice")) {
        char *label = malloc(20);
        free(label);
        free(label);
    }
    return 0;
}
