// A function without effect is called once where the source calls it often; small ones are inlined;
// a recursion becomes a loop.
#include <stdio.h>
#include <stdlib.h>

__attribute__((noinline)) int area(int length, int width) { return length * width; }
static int smaller(const void *a, const void *b) { return *(const int *)a - *(const int *)b; }
static int half(int level) { return level / 2; }
__attribute__((noinline)) int steps(int level) { return level <= 1 ? 0 : 1 + steps(half(level)); }
__attribute__((noinline)) int rest(int level, int by) { return level < by ? level : rest(level - by, by); }

int main(int count, char **words) {
    (void)words;
    int sum = 0, levels[] = {9, 3, 7, 1, 8};
    for (int i = 0; i < 20; ++i) sum += area(count, 3) + i;
    qsort(levels, 5, sizeof levels[0], smaller);
    for (int i = 0; i < 5; ++i) sum += steps(levels[i] * 50) + rest(levels[i], 2);
    printf("%d\n", sum);
    return 0;
}
