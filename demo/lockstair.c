// The lock stair at Sallow Hill, as a chain from the lower pound up: each lock knows the one above and the one below, and who
// keeps it. The keeper of the third lock gives it up; the stair is mended, but not everywhere.
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

struct keeper {
    char name[12];
    int years;
};

struct lock {
    char name[16];
    int fall_cm;
    struct keeper *keeper;
    struct lock *up, *down;
};

// How deep the pounds are, by place across and along; one sounding was never taken.
static double depths_m[6][14];
static int levels_cm[48];

static struct lock *build(const char *name, int fall_cm, struct keeper *keeper, struct lock *down) {
    struct lock *lock = malloc(sizeof *lock);
    strcpy(lock->name, name);
    lock->fall_cm = fall_cm;
    lock->keeper = keeper;
    lock->up = NULL;
    lock->down = down;
    if (down) down->up = lock;
    return lock;
}

// Takes a lock out of the stair. The one below still leads up to it.
static void give_up(struct lock *lock) {
    if (lock->up) lock->up->down = lock->down;
    free(lock);
}

static void sound(void) {
    double unknown = 0;
    for (int row = 0; row < 6; ++row)
        for (int at = 0; at < 14; ++at) depths_m[row][at] = 0.9 + 0.25 * (row < 3 ? row : 5 - row) + 0.02 * at;
    depths_m[2][9] = unknown / unknown;
    for (int hour = 0; hour < 48; ++hour) levels_cm[hour] = 214 + (hour % 12 < 5 ? 3 * (hour % 12) : 15 - (hour % 12 - 5) * 2);
}

static int height_of(const struct lock *lowest) {
    int sum_cm = 0;
    for (const struct lock *lock = lowest; lock; lock = lock->up) sum_cm += lock->fall_cm;
    return sum_cm;
}

int main(void) {
    struct keeper ada = {"Ada Quill", 11}, tom = {"Tom Reed", 4};
    struct lock *bottom = build("Lower Pound", 180, &ada, NULL);
    struct lock *withy = build("Withy", 165, &ada, bottom);
    struct lock *mill = build("Mill", 210, &tom, withy);
    struct lock *heron = build("Heron", 155, &tom, mill);
    build("Summit", 190, &ada, heron);
    sound();
    printf("the stair rises %d cm\n", height_of(bottom));
    give_up(mill);
    printf("without the mill's lock %d cm\n", height_of(bottom));
    return 0;
}
