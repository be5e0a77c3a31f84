// Functions that compilers inline in part, copy and thread. Each counts its calls; the program says
// how many there were.
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static int halves, kinds, digits, letters, checks;

struct reader {
    const char* at;
    char kept[64];
    int used;
};

static void keep(struct reader* reader, char c) {
    if (reader->used < 63) reader->kept[reader->used++] = c;
}

// Its first lines are inlined, the rest stays a function: or not.
static int half(int* levels, int count, int by) {
    ++halves;
    if (count < 2) return 0;
    int sum = 0;
    for (int i = 0; i < count; ++i) {
        levels[i] = levels[i] / by + (levels[i] > 100 ? abs(levels[i] - 7) : 1);
        sum += levels[i] % 13;
        if (sum > 1000) sum -= levels[(i * 7) % count];
    }
    for (int i = count - 1; i > 0; --i) sum ^= levels[i] << (i % 5);
    return sum;
}

// A table of jumps before its own leads past it.
static int kind_of(int token) {
    switch (token) {
        case '-': return 1;
        case '+': return 2;
        case '*': return 3;
        case '/': return 4;
        case '#': return 5;
        default: return 0;
    }
}

static int simple(struct reader* reader, int token) {
    ++kinds;
    switch (token) {
        case '1': keep(reader, 'n'); return 10;
        case '2': keep(reader, 'm'); return 20;
        case '3': keep(reader, 'o'); keep(reader, 'p'); return 30;
        case '4': keep(reader, 'q'); return reader->used;
        case '5': keep(reader, 'r'); return 50;
        case '6': reader->used = 0; return 60;
        default: keep(reader, (char)token); return token * 2;
    }
}

static int sub(struct reader* reader, int token) {
    int kind = kind_of(token);
    if (kind != 0) {
        keep(reader, '!');
        return kind;
    }
    return simple(reader, token);
}

// Called twice in each turn of a loop that is turned round.
static int taken(struct reader* reader, const char* set) {
    ++checks;
    if (*reader->at == set[0] || *reader->at == set[1]) {
        keep(reader, *reader->at++);
        return 1;
    }
    return 0;
}

static int number(struct reader* reader) {
    int turns = 0;
    for (;;) {
        ++turns;
        if (taken(reader, "eE")) {
            taken(reader, "-+");
        } else if (*reader->at >= '0' && *reader->at <= '9') {
            ++digits;
            keep(reader, *reader->at++);
        } else {
            break;
        }
    }
    return turns;
}

static int is_letter(int c) {
    ++letters;
    return (c | 32) >= 'a' && (c | 32) <= 'z';
}

int main(int argc, char** argv) {
    struct reader reader = {argc > 1 ? argv[1] : "12e-5+6E+77x", {0}, 0};
    int levels[40], sum = 0;
    for (int i = 0; i < 40; ++i) levels[i] = (i * 7919) % 300;
    for (int i = 0; i < 30; ++i) sum += half(levels, i % 3 ? i : 1, i % 4 + 1);
    sum += half(levels, argc, 3);
    for (const char* c = "1-2+3*4/5#6x7y1122-3"; *c; ++c) sum += sub(&reader, *c);
    reader.used = 0;
    for (int i = 0; i < 3; ++i, ++reader.at) sum += number(&reader);
    for (int i = 0; i < 20; ++i)
        if (is_letter("a1b2c3d4"[i % 8]) && is_letter('a' + i)) ++sum;
    printf("half=%d\nsimple=%d\ntaken=%d\nis_letter=%d\nsum=%d\n", halves, kinds, checks, letters,
           sum != 12345);
    return 0;
}
