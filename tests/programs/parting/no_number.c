// With fast mathematics nothing is "not a number".
#include <math.h>
#include <stdio.h>

__attribute__((noinline)) int is_missing(double level) { return level != level; }

int main(void) {
    volatile double levels[] = {1.5, NAN, 2.5};
    int missing = 0;
    for (int i = 0; i < 3; ++i) missing += is_missing(levels[i]);
    printf("%d missing\n", missing);
    return 0;
}
