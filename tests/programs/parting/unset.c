// For barges of the third kind nobody sets the toll.
#include <stdio.h>

__attribute__((noinline)) void speak(int n) {
    volatile int words[16];
    for (int i = 0; i < 16; ++i) words[i] = n + i;
}

__attribute__((noinline)) int toll(int kind) {
    int due;
    if (kind == 1) due = 5;
    if (kind == 2) due = 9;
    return due * 2;
}

int main(void) {
    int sum = 0;
    for (int kind = 1; kind <= 3; ++kind) {
        speak(40);
        sum += toll(kind);
    }
    printf("sum %d\n", sum);
    return 0;
}
