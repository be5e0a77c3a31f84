// Objects of many kinds on the heap; the program says how many there are of each.
#include <cstdio>
#include <deque>
#include <list>
#include <map>
#include <memory>
#include <string>
#include <unordered_map>
#include <vector>

namespace canal {

struct Barge {
    int number;
    Barge* next;
    long draught[3];
};
struct Gate {
    double height;
    int state;
};
class Vessel {
  public:
    virtual ~Vessel() = default;
    long weight = 1;
};
class Tug : public Vessel {
  public:
    double power[2] = {1, 2};
    Gate* gate = nullptr;
};
class Ferry : public Vessel {
  public:
    char seats[100] = {};
};

}  // namespace canal

using namespace canal;

Barge* fleet = nullptr;
std::map<int, Gate> gates;
std::list<long> levels;
std::unordered_map<int, double> tolls;
std::vector<std::unique_ptr<Vessel>> vessels;
std::shared_ptr<Gate> shared;
volatile int stop_here;

__attribute__((noinline)) void look_here() { stop_here = 1; }

int main() {
    for (int i = 0; i < 37; ++i) fleet = new Barge{i, fleet, {1, 2, 3}};
    for (int i = 0; i < 11; ++i) gates[i] = {i * 1.5, i};
    for (int i = 0; i < 13; ++i) levels.push_back(i);
    for (int i = 0; i < 17; ++i) tolls[i] = i;
    for (int i = 0; i < 5; ++i) vessels.push_back(std::make_unique<Tug>());
    for (int i = 0; i < 7; ++i) vessels.push_back(std::make_unique<Ferry>());
    static_cast<Tug&>(*vessels[0]).gate = new Gate{2, 3};
    std::vector<std::string> names{"a name that is too long to lie in the object itself"};
    std::printf("37 canal::Barge\n11 element of std::map\n13 element of std::list\n17 element of std::unordered_map\n"
                "5 canal::Tug\n7 canal::Ferry\n1 canal::Gate\n1 std::unique_ptr\n1 std::string\n1 char\n");
    std::fflush(stdout);
    look_here();
    return static_cast<int>(names.size()) - 1;
}
