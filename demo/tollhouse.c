// The toll house: what each boat owes for the lock, and what the day brings in. The debug build and
// the release build do not agree on the day.
#include <stdio.h>
#include <string.h>

enum kind { BARGE, TUG, PUNT };

struct boat {
    const char *name;
    enum kind kind;
    int tons, crew;
};

static const struct boat boats[] = {
    {"Wren", BARGE, 40, 2}, {"Teal", TUG, 12, 3},  {"Heron", BARGE, 65, 3},
    {"Coot", PUNT, 1, 1},   {"Swan", BARGE, 52, 2}, {"Rail", PUNT, 1, 2},
};
enum { BOATS = sizeof boats / sizeof boats[0] };

// Pence by the ton; of a boat that carries nothing, by the head.
static int rate_of(const struct boat *boat) {
    int rate;
    switch (boat->kind) {
        case BARGE: rate = boat->tons > 50 ? 4 : 3; break;
        case TUG: rate = 2; break;
        case PUNT: break;  // by the head: see head_money
    }
    return rate;
}

static int head_money(const struct boat *boat) { return boat->crew * 6; }

static int owed_by(const struct boat *boat, int day) {
    int weight = boat->tons * rate_of(boat);
    int extra = day % 7 == 0 ? weight / 2 : 0;  // on Sundays
    return weight + extra + head_money(boat);
}

static void note(char *line, size_t size, const struct boat *boat, int owed) {
    snprintf(line, size, "%-8s %4d", boat->name, owed);
}

int main(void) {
    char line[64];
    long sum = 0;
    for (int day = 1; day <= 3; ++day) {
        for (int i = 0; i < BOATS; ++i) {
            int owed = owed_by(&boats[i], day);
            note(line, sizeof line, &boats[i], owed);
            sum += owed;
        }
        printf("day %d, the last: %s\n", day, line);
    }
    printf("the toll house took %ld pence\n", sum);
    return 0;
}
