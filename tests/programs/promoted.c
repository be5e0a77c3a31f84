// Sums that a compiler keeps in a register for a loop although their addresses are known elsewhere,
// and others that it must store in each turn.
#include <stdio.h>

__attribute__((noinline)) void note(int* tons) { printf("noted %d\n", *tons); }
__attribute__((noinline)) void ask(int* tons) { *tons = 100; }
struct Hold {
    int barges;
    double tons;
};
__attribute__((noinline)) void note_hold(struct Hold* hold) {
    printf("held %d %.1f\n", hold->barges, hold->tons);
}

__attribute__((noinline)) int weigh(const int* tons, int count) {
    int total = 0;
    for (int i = 0; i < count; ++i) {
        total += tons[i];
        if (tons[i] < 0)
            total = 1;
    }
    note(&total);
    return total;
}

__attribute__((noinline)) int unload(const int* tons, int count) {
    int left;
    ask(&left);
    for (int i = 0; i < count; ++i) {
        left -= tons[i];
        if (tons[i] > 90)
            left = 0;
    }
    return left;
}

__attribute__((noinline)) void load(const double* tons, int count) {
    struct Hold hold = {0, 0.5};
    for (int i = 0; i < count; ++i) {
        hold.tons += tons[i];
        if (tons[i] > 2)
            hold.barges = hold.barges + 1;
    }
    note_hold(&hold);
}

__attribute__((noinline)) int tell_each(const int* tons, int count) {
    int told = 0;
    for (int i = 0; i < count; ++i) {
        told += tons[i];
        note(&told);
        if (tons[i] < 0)
            told = 1;
    }
    return told;
}

int main(void) {
    int tons[] = {4, 6, 9, 1, 3, 7};
    double parts[] = {1.5, 2.5, 3.5};
    int sum = weigh(tons, 6) + unload(tons, 6) + tell_each(tons, 6);
    load(parts, 3);
    return sum > 200;
}
