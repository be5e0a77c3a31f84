/* A pointer through which a value is set stays what it was. */
#include <stdio.h>

__attribute__((noinline)) int more(int tons) {
    printf("%d\n", tons);
    return tons + 1;
}
__attribute__((noinline)) int fill(int *count, int tons) {
    int sum = more(tons);
    *count = 3;
    sum += more(sum); /* count is where it was */
    return sum;
}
int main(int argc, char **argv) {
    (void)argv;
    int count = 7;
    int sum = fill(&count, argc);
    printf("%d %d\n", sum, count);
    return 0;
}
