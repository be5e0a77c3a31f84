// A season on the canal: barges come and go, bills are kept too long, a sheet is written every eighth day.
#include <cstdlib>
#include <string>
#include <unistd.h>
#include <vector>

struct Passage {
    char name[200];
};

__attribute__((noinline)) Passage* admit() { return new Passage; }
__attribute__((noinline)) char* write_bill(int pence) { return static_cast<char*>(std::malloc(64 + pence % 500)); }
__attribute__((noinline)) void write_day_sheet(std::vector<std::string>& lines) {
    for (int i = 0; i < 4000; ++i) lines.push_back(std::string(100 + i % 50, '-'));
    usleep(2000);
}

int main() {
    std::vector<Passage*> passages;
    std::vector<char*> bills;
    for (int day = 0; day < 40; ++day) {
        for (int i = 0; i < 1000; ++i) passages.push_back(admit());
        // In the second half of the season more barges leave than come.
        for (int i = 0; day > 20 && i < 1600 && !passages.empty(); ++i) {
            delete passages.back();
            passages.pop_back();
        }
        for (int i = 0; i < 500; ++i) bills.push_back(write_bill(i));
        std::vector<std::string> sheet;
        if (day % 8 == 3) write_day_sheet(sheet);
        usleep(3000);
    }
    for (Passage* passage : passages) delete passage;
    for (char* bill : bills) std::free(bill);
}
