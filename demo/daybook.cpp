// The toll-house's daybook, compiled for speed. A barge that passes often pays half, from its fourth passage on; the takings of the
// day are far too low. Nearly all of what runs here is inlined.
#include <cstdio>
#include <string>
#include <vector>

namespace {

struct Passage {
    std::string barge;
    int draught_cm;
    int passages;  // of this barge, this one included
};

int rebate(int passages, int pence) {
    if (passages > 3)
        return pence / 2;
    return pence;
}

int toll(const Passage& passage) {
    int pence = 12;
    if (passage.draught_cm > 110)
        pence += 20;
    int due = rebate(pence, passage.passages);  // the wrong way round
    return due;
}

int takings(const std::vector<Passage>& day) {
    int sum = 0;
    for (const Passage& passage : day) {
        int pence = toll(passage);
        sum += pence;
        std::printf("%-8s %3d d\n", passage.barge.c_str(), pence);
    }
    return sum;
}

}  // namespace

int main() {
    std::vector<Passage> day;
    day.push_back({"Wren", 95, 1});
    day.push_back({"Heron", 120, 2});
    day.push_back({"Wren", 95, 4});
    day.push_back({"Teal", 131, 1});
    int sum = takings(day);
    std::printf("the day's takings: %d d\n", sum);
    return sum > 80 ? 0 : 1;
}
