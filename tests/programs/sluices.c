// A choice whose ways meet again: the last one falls into what the others jump to, and its `break`
// has no instruction of its own.
#include <stdio.h>
#include <string.h>

static int set_of[5];
int calls;  // no call can be left out

__attribute__((noinline)) int depth_of(const char *chart, long *mark) {
    *mark = (long)strlen(chart);
    return chart[0] % 7;
}

__attribute__((noinline)) int level_of(int kind, int moon, const char *chart) {
    long mark;
    int level = 0;
    switch (kind) {
        case 0:
            level = chart[0] >> 3;
            break;
        case 1:
            level = *(const unsigned char *)chart;
            break;
        case 2:
            level = *(const unsigned short *)chart;
            break;
        case 3:
            level = *(const int *)chart;
            break;
        case 4:
            level = (int)strlen(chart);
            break;
    }
    switch (moon) {
        case 0:
            level += chart[1] << 3;
            break;
        case 1:
            level *= *(const unsigned char *)(chart + 1);
            break;
        case 2:
            level -= *(const unsigned short *)(chart + 2);
            break;
        case 3:
            level ^= *(const int *)(chart + 1);
            break;
        case 4:
            level |= (int)strlen(chart + 1);
            break;
    }
    ++calls;
    level += depth_of(chart, &mark);
    return level + (int)mark;
}

int main(void) {
    static const int kinds[] = {0, 3, 1, 4, 2, 0, 3, 3, 1, 0, 4, 0};
    int total = 0;
    for (unsigned i = 0; i < sizeof kinds / sizeof *kinds; ++i) {
        total += level_of(kinds[i], kinds[(i + 5) % 12], "quay and lock");
        ++set_of[kinds[i]];
    }
    for (int kind = 0; kind < 5; ++kind) printf("kind %d: %d times\n", kind, set_of[kind]);
    return total == 0;
}
