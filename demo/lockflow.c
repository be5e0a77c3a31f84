/* lockflow: takes the barges of a day sheet through the flight of locks at Sallow Hill, and prints the levels, the
   waits and the tolls. It carries five faults of the kind a person makes; the scripts beside it find them. */
#include <stdio.h>
#include <string.h>

#define LOCKS 4
#define MOST_BARGES 12

enum direction { UPHILL, DOWNHILL };

struct barge {
    char name[24];
    int draught_cm;
    int arrival_minute;
    enum direction direction;
};

struct chamber {
    int depth_cm;
    int level_cm;
    int passages;
};

struct day_totals {
    int water_cm[LOCKS]; /* let through each lock */
    int barges;
};

static struct chamber flight[LOCKS] = {{320, 120, 0}, {300, 110, 0}, {310, 115, 0}, {340, 130, 0}};
static struct day_totals totals;

/* The second line of a barge on the sheet: "draught, arrival, up|down". */
static int read_barge(const char *line, struct barge *barge) {
    char direction[8] = "";
    int fields = sscanf(line, "%d , %d , %7s", &barge->draught_cm, &barge->arrival_minute, direction);
    if (fields != 3) return 0;
    barge->direction = strcmp(direction, "up") == 0 ? UPHILL : DOWNHILL;
    return 1;
}

/* The toll grows with the share of the chamber's depth that the barge draws. */
static double toll_for(const struct barge *barge, const struct chamber *chamber) {
    double base = 12.50;
    double share = barge->draught_cm / chamber->depth_cm;
    double toll = base + 20.0 * share;
    if (strcmp(barge->name, "Heron") == 0)
        toll = 0.0; /* the lock-keeper's own boat goes free */
    return toll;
}

/* Fills or empties a chamber for one barge; returns the water that went through. */
static int pass_chamber(struct chamber *chamber, const struct barge *barge) {
    int change_cm;
    int headroom_cm = chamber->depth_cm - chamber->level_cm;
    if (barge->direction == UPHILL)
        change_cm = barge->draught_cm / 2;
    if (change_cm > headroom_cm)
        change_cm = headroom_cm;
    chamber->level_cm += change_cm;
    chamber->passages++;
    return change_cm;
}

/* Everybody ahead in the queue costs a barge twelve minutes. */
static int wait_minutes(int place_in_queue) {
    int minutes = 0;
    for (int ahead = place_in_queue; ahead < MOST_BARGES; ahead++)
        minutes += 12;
    return minutes;
}

static void take_through(const struct barge *barge) {
    for (int lock = 0; lock <= LOCKS; lock++) {
        int water = pass_chamber(&flight[lock % LOCKS], barge);
        totals.water_cm[lock] += water;
    }
    totals.barges++;
}

static void print_day(double takings) {
    printf("\n%-6s %9s %9s\n", "lock", "level", "passages");
    for (int lock = 0; lock < LOCKS; lock++)
        printf("%-6d %6d cm %9d\n", lock + 1, flight[lock].level_cm, flight[lock].passages);
    printf("\nbarges %d, takings %.2f\n", totals.barges, takings);
}

int main(void) {
    struct barge barges[MOST_BARGES];
    char line[80];
    int count = 0;
    while (count < MOST_BARGES && fgets(barges[count].name, sizeof barges[count].name, stdin)) {
        if (!fgets(line, sizeof line, stdin) || !read_barge(line, &barges[count])) {
            fprintf(stderr, "lockflow: the sheet ends in the middle of a barge\n");
            return 1;
        }
        count++;
    }
    double takings = 0;
    for (int i = 0; i < count; i++) {
        int wait = wait_minutes(i);
        double toll = toll_for(&barges[i], &flight[0]);
        take_through(&barges[i]);
        takings += toll;
        printf("%-10.*s %4d cm  waits %3d min  pays %6.2f\n", (int)strcspn(barges[i].name, "\n"), barges[i].name,
               barges[i].draught_cm, wait, toll);
    }
    print_day(takings);
    return 0;
}
