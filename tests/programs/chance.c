// Statements made by chance, over whole numbers: what optimisers make of variables in programs that nobody
// has thought about. With `// tell` made `tell`, and without optimisation, it prints what each is before the line below runs.
#include <stdio.h>
#include <stdint.h>
volatile unsigned calls;
#ifdef TELL
#define tell(...) printf("@%u %d ", calls, __LINE__ + 1), printf(__VA_ARGS__), puts("")
#endif
typedef struct { unsigned x, y; } Pair;
unsigned table[16]; unsigned sunk;
__attribute__((noinline)) void note(unsigned v) { __asm__ volatile("" : : "r"(v) : "memory"); sunk += v; }
__attribute__((noinline)) unsigned ask(unsigned v) { __asm__ volatile("" : "+r"(v) : : "memory"); return v * 7 + 3; }
static inline unsigned mix(unsigned a, unsigned b) { unsigned r = a ^ (b << 3); r += a >> 2; return r; }
static inline unsigned low(unsigned a) { unsigned r = a & 255; return r; }
__attribute__((noinline)) unsigned f0(unsigned p0) {
    // tell("p0=%u", p0);
    table[p0 & 15] = table[p0 & 15];
    // tell("p0=%u", p0);
    for (unsigned i0 = 0; i0 < (table[p0 & 15] & 7); ++i0) {
        Pair q1 = {table[i0 & 15], 16};
    }
    // tell("p0=%u", p0);
    note(p0);
    // tell("p0=%u", p0);
    note(p0);
    // tell("p0=%u", p0);
    if (p0 == table[p0 & 15]) {
        // tell("p0=%u", p0);
        unsigned v2 = ask(table[p0 & 15]);
        // tell("p0=%u v2=%u", p0, v2);
        unsigned v3 = 255;
    }
    // tell("p0=%u", p0);
    p0 = (p0 ^ 16) + p0;
    // tell("p0=%u", p0);
    Pair q4 = {p0, p0};
    // tell("p0=%u q4.x=%u q4.y=%u", p0, q4.x, q4.y);
    if (16 > p0) {
        // tell("p0=%u q4.x=%u q4.y=%u", p0, q4.x, q4.y);
        note(p0);
    } else {
        // tell("p0=%u q4.x=%u q4.y=%u", p0, q4.x, q4.y);
        p0 = (p0 + q4.y) * (p0 + table[p0 & 15]);
        // tell("p0=%u q4.x=%u q4.y=%u", p0, q4.x, q4.y);
        unsigned v5 = (p0 * p0) - (p0 | p0);
        // tell("p0=%u v5=%u q4.x=%u q4.y=%u", p0, v5, q4.x, q4.y);
        unsigned v6 = (v5 + q4.y) - (q4.y + p0);
    }
    // tell("p0=%u q4.x=%u q4.y=%u", p0, q4.x, q4.y);
    unsigned v7 = (100 | p0) - (table[p0 & 15] + p0);
    // tell("p0=%u v7=%u q4.x=%u q4.y=%u", p0, v7, q4.x, q4.y);
    v7 = p0;
    // tell("p0=%u v7=%u q4.x=%u q4.y=%u", p0, v7, q4.x, q4.y);
    note(p0);
    // tell("p0=%u v7=%u q4.x=%u q4.y=%u", p0, v7, q4.x, q4.y);
    unsigned v8 = (3 * 255) - (p0 + v7);
    // tell("p0=%u v7=%u v8=%u q4.x=%u q4.y=%u", p0, v7, v8, q4.x, q4.y);
    v7 = (p0 > v7 ? v7 : v7) & v8;
    // tell("p0=%u v7=%u v8=%u q4.x=%u q4.y=%u", p0, v7, v8, q4.x, q4.y);
    note(p0);
    // tell("p0=%u v7=%u v8=%u q4.x=%u q4.y=%u", p0, v7, v8, q4.x, q4.y);
    return (q4.y + v8) | (v7 + v7);
}
__attribute__((noinline)) unsigned f1(unsigned p0) {
    // tell("p0=%u", p0);
    p0 -= p0;
    // tell("p0=%u", p0);
    table[1000 & 15] = p0;
    // tell("p0=%u", p0);
    p0 = p0 > table[p0 & 15] ? p0 : 16;
    // tell("p0=%u", p0);
    p0 = (p0 | p0) * p0;
    // tell("p0=%u", p0);
    table[p0 & 15] = table[p0 & 15];
    // tell("p0=%u", p0);
    unsigned v0 = p0;
    // tell("p0=%u v0=%u", p0, v0);
    unsigned v1 = p0;
    // tell("p0=%u v0=%u v1=%u", p0, v0, v1);
    unsigned v2 = low(table[p0 & 15]) - 255;
    // tell("p0=%u v0=%u v1=%u v2=%u", p0, v0, v1, v2);
    for (unsigned i3 = 0; i3 < (v1 & 7); ++i3) {
        v1 = i3 ^ (i3 | p0);
        unsigned v4 = mix(8, table[p0 & 15]) | (p0 + i3);
    }
    // tell("p0=%u v0=%u v1=%u v2=%u", p0, v0, v1, v2);
    return v0 ^ table[v2 & 15];
}
__attribute__((noinline)) unsigned f2(unsigned p0, unsigned p1, unsigned p2, unsigned p3) {
    // tell("p0=%u p1=%u p2=%u p3=%u", p0, p1, p2, p3);
    unsigned v0 = p3;
    // tell("p0=%u p1=%u p2=%u p3=%u v0=%u", p0, p1, p2, p3, v0);
    unsigned v1 = p0;
    // tell("p0=%u p1=%u p2=%u p3=%u v0=%u v1=%u", p0, p1, p2, p3, v0, v1);
    v1 *= v0;
    // tell("p0=%u p1=%u p2=%u p3=%u v0=%u v1=%u", p0, p1, p2, p3, v0, v1);
    table[p3 & 15] = v1;
    // tell("p0=%u p1=%u p2=%u p3=%u v0=%u v1=%u", p0, p1, p2, p3, v0, v1);
    if (p3 > p2) {
        // tell("p0=%u p1=%u p2=%u p3=%u v0=%u v1=%u", p0, p1, p2, p3, v0, v1);
        unsigned v2 = table[p1 & 15] | p1;
        // tell("p0=%u p1=%u p2=%u p3=%u v0=%u v1=%u v2=%u", p0, p1, p2, p3, v0, v1, v2);
        for (unsigned i3 = 0; i3 < (p3 & 7); ++i3) {
            unsigned v4 = mix(16, 1);
            v4 = mix(v2, 255);
        }
    }
    // tell("p0=%u p1=%u p2=%u p3=%u v0=%u v1=%u", p0, p1, p2, p3, v0, v1);
    for (unsigned i5 = 0; i5 < (p0 & 7); ++i5) {
        note(p1);
    }
    // tell("p0=%u p1=%u p2=%u p3=%u v0=%u v1=%u", p0, p1, p2, p3, v0, v1);
    if (v1 > v1) {
        // tell("p0=%u p1=%u p2=%u p3=%u v0=%u v1=%u", p0, p1, p2, p3, v0, v1);
        unsigned v6 = v1 ^ p3;
    }
    // tell("p0=%u p1=%u p2=%u p3=%u v0=%u v1=%u", p0, p1, p2, p3, v0, v1);
    unsigned v7 = ask(p1);
    // tell("p0=%u p1=%u p2=%u p3=%u v0=%u v1=%u v7=%u", p0, p1, p2, p3, v0, v1, v7);
    note(table[p2 & 15]);
    // tell("p0=%u p1=%u p2=%u p3=%u v0=%u v1=%u v7=%u", p0, p1, p2, p3, v0, v1, v7);
    note(5);
    // tell("p0=%u p1=%u p2=%u p3=%u v0=%u v1=%u v7=%u", p0, p1, p2, p3, v0, v1, v7);
    table[v1 & 15] = v1;
    // tell("p0=%u p1=%u p2=%u p3=%u v0=%u v1=%u v7=%u", p0, p1, p2, p3, v0, v1, v7);
    return 2 + (7 | table[p2 & 15]);
}
__attribute__((noinline)) unsigned f3(unsigned p0, unsigned p1, unsigned p2, unsigned p3) {
    // tell("p0=%u p1=%u p2=%u p3=%u", p0, p1, p2, p3);
    table[3 & 15] = p3;
    // tell("p0=%u p1=%u p2=%u p3=%u", p0, p1, p2, p3);
    p1 = (table[p1 & 15] + p2) - table[p2 & 15];
    // tell("p0=%u p1=%u p2=%u p3=%u", p0, p1, p2, p3);
    p0 = 1;
    // tell("p0=%u p1=%u p2=%u p3=%u", p0, p1, p2, p3);
    p3 = 7;
    // tell("p0=%u p1=%u p2=%u p3=%u", p0, p1, p2, p3);
    unsigned v0 = p1;
    // tell("p0=%u p1=%u p2=%u p3=%u v0=%u", p0, p1, p2, p3, v0);
    Pair q1 = {p2, table[p2 & 15]};
    // tell("p0=%u p1=%u p2=%u p3=%u v0=%u q1.x=%u q1.y=%u", p0, p1, p2, p3, v0, q1.x, q1.y);
    unsigned v2 = 7 + (4 | 100);
    // tell("p0=%u p1=%u p2=%u p3=%u v0=%u v2=%u q1.x=%u q1.y=%u", p0, p1, p2, p3, v0, v2, q1.x, q1.y);
    v2 = 4;
    // tell("p0=%u p1=%u p2=%u p3=%u v0=%u v2=%u q1.x=%u q1.y=%u", p0, p1, p2, p3, v0, v2, q1.x, q1.y);
    q1.x = (p2 & p2) + table[p3 & 15];
    // tell("p0=%u p1=%u p2=%u p3=%u v0=%u v2=%u q1.x=%u q1.y=%u", p0, p1, p2, p3, v0, v2, q1.x, q1.y);
    if (p2 > p2) {
        // tell("p0=%u p1=%u p2=%u p3=%u v0=%u v2=%u q1.x=%u q1.y=%u", p0, p1, p2, p3, v0, v2, q1.x, q1.y);
        for (unsigned i3 = 0; i3 < (v2 & 7); ++i3) {
            unsigned v4 = p0 - q1.y;
        }
        // tell("p0=%u p1=%u p2=%u p3=%u v0=%u v2=%u q1.x=%u q1.y=%u", p0, p1, p2, p3, v0, v2, q1.x, q1.y);
        v2 = v2;
        // tell("p0=%u p1=%u p2=%u p3=%u v0=%u v2=%u q1.x=%u q1.y=%u", p0, p1, p2, p3, v0, v2, q1.x, q1.y);
        unsigned v5 = mix(table[v0 & 15], 3) + v2;
    }
    // tell("p0=%u p1=%u p2=%u p3=%u v0=%u v2=%u q1.x=%u q1.y=%u", p0, p1, p2, p3, v0, v2, q1.x, q1.y);
    if (p1 > p2) {
        // tell("p0=%u p1=%u p2=%u p3=%u v0=%u v2=%u q1.x=%u q1.y=%u", p0, p1, p2, p3, v0, v2, q1.x, q1.y);
        unsigned v6 = mix(p0, table[v0 & 15]) * (v0 + v0);
        // tell("p0=%u p1=%u p2=%u p3=%u v0=%u v2=%u v6=%u q1.x=%u q1.y=%u", p0, p1, p2, p3, v0, v2, v6, q1.x, q1.y);
        v6 = 8;
    } else {
        // tell("p0=%u p1=%u p2=%u p3=%u v0=%u v2=%u q1.x=%u q1.y=%u", p0, p1, p2, p3, v0, v2, q1.x, q1.y);
        p0 = (p3 ^ q1.y) ^ (8 - v2);
        // tell("p0=%u p1=%u p2=%u p3=%u v0=%u v2=%u q1.x=%u q1.y=%u", p0, p1, p2, p3, v0, v2, q1.x, q1.y);
        q1.y = (v0 - v2) * low(table[p0 & 15]);
    }
    // tell("p0=%u p1=%u p2=%u p3=%u v0=%u v2=%u q1.x=%u q1.y=%u", p0, p1, p2, p3, v0, v2, q1.x, q1.y);
    p3 += p3;
    // tell("p0=%u p1=%u p2=%u p3=%u v0=%u v2=%u q1.x=%u q1.y=%u", p0, p1, p2, p3, v0, v2, q1.x, q1.y);
    v0 = (p2 > 3 ? 10 : p3) << 1;
    // tell("p0=%u p1=%u p2=%u p3=%u v0=%u v2=%u q1.x=%u q1.y=%u", p0, p1, p2, p3, v0, v2, q1.x, q1.y);
    return (p2 & v2) ^ low(p3);
}
__attribute__((noinline)) unsigned f4(unsigned p0, unsigned p1, unsigned p2) {
    // tell("p0=%u p1=%u p2=%u", p0, p1, p2);
    p1 -= p0;
    // tell("p0=%u p1=%u p2=%u", p0, p1, p2);
    if (p0 != p1) {
        // tell("p0=%u p1=%u p2=%u", p0, p1, p2);
        unsigned v0 = p0 > 5 ? p1 : p0;
    } else {
        // tell("p0=%u p1=%u p2=%u", p0, p1, p2);
        unsigned v1 = ask(1000);
        // tell("p0=%u p1=%u p2=%u v1=%u", p0, p1, p2, v1);
        if (p1 < p0) {
            // tell("p0=%u p1=%u p2=%u v1=%u", p0, p1, p2, v1);
            v1 = low(p0);
            // tell("p0=%u p1=%u p2=%u v1=%u", p0, p1, p2, v1);
            unsigned v2 = (p2 - p1) ^ (p2 + p2);
            // tell("p0=%u p1=%u p2=%u v1=%u v2=%u", p0, p1, p2, v1, v2);
            unsigned v3 = (v2 + v2) ^ (255 << 3);
        }
        // tell("p0=%u p1=%u p2=%u v1=%u", p0, p1, p2, v1);
        unsigned v4 = ask(table[v1 & 15]);
    }
    // tell("p0=%u p1=%u p2=%u", p0, p1, p2);
    unsigned v5 = table[p1 & 15];
    // tell("p0=%u p1=%u p2=%u v5=%u", p0, p1, p2, v5);
    table[table[p2 & 15] & 15] = p2;
    // tell("p0=%u p1=%u p2=%u v5=%u", p0, p1, p2, v5);
    p0 = (p1 & p0) << 5;
    // tell("p0=%u p1=%u p2=%u v5=%u", p0, p1, p2, v5);
    unsigned v6 = (1 + p2) ^ p0;
    // tell("p0=%u p1=%u p2=%u v5=%u v6=%u", p0, p1, p2, v5, v6);
    if (p1 == p0) {
        // tell("p0=%u p1=%u p2=%u v5=%u v6=%u", p0, p1, p2, v5, v6);
        note(p0);
        // tell("p0=%u p1=%u p2=%u v5=%u v6=%u", p0, p1, p2, v5, v6);
        note(4);
        // tell("p0=%u p1=%u p2=%u v5=%u v6=%u", p0, p1, p2, v5, v6);
        Pair q7 = {4, p0};
    }
    // tell("p0=%u p1=%u p2=%u v5=%u v6=%u", p0, p1, p2, v5, v6);
    table[100 & 15] = table[v5 & 15];
    // tell("p0=%u p1=%u p2=%u v5=%u v6=%u", p0, p1, p2, v5, v6);
    table[table[p0 & 15] & 15] = v6;
    // tell("p0=%u p1=%u p2=%u v5=%u v6=%u", p0, p1, p2, v5, v6);
    return (v6 ^ p1) << 1;
}
__attribute__((noinline)) unsigned f5(unsigned p0, unsigned p1) {
    // tell("p0=%u p1=%u", p0, p1);
    unsigned v0 = p1;
    // tell("p0=%u p1=%u v0=%u", p0, p1, v0);
    p1 -= v0;
    // tell("p0=%u p1=%u v0=%u", p0, p1, v0);
    note(v0);
    // tell("p0=%u p1=%u v0=%u", p0, p1, v0);
    v0 += 8;
    // tell("p0=%u p1=%u v0=%u", p0, p1, v0);
    note(v0);
    // tell("p0=%u p1=%u v0=%u", p0, p1, v0);
    p0 = mix(v0, p0);
    // tell("p0=%u p1=%u v0=%u", p0, p1, v0);
    unsigned v1 = (p0 + p1) ^ (p0 - p1);
    // tell("p0=%u p1=%u v0=%u v1=%u", p0, p1, v0, v1);
    unsigned v2 = p1;
    // tell("p0=%u p1=%u v0=%u v1=%u v2=%u", p0, p1, v0, v1, v2);
    v0 = table[v1 & 15];
    // tell("p0=%u p1=%u v0=%u v1=%u v2=%u", p0, p1, v0, v1, v2);
    v0 ^= 1000;
    // tell("p0=%u p1=%u v0=%u v1=%u v2=%u", p0, p1, v0, v1, v2);
    unsigned v3 = v0;
    // tell("p0=%u p1=%u v0=%u v1=%u v2=%u v3=%u", p0, p1, v0, v1, v2, v3);
    table[v0 & 15] = v1;
    // tell("p0=%u p1=%u v0=%u v1=%u v2=%u v3=%u", p0, p1, v0, v1, v2, v3);
    note(v0);
    // tell("p0=%u p1=%u v0=%u v1=%u v2=%u v3=%u", p0, p1, v0, v1, v2, v3);
    unsigned v4 = v3 & table[p0 & 15];
    // tell("p0=%u p1=%u v0=%u v1=%u v2=%u v3=%u v4=%u", p0, p1, v0, v1, v2, v3, v4);
    return v2;
}
int main(void) {
    for (unsigned i = 0; i < 16; ++i) table[i] = i * 37 + 11;
    unsigned total = 0;
    ++calls; total += f0(0);
    ++calls; total += f1(0);
    ++calls; total += f2(3, 1, 2, 3);
    ++calls; total += f3(70000, 928871161, 17, 1);
    ++calls; total += f4(17, 255, 70000);
    ++calls; total += f5(9, 70000);
    ++calls; total += f0(9);
    ++calls; total += f1(2015259470);
    ++calls; total += f2(1645971, 9, 0, 9);
    ++calls; total += f3(2, 70000, 17, 4096);
    ++calls; total += f4(17, 17, 3);
    ++calls; total += f5(1, 70000);
    fprintf(stderr, "%u %u\n", total, sunk);
    return 0;
}
