// A sum that runs over is never less than what it began with, says the compiler.
#include <limits.h>
#include <stdio.h>

__attribute__((noinline)) int is_later(int minute) {
    int arrival = minute + 100;
    return arrival > minute;
}

int main(void) {
    int later = 0;
    for (int i = 0; i < 5; ++i) later += is_later(INT_MAX - 100 * i);
    printf("%d are later\n", later);
    return 0;
}
