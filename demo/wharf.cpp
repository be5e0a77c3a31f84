// The wharf at Ashby Basin: barges tie up, crates are landed, bills are written. Three things are wrong with its memory.
#include <cstdio>
#include <cstring>
#include <map>
#include <string>
#include <vector>

namespace canal {

struct Bill {
    int number;
    int pence;
    char to[48];
};

struct Barge {
    int number;
    int draught_cm;
    long cargo_kg;
};

struct Crate {
    int weight_kg;
    int berth;
    long landed_at;
};

struct Label {
    char* text;
};

class Wharf {
  public:
    Wharf() {
        crates_.reserve(8);
        labels_.reserve(8);
    }
    void tie_up(int number, int draught_cm) { berths_[number % 4] = new Barge{number, draught_cm, 20'000}; }
    // The berth is free again, and yet remembers.
    void cast_off(int berth) { delete berths_[berth]; }
    void land(int weight_kg, int berth) { crates_.push_back(new Crate{weight_kg, berth, 1893}); }
    // A bill that is written anew leaves the old one lying about.
    void write_bill(int number, int pence, const char* to) {
        Bill* bill = new Bill{number, pence, {}};
        std::snprintf(bill->to, sizeof bill->to, "%s", to);
        bills_[number] = bill;
    }
    // One byte is missing for the end of the text, and more where it is long.
    void put_label(const char* text) {
        char* copy = new char[24];
        std::strcpy(copy, text);
        labels_.push_back({copy});
    }
    int draught_at(int berth) const { return berths_[berth]->draught_cm; }
    std::size_t crates() const { return crates_.size(); }
    std::size_t bills() const { return bills_.size(); }

  private:
    Barge* berths_[4] = {};
    std::vector<Crate*> crates_;
    std::map<int, Bill*> bills_;
    std::vector<Label> labels_;
};

}  // namespace canal

__attribute__((noinline)) void close_of_day(const canal::Wharf& wharf) {
    std::printf("%zu crates, %zu bills, draught at berth 1: %d cm\n", wharf.crates(), wharf.bills(), wharf.draught_at(1));
}

int main() {
    canal::Wharf wharf;
    for (int number = 0; number < 4; ++number) wharf.tie_up(number, 110 + number * 10);
    for (int i = 0; i < 60; ++i) wharf.write_bill(i % 20, 250 + i, i % 2 ? "Wren & Daughters" : "the Sallow Hill Brick Company");
    wharf.put_label("bricks");
    wharf.cast_off(1);
    wharf.land(75, 2);
    wharf.cast_off(2);
    wharf.put_label("timber for the upper pound");
    wharf.land(80, 3);
    close_of_day(wharf);
}
