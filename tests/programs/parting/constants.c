// Two builds with another number of locks.
#include <stdio.h>

#ifndef LOCKS
#define LOCKS 7
#endif
__attribute__((noinline)) int fall_of(int lock) { return lock * 240 / LOCKS; }

int main(void) {
    int sum = 0;
    for (int lock = 0; lock < 5; ++lock) sum += fall_of(lock);
    printf("%d mm\n", sum);
    return 0;
}
