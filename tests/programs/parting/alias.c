// A float is written where an int lies: the compiler may believe that the int has stayed.
#include <stdio.h>

__attribute__((noinline)) int mark(int *level_mm, float *reading) {
    *level_mm = 1;
    *reading = 2.0f;
    return *level_mm;
}

int main(void) {
    union { int level_mm; float reading; } gauge;
    int marked = mark(&gauge.level_mm, &gauge.reading);
    printf("marked %d\n", marked);
    return 0;
}
