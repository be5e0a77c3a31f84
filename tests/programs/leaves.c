// Functions that end with a jump where they are optimised: through a pointer, into the C library, by one of several.
// Each says what it is given.
#include <stdio.h>
#include <string.h>

volatile int tide;

__attribute__((noinline)) int moor(int boat) {
    printf("moor %d\n", boat);
    return tide + boat;
}

static int (*volatile chosen)(int) = moor;

__attribute__((noinline)) int by_pointer(int boat) {
    printf("by_pointer %d\n", boat);
    return chosen(boat + 1);
}

__attribute__((noinline)) int twice_by_pointer(int boat) {
    printf("twice %d\n", boat);
    return by_pointer(boat + 10);
}

// It leads to moor by two ways: by itself, and through another.
__attribute__((noinline)) int by_either(int boat) {
    int berth = boat * 3;
    printf("by_either %d\n", berth);
    if (tide > 4) {
        berth += 100;
        return moor(berth);
    }
    return by_pointer(berth + 1);
}

__attribute__((noinline)) size_t length_of(const char* name) {
    printf("length_of %d\n", tide);
    return strlen(name);
}

__attribute__((noinline)) int call_out(const char* name) {
    if (tide > 9) return puts("nobody");
    return puts(name);
}

__attribute__((noinline)) int one_of_two(const char* name) {
    if (tide > 9) return puts(name);
    return (int)strlen(name);
}

static inline __attribute__((always_inline)) int settle(int boat) {
    printf("settle %d\n", boat);
    return moor(boat + 5);
}

__attribute__((noinline)) int through_inlined(int boat) {
    printf("through_inlined %d\n", boat);
    return settle(boat * 2);
}

int main(int count, char** words) {
    int sum = by_pointer(1) + 1;
    sum += twice_by_pointer(2) + 1;
    sum += by_either(3) + 1;
    sum += through_inlined(4) + 1;
    sum += call_out(words[0]) + 1;
    if (count == 2) sum += (int)length_of(words[count]) + 1;
    if (count == 3) sum += one_of_two(words[count]) + 1;
    return sum == 0;
}
