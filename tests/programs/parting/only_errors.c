// Only one build complains, and only where errors are written.
#include <stdio.h>

int main(void) {
    puts("the day begins");
#ifdef __OPTIMIZE__
    fputs("the gate sticks\n", stderr);
#endif
    return 0;
}
