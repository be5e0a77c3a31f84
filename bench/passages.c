/* Calls one small function often: what walking two builds in step costs for each entry and return. */
#include <stdio.h>

__attribute__((noinline)) int passage(int level, int boat) { return level * 3 + boat; }

int main(void) {
    int level = 1;
    for (int boat = 0; boat < 100000; ++boat) level = passage(level, boat);
    printf("%d\n", level);
    return 0;
}
