// What lies between the members of a structure, and in a buffer before it is filled, is anything.
#include <stdio.h>
#include <string.h>

struct passage { char kind; int level; char open; long toll; };

__attribute__((noinline)) long toll_of(struct passage passage) { return passage.toll + passage.kind; }
__attribute__((noinline)) struct passage open_one(int level) {
    struct passage passage;
    passage.kind = 2;
    passage.level = level;
    passage.open = 1;
    passage.toll = level * 3L;
    return passage;
}
__attribute__((noinline)) int write_label(char *label, int size, int number) {
    return snprintf(label, (unsigned)size, "lock %d", number);
}
__attribute__((noinline)) int length_of(const char *label) { return (int)strlen(label); }

int main(void) {
    long sum = 0;
    char label[40];
    for (int i = 0; i < 4; ++i) {
        sum += toll_of(open_one(i));
        write_label(label, sizeof label, i);
        sum += length_of(label);
    }
    printf("%ld\n", sum);
    return 0;
}
