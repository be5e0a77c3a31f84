// Variables that an optimiser keeps nowhere, moves, or forgets to account for. With
// `// tell` made `tell`, and without optimisation, it prints what each is before the line below runs: the
// truth for the other builds.
#include <stdio.h>

#ifdef TELL
#define ONE(name) printf(" " #name "=%u", name);
#define tell1(a) ONE(a)
#define tell2(a, b) ONE(a) ONE(b)
#define tell3(a, b, c) ONE(a) ONE(b) ONE(c)
#define tell4(a, b, c, d) ONE(a) ONE(b) ONE(c) ONE(d)
#define tell5(a, b, c, d, e) ONE(a) ONE(b) ONE(c) ONE(d) ONE(e)
#define tell6(a, b, c, d, e, f) tell5(a, b, c, d, e) ONE(f)
#define tell(count, ...) printf("@%u %d", calls, __LINE__ + 1); tell##count(__VA_ARGS__) printf("\n")
#endif

typedef struct {
    unsigned level, flow;
} Lock;

volatile unsigned calls;
unsigned noted, cells[16];

__attribute__((noinline)) void note(unsigned value) {
    __asm__ volatile("" : : "r"(value) : "memory");
    noted += value;
}
__attribute__((noinline)) unsigned ask(unsigned value) {
    __asm__ volatile("" : "+r"(value) : : "memory");
    return value * 7 + 3;
}

// Sums that nobody needs, of what is still there.
__attribute__((noinline)) unsigned toll(unsigned boats, unsigned rate) {
    // tell(2, boats, rate);
    unsigned base = boats * 3 + rate;
    // tell(3, boats, rate, base);
    unsigned share = base >> 1;
    // tell(4, boats, rate, base, share);
    note(base);
    // tell(4, boats, rate, base, share);
    unsigned rest = (share ^ boats) & 255;
    // tell(5, boats, rate, base, share, rest);
    rest += rate;
    // tell(5, boats, rate, base, share, rest);
    note(boats);
    // tell(5, boats, rate, base, share, rest);
    return base + rate;
}

// Statements without code, all at one address.
__attribute__((noinline)) unsigned lapse(unsigned gate) {
    // tell(1, gate);
    unsigned level = gate + 1;
    // tell(2, gate, level);
    note(level);
    // tell(2, gate, level);
    level = 7;
    // tell(2, gate, level);
    level = level * 3;
    // tell(2, gate, level);
    level = 5;
    // tell(2, gate, level);
    note(gate);
    // tell(2, gate, level);
    return gate;
}

// What is set and not used again, beside what is.
__attribute__((noinline)) unsigned fill(unsigned water, unsigned way) {
    // tell(2, water, way);
    Lock lock = {water, 2};
    // tell(4, water, way, lock.level, lock.flow);
    note(lock.level);
    // tell(4, water, way, lock.level, lock.flow);
    lock.flow = lock.flow * 5 + way;
    // tell(4, water, way, lock.level, lock.flow);
    note(way);
    // tell(4, water, way, lock.level, lock.flow);
    lock.level = water + way;
    // tell(4, water, way, lock.level, lock.flow);
    note(lock.level);
    // tell(4, water, way, lock.level, lock.flow);
    water = way;
    // tell(4, water, way, lock.level, lock.flow);
    note(3);
    // tell(4, water, way, lock.level, lock.flow);
    return way;
}

// A product that has more bits than its variable, shifted to the right.
__attribute__((noinline)) unsigned mixed(unsigned left, unsigned right) {
    // tell(2, left, right);
    unsigned both = (left ^ right) * left;
    // tell(3, left, right, both);
    unsigned kept = (both ^ (both << 3)) + (both >> 2);
    // tell(4, left, right, both, kept);
    note(left);
    // tell(4, left, right, both, kept);
    note(right);
    // tell(4, left, right, both, kept);
    return ask(left);
}

// Two ways to one value: the text alone does not tell which.
__attribute__((noinline)) unsigned ways(unsigned first, unsigned second) {
    // tell(2, first, second);
    unsigned chosen = first + 9;
    // tell(3, first, second, chosen);
    if (first > second)
        chosen = second;
    // tell(3, first, second, chosen);
    note(first);
    // tell(3, first, second, chosen);
    note(second);
    // tell(3, first, second, chosen);
    return first;
}

// What is set to something that stays, and then not used; its register is given to others.
__attribute__((noinline)) unsigned copied(unsigned left, unsigned right) {
    // tell(2, left, right);
    unsigned hand = ask(right);
    // tell(3, left, right, hand);
    hand = cells[hand & 15] - right + 2 + right;
    // tell(3, left, right, hand);
    unsigned found = cells[hand & 15];
    // tell(4, left, right, hand, found);
    hand = right;
    // tell(4, left, right, hand, found);
    unsigned other = hand * 3 - 1;
    // tell(5, left, right, hand, found, other);
    note(1000);
    // tell(5, left, right, hand, found, other);
    hand = other & left;
    // tell(5, left, right, hand, found, other);
    note(cells[right & 15]);
    // tell(5, left, right, hand, found, other);
    return cells[found & 15] * left;
}

// A parameter that is another one from its first statement on, and the last values of two that
// nobody needs.
__attribute__((noinline)) unsigned handed(unsigned first, unsigned second, unsigned third) {
    // tell(3, first, second, third);
    second = first;
    // tell(3, first, second, third);
    third ^= cells[third & 15];
    // tell(3, first, second, third);
    unsigned heap = second * 5 + third;
    // tell(4, first, second, third, heap);
    cells[heap & 15] = third;
    // tell(4, first, second, third, heap);
    unsigned rest = heap >> 3;
    // tell(5, first, second, third, heap, rest);
    cells[rest & 15] += 3;
    // tell(5, first, second, third, heap, rest);
    if (rest & 1)
        cells[first & 15] ^= rest;
    // tell(5, first, second, third, heap, rest);
    return first + rest;
}

// A parameter that another one's register is said to be, and ways that its conditions tell apart.
__attribute__((noinline)) unsigned parted(unsigned first, unsigned second) {
    Lock both = {second, first};
    second = both.flow;
    unsigned way = 3;
    cells[5] = first;
    // tell(5, first, second, way, both.level, both.flow);
    if (first > 90)
        way = first + 1;
    else if (second == 77)
        way = 7;
    // tell(5, first, second, way, both.level, both.flow);
    unsigned rest = way * 2;
    // tell(6, first, second, way, both.level, both.flow, rest);
    both.level = 9;
    // tell(6, first, second, way, both.level, both.flow, rest);
    note(second);
    // tell(6, first, second, way, both.level, both.flow, rest);
    return ask(first);
}

// A loop that nobody needs goes, with all that it sets.
__attribute__((noinline)) unsigned emptied(unsigned left) {
    // tell(1, left);
    for (unsigned i = 0; i < (cells[left & 15] & 7); ++i)
        left = 0;
    // tell(1, left);
    left = 320 + left;
    // tell(1, left);
    unsigned both = (left + left) * (cells[left & 15] - left);
    // tell(2, left, both);
    return both == left ? 10 : 10;
}

int main(void) {
    unsigned total = 0;
    for (unsigned i = 0; i < 16; ++i)
        cells[i] = i * 37 + 11;
    for (unsigned i = 0; i < 6; ++i) {
        ++calls;
        total += toll(i + 40, 9);
        total += lapse(i);
        total += fill(i * 3 + 1, i ^ 5);
        total += mixed(i * 77777 + 1000000007u, i + 123456789u);
        total += ways(i, 3);
        total += copied(5, 7);
        total += handed(i * 31 + 4, 11, i);
        total += parted(i * 5 + 70, 11);
        total += emptied(i * 99 + 77777);
    }
    fprintf(stderr, "%u %u\n", total, noted);
    return 0;
}
