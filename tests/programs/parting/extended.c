// One build computes with more bits than a double has.
#include <stdio.h>

__attribute__((noinline)) double share(double a, double b, double c) { return a * b - c; }

int main(void) {
    double third = share(1.0 / 3.0, 3.0, 1.0 - 1e-17), other = share(0.1, 10.0, 1.0);
    printf("%g %g\n", third, other);
    return 0;
}
