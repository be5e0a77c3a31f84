// A choice that clang's account of a variable contradicts: it goes on with the value of the other way.
#include <stdio.h>

struct boat {
    int tons, crew;
};
struct desk {
    struct boat* boat;
    int busy, result, turns;
};

static struct boat spare = {7, 2};

__attribute__((noinline)) static struct boat* pick(struct desk* desk) {
    return desk->turns > 1 ? &spare : 0;
}
__attribute__((noinline)) static void weigh(struct boat* boat, int turn) {
    printf("%d %d\n", turn, boat->tons);
}

__attribute__((noinline)) static void finish(struct desk* desk) {
    struct boat* boat;
    int turn;
    boat = desk->boat;
    if (boat == 0) {
        if (desk->busy) {
            desk->result = 1;
            return;
        }
        boat = pick(desk);
        if (boat == 0) desk->result = 2;
    }
    if (boat) {
        weigh(boat, 0);
        for (turn = 1; turn < desk->turns; ++turn) weigh(boat, turn);
        desk->result = boat->crew;
    }
    if (desk->result == 0) printf("nothing\n");
}

int main(void) {
    struct desk first = {0, 0, 0, 3}, second = {&spare, 0, 0, 2};
    finish(&first);
    finish(&second);
    return 0;
}
