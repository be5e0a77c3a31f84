// Lockgates: the gates and sluices of a flight of locks, worked by several keepers at once. Three things go wrong here:
//   lockgates day      one barge out of thousands leaves its chamber at a level that cannot be
//   lockgates tally    the upper keeper's tally is short, though the upper keeper counts well
//   lockgates meet     two keepers meet at the middle of the flight, and nobody passes any more
#include <pthread.h>

#include <cmath>
#include <cstdio>
#include <cstring>
#include <mutex>
#include <stdexcept>
#include <string>
#include <thread>
#include <vector>

struct Barge {
    int number;
    int draught_cm;
    int tons;
};

struct Chamber {
    const char* name;
    double level_cm = 120;
    int boats_passed = 0;
    std::mutex gate;
};

Chamber chambers[3] = {{"lower"}, {"middle"}, {"upper"}};

// ---- day: levels

// Made-up barges, the same ones every day.
static Barge barge_numbered(int number) {
    unsigned mixed = static_cast<unsigned>(number) * 2654435761u;
    Barge barge{number, 60 + static_cast<int>(mixed >> 20) % 90, 10 + static_cast<int>(mixed >> 8) % 40};
    if (number == 4711) barge.tons = -barge.tons;  // the toll clerk's slip of the pen
    return barge;
}

static double water_moved(const Barge& barge) {
    double displaced = barge.tons * 0.4;
    return displaced + std::sin(barge.number / 300.0) * 6;
}

static void pass_barge(Chamber& chamber, const Barge& barge) {
    double rise = water_moved(barge);
    chamber.level_cm += rise / 10;
    chamber.level_cm -= 0.02 * (chamber.level_cm - 120);
    chamber.boats_passed++;
}

static void work_chamber(int which, int barges) {
    for (int number = which; number < barges; number += 3) {
        Barge barge = barge_numbered(number);
        pass_barge(chambers[which], barge);
    }
}

// The level of the upper pound from midnight to midnight, every ten minutes.
static double day_of_upper_pound() {
    double level_cm = 180;
    int gates_open = 0;
    for (int minute = 0; minute < 24 * 60; minute += 10) {
        double hour = minute / 60.0;
        bool working = hour >= 6 && hour < 20;
        gates_open = working ? 1 + minute / 20 % 3 : 0;
        double inflow = 2.2 + std::sin(hour / 24 * 2 * M_PI);
        level_cm += inflow - gates_open * 2.1;
        if (level_cm > 200) level_cm = 200;
    }
    return level_cm;
}

static int day() {
    std::vector<std::thread> keepers;
    for (int which = 0; which < 3; ++which) keepers.emplace_back(work_chamber, which, 9000);
    for (std::thread& keeper : keepers) keeper.join();
    for (const Chamber& chamber : chambers) std::printf("%-6s %4d boats, %.1f cm\n", chamber.name, chamber.boats_passed, chamber.level_cm);
    std::printf("upper pound at midnight: %.1f cm\n", day_of_upper_pound());
    return 0;
}

// ---- tally: the wrong hand on a counter

struct Tally {
    int boats[2];  // counted by the lower and by the upper keeper
};
Tally tally;

static void count_boats(int keeper, int boats) {
    pthread_setname_np(pthread_self(), keeper ? "upper keeper" : "lower keeper");
    while (keeper == 0 && tally.boats[1] < 100) std::this_thread::yield();  // rises late
    for (int boat = 1; boat <= boats; ++boat) {
        tally.boats[keeper] += 1;
        // A new sheet, meant for the keeper's own column.
        if (keeper == 0 && boat % 400 == 0) tally.boats[boat / 400 % 2] = 0;
    }
}

static int count_day() {
    std::thread lower(count_boats, 0, 1000), upper(count_boats, 1, 300);
    lower.join();
    upper.join();
    std::printf("lower keeper %d, upper keeper %d boats\n", tally.boats[0], tally.boats[1]);
    return tally.boats[1] == 300 ? 0 : 1;
}

// ---- meet: two gates, two orders

static pthread_barrier_t both_are_there;

static void lock_through(const char* keeper, Chamber& first, Chamber& second) {
    pthread_setname_np(pthread_self(), keeper);
    std::lock_guard<std::mutex> held(first.gate);
    pthread_barrier_wait(&both_are_there);
    std::lock_guard<std::mutex> wanted(second.gate);
    std::swap(first.level_cm, second.level_cm);
}

static int meet() {
    pthread_barrier_init(&both_are_there, nullptr, 2);
    std::thread up(lock_through, "going up", std::ref(chambers[0]), std::ref(chambers[1]));
    std::thread down(lock_through, "going down", std::ref(chambers[1]), std::ref(chambers[0]));
    up.join();
    down.join();
    std::puts("both passed");
    return 0;
}

int main(int argc, char** argv) {
    std::string what = argc > 1 ? argv[1] : "day";
    if (what == "day") return day();
    if (what == "tally") return count_day();
    if (what == "meet") return meet();
    std::fprintf(stderr, "lockgates day|tally|meet\n");
    return 2;
}
