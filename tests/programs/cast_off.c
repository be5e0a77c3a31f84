/* A lock is left by longjmp while a barge is in it; what runs next has its variables where the
   lock's lay. */
#include <setjmp.h>
#include <stdio.h>

static jmp_buf out;
static int total;

__attribute__((noinline)) static void deep(int n, int *into) {
    *into += n;
    if (n == 3) longjmp(out, 7);
    if (n > 0) deep(n - 1, into);
    total += *into;
}

__attribute__((noinline)) static int lock(int barges) {
    int level = barges;
    deep(barges, &level);
    level += 100;
    return level;
}

__attribute__((noinline)) static int again(int barges) {
    volatile int other[8] = {barges, barges, barges, barges, barges, barges, barges, 0};
    for (int i = 0; i < 7; ++i) other[7] += other[i];
    return other[7];
}

int main(void) {
    volatile int sum = 0;
    for (volatile int boats = 2; boats < 6; ++boats) {
        if (setjmp(out)) {
            sum += again(boats);
            continue;
        }
        sum += lock(boats);
    }
    printf("sum=%d total=%d\n", sum, total);
    return 0;
}
