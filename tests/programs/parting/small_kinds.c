// How large an enumeration is, and whether a field of a bit has a sign, are options of the build.
#include <stdio.h>

enum kind { barge, tug };
struct passage { enum kind kind; int paid : 1; };

__attribute__((noinline)) int bytes_of(int count) { return count * (int)sizeof(enum kind); }
__attribute__((noinline)) int paid(struct passage passage) { return passage.paid; }

int main(void) {
    struct passage passage = {tug, 0};
    passage.paid = ~passage.paid;
    int sum = paid(passage);
    sum += bytes_of(3);
    printf("%d\n", sum);
    return 0;
}
