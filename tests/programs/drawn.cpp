// Structures of every shape to be drawn. `stop_here` prints each object with its address and what it leads to, one arrow a
// line, "FROM member TO", so that a drawing can be held against what the program itself knows.
#include <cstdio>
#include <cstdlib>
#include <cmath>
#include <deque>
#include <list>
#include <map>
#include <memory>
#include <string>
#include <vector>

struct Keeper {
    std::string name;
    int years;
};
struct Barge {
    int draught_cm;
    Keeper *keeper;
    Barge *next, *before;
};
struct Basin {
    int depth_cm;
    std::unique_ptr<Basin> left, right;
    Basin *parent = nullptr;
};
struct Lock {
    int number;
    std::vector<Lock *> leads_to;
};
struct Craft {
    virtual ~Craft() = default;
    int length_m = 12;
};
struct Collier : Craft {
    int coal_t = 22;
    Craft *tows = nullptr;
};
union Either {
    Barge *barge;
    void (*code)();
};
struct Tagged {
    int kind;
    Either either;
};
struct Wrong {
    Barge *nowhere, *freed, *small, *none;
    Barge **inside;
};

static void arrow(const void *from, const char *member, const void *to) { std::printf("%p %s %p\n", from, member, to); }

__attribute__((noinline)) void stop_here(Barge *head) {
    for (Barge *at = head; at; at = at->next) {
        if (at->next) arrow(at, "next", at->next);
        if (at->before) arrow(at, "before", at->before);
        arrow(at, "keeper", at->keeper);
    }
    std::fflush(stdout);
}
__attribute__((noinline)) void stop_later(Barge *head) { std::printf("%p\n", static_cast<void *>(head)); }

static std::unique_ptr<Basin> basin(int depth, Basin *parent, int levels) {
    auto made = std::make_unique<Basin>();
    made->depth_cm = depth;
    made->parent = parent;
    if (levels > 1) {
        made->left = basin(depth * 2, made.get(), levels - 1);
        made->right = basin(depth * 2 + 1, made.get(), levels - 1);
    }
    return made;
}

static double field[5][7];
static float readings[300];
static int tallies[40]; static unsigned char tones[4][6]; static char label[12] = "Sallow Hill";
static std::vector<std::vector<double>> ragged = {{1, 2, 3}, {4}, {5, 6}};

int main(int count, char **words) {
    Keeper ada{"Ada \"Quill\" <x&y>", 11}, tom{"Tom", 4};
    Barge *head = nullptr, *last = nullptr;
    int barges = count > 1 ? std::atoi(words[1]) : 5;
    for (int i = 0; i < barges; ++i) {
        Barge *barge = new Barge{100 + i, i % 2 ? &tom : &ada, nullptr, last};
        (last ? last->next : head) = barge;
        last = barge;
    }
    auto tree = basin(1, nullptr, 3);
    std::list<Barge> queue = {{1, &ada, nullptr, nullptr}, {2, &tom, nullptr, nullptr}, {3, nullptr, nullptr, nullptr}};
    std::map<std::string, std::shared_ptr<Keeper>> keepers = {{"low", std::make_shared<Keeper>(ada)}, {"high", std::make_shared<Keeper>(tom)}};
    keepers["top"] = keepers["low"];
    std::vector<std::unique_ptr<Keeper>> crew;
    crew.push_back(std::make_unique<Keeper>(tom));
    crew.push_back(nullptr);
    Lock locks[4] = {{0, {}}, {1, {}}, {2, {}}, {3, {}}};
    locks[0].leads_to = {&locks[1], &locks[2]};
    locks[1].leads_to = {&locks[3]};
    locks[2].leads_to = {&locks[3], &locks[2]};
    locks[3].leads_to = {&locks[1]};
    Lock *first = &locks[0];
    Collier collier;
    Collier other;
    collier.tows = &other;
    Craft *craft = &collier;
    Barge *gone = new Barge{7, &ada, head, nullptr};
    Barge *circle = new Barge{8, nullptr, nullptr, nullptr};
    circle->next = new Barge{9, nullptr, circle, nullptr};
    Wrong wrong{reinterpret_cast<Barge *>(0x41414141), gone, reinterpret_cast<Barge *>(std::malloc(16)), nullptr, &head->next};
    auto *torn = new std::list<int>{1, 2, 3, 4};
    *reinterpret_cast<void **>(reinterpret_cast<char *>(&*std::next(torn->begin(), 2)) - 2 * sizeof(void *)) = reinterpret_cast<void *>(0x4141);
    Tagged tagged{1, {}};
    tagged.either.code = reinterpret_cast<void (*)()>(&basin);
    Wrong *bad = &wrong;
    delete gone;
    for (int row = 0; row < 5; ++row)
        for (int column = 0; column < 7; ++column) field[row][column] = row * 10 + column;
    field[3][4] = std::nan("");
    for (int i = 0; i < 300; ++i) readings[i] = static_cast<float>(std::sin(i / 20.0)) * 50;
    readings[10] = INFINITY;
    for (int i = 0; i < 40; ++i) tallies[i] = i % 5;
    tallies[7] = static_cast<int>(0xcdcdcdcd); tones[3][5] = 200;
    std::vector<Barge> fleet(3, Barge{60, &ada, nullptr, nullptr});
    fleet[1].draught_cm = 90;
    stop_here(head);
    Barge *fresh = new Barge{55, &tom, head->next, head};
    head->next->before = fresh;
    head->next = fresh;
    head->draught_cm = 99;
    stop_later(head);
    return count + static_cast<int>(crew.size() + queue.size() + fleet.size()) + (bad && craft && first && circle && tree ? 0 : 1);
}
