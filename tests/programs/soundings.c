/* Structures that are set through their address: on some of the ways only, in a loop, on all. Set
   is who has "taken" in it; a way without has what lay on the stack. */
#include <stdio.h>
#include <string.h>

struct sounding {
    int at_m;
    int taken;
    long tide_mm;
};

__attribute__((noinline)) int take(struct sounding *sounding, int at_m) {
    if (at_m > 900) return 0;
    sounding->at_m = at_m;
    sounding->taken = 1;
    sounding->tide_mm = at_m * 3L;
    return 1;
}
__attribute__((noinline)) void foul(void) {
    volatile char mud[512];
    memset((char *)mud, 0x6d, sizeof mud);
}
__attribute__((noinline)) void note(const char *where, int at_m) {
    printf("%s %d\n", where, at_m);
    fflush(stdout);
}

__attribute__((noinline)) int on_some_ways(int at_m, int is_known) {
    struct sounding day;
    int depth = at_m;
    if (is_known) goto report;
    if (take(&day, at_m)) depth = day.at_m;
report:
    note("some ways", depth); /* who came from above has taken none */
    return depth + 1;
}

__attribute__((noinline)) int in_a_loop(int first_m) {
    struct sounding day;
    int sum = 0;
    for (int at_m = first_m; at_m < 400; at_m += 100) {
        take(&day, at_m);
        sum += day.at_m;
    }
    note("behind the loop", sum);
    return sum + day.taken;
}

__attribute__((noinline)) int while_it_takes(int at_m) {
    struct sounding day;
    int sum = 0;
    while (take(&day, at_m)) {
        sum += day.at_m;
        at_m += 300;
    }
    note("behind the while", sum);
    return sum + (int)day.tide_mm;
}

__attribute__((noinline)) int on_all_ways(int at_m) {
    struct sounding day;
    if (at_m > 500)
        take(&day, at_m - 500);
    else
        take(&day, at_m);
    note("all ways", day.at_m);
    return (int)day.tide_mm;
}

int main(void) {
    foul();
    int sum = on_some_ways(100, 1);
    foul();
    sum += on_some_ways(200, 0);
    sum += in_a_loop(100) + while_it_takes(50) + on_all_ways(700);
    printf("%d\n", sum);
    return 0;
}
