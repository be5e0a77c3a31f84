/* A day at the flight: what is done to each chamber and barge, in the small functions and loops that optimisers take apart. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { CHAMBERS = 6, BARGES = 9 };

struct chamber {
    int level_cm, low_cm, high_cm;
    int passes;
};
struct barge {
    const char *name;
    int draught_cm, length_m;
    struct chamber *in;
};

static struct chamber flight[CHAMBERS];
static struct barge barges[BARGES];
static unsigned seed = 7;

static unsigned next_random(void) {
    seed = seed * 1103515245u + 12345u;
    return seed >> 16 & 0x7fff;
}

static inline int clamp(int value, int low, int high) {
    if (value < low)
        return low;
    if (value > high)
        return high;
    return value;
}

static int rise(struct chamber *chamber, int by_cm) {
    int before = chamber->level_cm;
    int wanted = before + by_cm;
    chamber->level_cm = clamp(wanted, chamber->low_cm, chamber->high_cm);
    return chamber->level_cm - before;
}

static int toll(const struct barge *barge) {
    int base = 12;
    if (barge->draught_cm > 110)
        base += 20;
    base += barge->length_m / 3;
    return base;
}

void prepare(void) {
    for (int i = 0; i < CHAMBERS; ++i) {
        flight[i].low_cm = 100 + 10 * i;
        flight[i].high_cm = flight[i].low_cm + 180;
        flight[i].level_cm = flight[i].low_cm;
        flight[i].passes = 0;
    }
    static const char *names[] = {"Wren", "Heron", "Teal", "Coot", "Swift", "Rook", "Dipper", "Grebe", "Snipe"};
    for (int i = 0; i < BARGES; ++i) {
        barges[i].name = names[i];
        barges[i].draught_cm = 80 + (int)(next_random() % 60);
        barges[i].length_m = 12 + (int)(next_random() % 10);
        barges[i].in = NULL;
    }
}

int sum_levels(const int *levels, int count) {
    int sum = 0;
    for (int i = 0; i < count; ++i)
        sum += levels[i];
    return sum;
}

int weigh(const int *draughts, const int *lengths, int count) {
    int total = 0;
    int most = 0;
    for (int i = 0; i < count; ++i) {
        int weight = draughts[i] * lengths[i];
        if (weight > most)
            most = weight;
        total += weight;
    }
    return total - most;
}

int sort_by_draught(struct barge **queue, int count) {
    int swaps = 0;
    for (int i = 1; i < count; ++i) {
        struct barge *moved = queue[i];
        int k = i - 1;
        while (k >= 0 && queue[k]->draught_cm > moved->draught_cm) {
            queue[k + 1] = queue[k];
            --k;
            ++swaps;
        }
        queue[k + 1] = moved;
    }
    return swaps;
}

enum order { OPEN, CLOSE, FILL, DRAIN, WAIT, END };

/* The keeper's orders, one after the other. */
int carry_out(const unsigned char *orders, struct chamber *chamber) {
    int done = 0;
    for (;;) {
        switch (*orders++) {
            case OPEN:
                chamber->passes++;
                break;
            case CLOSE:
                if (chamber->passes > 3)
                    chamber->passes = 3;
                break;
            case FILL:
                done += rise(chamber, 40);
                break;
            case DRAIN:
                done += rise(chamber, -25);
                break;
            case WAIT:
                continue;
            default:
                return done;
        }
        ++done;
    }
}

/* The same by a table of labels. */
int carry_out_quickly(const unsigned char *orders, struct chamber *chamber) {
    static void *const labels[] = {&&open, &&close, &&fill, &&drain, &&wait, &&end};
    int done = 0;
    goto *labels[*orders++];
open:
    chamber->passes++;
    goto *labels[*orders++];
close:
    if (chamber->passes > 3)
        chamber->passes = 3;
    goto *labels[*orders++];
fill:
    done += rise(chamber, 40);
    goto *labels[*orders++];
drain:
    done += rise(chamber, -25);
    goto *labels[*orders++];
wait:
    ++done;
    goto *labels[*orders++];
end:
    return done;
}

unsigned check_sum(const char *text) {
    unsigned sum = 5381;
    while (*text)
        sum = sum * 33 + (unsigned char)*text++;
    return sum;
}

int pass(struct barge *barge, int chambers) {
    int paid = 0;
    int i = 0;
    do {
        barge->in = &flight[i];
        paid += toll(barge);
        rise(&flight[i], barge->draught_cm / 2);
        ++i;
    } while (i < chambers);
    barge->in = NULL;
    return paid;
}

static int give_up(const char *why) {
    fprintf(stderr, "the day ends: %s\n", why);
    return 3;
}

int main(int argc, char **argv) {
    int days = argc > 1 ? atoi(argv[1]) : 1;
    if (days > 100)
        return give_up("too many days");
    prepare();
    int levels[CHAMBERS];
    int draughts[BARGES], lengths[BARGES];
    struct barge *queue[BARGES];
    long total = 0;
    for (int i = 0; i < BARGES; ++i) {
        draughts[i] = barges[i].draught_cm;
        lengths[i] = barges[i].length_m;
        queue[i] = &barges[i];
    }
    total += sort_by_draught(queue, BARGES);
    for (int i = 0; i < BARGES; ++i)
        total += pass(queue[i], 1 + i % CHAMBERS);
    for (int i = 0; i < CHAMBERS; ++i)
        levels[i] = flight[i].level_cm;
    total += sum_levels(levels, CHAMBERS);
    total += weigh(draughts, lengths, BARGES);
    static const unsigned char orders[] = {OPEN, FILL, CLOSE, WAIT, DRAIN, OPEN, OPEN, OPEN, CLOSE, END};
    total += carry_out(orders, &flight[1]);
    total += carry_out_quickly(orders, &flight[2]);
    total += check_sum(barges[2].name) % 100;
    printf("%ld\n", total);
    return 0;
}
