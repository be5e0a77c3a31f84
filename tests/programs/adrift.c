// Checks that end in a function that never comes back, which its declaration does not say: what
// stands behind the calls of it is code of other lines.
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

void cast_adrift(const char *what, int line);
int warn_of(const char *what, int line);
__attribute__((cold)) void complain(int kind);

#define MUST(condition) \
    ((condition) ? (void)0 : (cast_adrift(#condition, __LINE__), __builtin_unreachable()))

// Here the function might come back, by its own code.
void give_in(const char *what, int softly);
#define NEEDS(condition) \
    ((condition) ? (void)0 : (give_in(#condition, 0), __builtin_unreachable()))

__attribute__((noinline)) int depth_at(const char *chart, long *length) {
    *length = (long)strlen(chart);
    return (int)*length % 7;
}

__attribute__((noinline)) const char *find_berth(const char *charts, const char *at,
                                                 const char *name, unsigned letters, int skip) {
    int waits = 0;
    long length = 0;
    unsigned size = (unsigned)charts[0];
    MUST(at);
    while (at) {
        if (waits == 0) {
            int depth = depth_at(at, &length);
            if (depth) {
                MUST(at > charts && at + length < charts + size);
                if (letters == length && memcmp(at, name, letters) == 0) return at;
            } else if (skip > 3 && warn_of("shallow", skip)) {
                return NULL;
            }
            waits = skip;
            at += length + 1;
        } else {
            waits--;
            at += strlen(at) + 1;
        }
        if (at + 8 >= charts + size)
            MUST(at < charts + size);
        else
            MUST(at > charts);
        if (at[0] == '.') break;
    }
    return NULL;
}

// What is seldom run lies before the rest, in a part of its own; two tables of jumps lead on.
__attribute__((noinline)) int tide_at(int kind, int moon, const char *chart) {
    long mark;
    int level = 0;
    switch (kind) {
        case 0: level = chart[0] >> 3; break;
        case 1: level = *(const unsigned char *)chart; break;
        case 2: level = *(const unsigned short *)chart; break;
        case 3: level = *(const int *)chart; break;
        case 4: level = (int)strlen(chart); break;
        default: complain(kind);
    }
    switch (moon) {
        case 0: level += chart[1] << 3; break;
        case 1: level *= *(const unsigned char *)(chart + 1); break;
        case 2: level -= *(const unsigned short *)(chart + 2); break;
        case 3: level ^= *(const int *)(chart + 1); break;
        case 4: level |= (int)strlen(chart + 1); break;
        default: complain(moon);
    }
    level += depth_at(chart, &mark);
    return level + (int)mark;
}

__attribute__((noinline)) int haul(const char *rope, int length, int men) {
    long pulled = 0;
    int total = 0;
    NEEDS(rope);
    NEEDS(length > 0);
    NEEDS(men > 0);
    for (int i = 0; i < length; ++i) {
        NEEDS(rope[i] != '!');
        if (i % men == 0) total += depth_at(rope + i, &pulled);
        NEEDS(pulled < 1000);
    }
    NEEDS(total >= 0);
    return total + (int)pulled;
}

// The entry's address is computed once, before the loop.
struct entry {
    int depth, width;
    char name[24];
};
const char *next_entry(const char *list, struct entry *entry);

__attribute__((noinline)) int total_of(const char *list) {
    int total = warn_of("begin", 60);
    while (*list) {
        struct entry entry;
        total += warn_of(list, total);
        list = next_entry(list, &entry);
        total += entry.depth + entry.width;
    }
    return total;
}

// Called once: it becomes a part of main.
static int level_of(const char *chart) {
    long mark;
    int level = warn_of(chart, 70) * 4;
    level += depth_at(chart, &mark);
    return level + (int)mark;
}

int main(void) {
    static const char charts[] = "\x30quay\0lock\0weir\0basin\0tunnel\0.\0";
    const char *found = find_berth(charts, charts + 1, "tunnel", 6, 1);
    printf("%s\n", found ? found : "none");
    found = find_berth(charts, charts + 1, "weir", 4, 1);
    printf("%s\n", found ? found : "none");
    printf("%d\n", tide_at(4, 0, "slack") + tide_at((int)charts[0] % 4, 4, charts));
    printf("%d\n", haul("a long rope", 11, 3));
    printf("%d\n", total_of("abc") + level_of(charts));
    return 0;
}
