// A function that is inlined at the head of its caller's loop: each turn is a call.
#include <stdio.h>

struct boat {
    int kind, tons;
};

__attribute__((noinline)) static void note(int tons) {
    printf("%d\n", tons);
}

static inline int weigh(const struct boat* boat) {
    int tons = boat->tons * 3;
    if (boat->kind == 1) tons += 7;
    return tons;
}

int main(int count, char** arguments) {
    static const struct boat boats[] = {{1, 40}, {0, 7}, {1, 9}, {2, 1}};
    (void)arguments;
    const struct boat* boat = boats;
    do {
        note(weigh(boat));
        ++boat;
        ++count;
    } while (count < 4);
    return 0;
}
