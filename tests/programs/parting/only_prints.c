// Only what is written differs: everything is in one function.
#include <stdio.h>

int main(void) {
    puts("the day begins");
#ifdef __OPTIMIZE__
    puts("in haste");
#else
    puts("at ease");
#endif
    puts("the day ends");
    return 0;
}
