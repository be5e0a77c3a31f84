/* Globals that a loop changes: some builds keep one in a register until the loop is over. */
#include <stdio.h>

int total_tons;
static long heavy;
double toll;
struct canal {
    int gates;
    long lifted;
} canal;

__attribute__((noinline)) void weigh(const int *tons, int count) {
    for (int i = 0; i < count; ++i) {
        total_tons += tons[i];
        if (tons[i] > 3)
            heavy++;
    }
    printf("%d %ld\n", total_tons, heavy);
}

__attribute__((noinline)) void lift(const int *boats, int count) {
    for (int i = 0; i < count; ++i) {
        if (boats[i] == 0)
            break;
        canal.lifted += boats[i];
        toll += 0.5;
    }
    printf("%ld %f\n", canal.lifted, toll);
}

/* A local variable of the same name. */
__attribute__((noinline)) int other(int count) {
    volatile int sink = 0;
    for (int i = 0; i < count; ++i) {
        long heavy = i * 3;
        heavy += i;
        sink = (int)heavy;
    }
    return sink;
}

int main(int argc, char **argv) {
    (void)argv;
    int tons[] = {1, 4, 5, 3, 7, argc};
    weigh(tons, 6);
    lift(tons, 6);
    weigh(tons, 5);
    printf("%d %d\n", canal.gates, other(argc + 3));
    return 0;
}
