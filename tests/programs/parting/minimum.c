// What is least has no opposite.
#include <limits.h>
#include <stdio.h>

__attribute__((noinline)) int is_below(int level) {
    int size = level < 0 ? -level : level;
    return size < 0;
}

int main(void) {
    int below = is_below(-3) + is_below(INT_MIN);
    printf("%d\n", below);
    return 0;
}
