// The queue at Sallow Hill: barges wait in order, pay a toll from the table, and are told of by the lock-keepers who watch
// them. Three things are wrong with it.
#include <cstdio>
#include <deque>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace canal {

struct Craft {
    std::string name;
    int draught_cm;
    Craft(std::string name, int draught_cm) : name(std::move(name)), draught_cm(draught_cm) {}
    virtual ~Craft() = default;
    virtual int toll(int base) const { return base * draught_cm / 100; }
};

struct Narrowboat : Craft {
    int cabins = 1;
    using Craft::Craft;
    int toll(int base) const override { return base * draught_cm / 100 + cabins; }
};

struct Collier : Craft {
    double coal_t = 22.5;
    using Craft::Craft;
    int toll(int base) const override { return base + static_cast<int>(coal_t); }
};

using Tolls = std::map<std::string, int>;

struct Keeper {
    std::string name;
    std::vector<std::weak_ptr<Craft>> watched;
    std::optional<int> lock;
};

// A table that is asked for a class it does not have gains one.
int base_toll(Tolls& tolls, const std::string& kind) {
    return tolls[kind];
}

struct Queue {
    std::deque<std::shared_ptr<Craft>> waiting;
    int levels_cm[4][6] = {{310, 308, 305, 300, 296, 290}, {268, 270, 271, 273, 276, 280}, {214, 214, 213, 211, 208, 0}, {180, 182, 185, 187, 190, 192}};

    Craft* first() const { return waiting.front().get(); }
    void pass() { waiting.pop_front(); }
};

int lowest(const int (&levels)[4][6]) {
    int level = levels[0][0];
    for (const auto& row : levels)
        for (int level_cm : row)
            if (level_cm < level) level = level_cm;
    return level;
}

}  // namespace canal

using namespace canal;

int main() {
    Tolls tolls = {{"collier", 30}, {"narrowboat", 12}, {"packet", 45}};
    Queue queue;
    Keeper keeper{"Ada Quill", {}, 3};
    auto admit = [&](std::shared_ptr<Craft> craft) {
        keeper.watched.push_back(craft);
        queue.waiting.push_back(std::move(craft));
    };
    admit(std::shared_ptr<Craft>(new Narrowboat("Wren", 60)));
    admit(std::shared_ptr<Craft>(new Collier("Heron", 110)));
    admit(std::shared_ptr<Craft>(new Narrowboat("Teal", 55)));

    int takings = 0;
    for (const auto& craft : queue.waiting) {
        const char* kind = dynamic_cast<const Narrowboat*>(craft.get()) ? "narrowboat" : "colier";
        int base = base_toll(tolls, kind);
        int toll = craft->toll(base);
        takings += toll;
        std::printf("%-8s %3d cm  pays %3d\n", craft->name.c_str(), craft->draught_cm, toll);
    }

    Craft* first = queue.first();
    queue.pass();
    int lowest_cm = lowest(queue.levels_cm);
    std::printf("takings %d, lowest water %d cm, %zu kinds of craft\n", takings, lowest_cm, tolls.size());
    std::printf("first through: %s\n", first->name.c_str());
    return 0;
}
