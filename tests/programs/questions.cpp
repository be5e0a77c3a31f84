// A fixture: containers of C++, and a program that says itself what it answers to each question.
#include <array>
#include <atomic>
#include <deque>
#include <iostream>
#include <list>
#include <map>
#include <memory>
#include <optional>
#include <queue>
#include <set>
#include <span>
#include <stack>
#include <string>
#include <string_view>
#include <unordered_map>
#include <unordered_set>
#include <vector>

#define ASK(question) std::cout << #question << " = " << (question) << '\n'

struct Barge {
    std::string name;
    int draught = 0;
};

struct Convoy : std::vector<int> {};
struct ByLength {
    bool operator()(const std::string &a, const std::string &b) const { return a.size() < b.size(); }
};
struct Tally : std::vector<int> {
    unsigned long size() const { return 99; }
};

static void stand_here() { std::cout << std::flush; }

int main() {
    std::cout << std::boolalpha;
    std::vector<int> levels = {214, 180, 146};
    std::vector<int> none;
    std::vector<Barge> barges = {{"Wren", 60}, {"Teal", 75}};
    std::vector<bool> shut = {true, false, true};
    std::array<short, 4> gates = {3, 1, 4, 1};
    std::deque<long> waiting;
    for (long i = 0; i < 200; ++i) waiting.push_back(i * 3);
    std::list<int> locks = {7, 8, 9};
    std::map<int, std::string> keepers = {{1, "Ada"}, {4, "Ben"}, {9, "Cem"}};
    std::map<std::string, int> tolls = {{"Heron", 12}, {"Wren", 7}};
    std::multimap<int, int> crossings = {{1, 10}, {1, 11}, {2, 20}};
    std::set<int> marks = {10, 20, 30};
    std::multiset<char> letters = {'a', 'b', 'a'};
    std::unordered_map<int, double> weights = {{3, 1.5}, {5, 2.5}};
    std::unordered_set<int> berths = {4, 8};
    std::stack<int> pile;
    pile.push(1);
    pile.push(2);
    std::queue<int> line;
    line.push(5);
    line.push(6);
    std::priority_queue<int> urgent;
    for (int n : {3, 9, 4}) urgent.push(n);
    std::string name = "Wren of the third lock", nobody;
    std::string_view part = std::string_view(name).substr(0, 4);
    std::span<int> all = levels;
    std::optional<int> depth = 42, no_depth;
    auto owned = std::make_unique<Barge>(Barge{"Heron", 90});
    std::unique_ptr<Barge> gone;
    auto shared = std::make_shared<int>(5);
    auto also = shared;
    std::weak_ptr<int> watcher = shared, lost;
    { lost = std::make_shared<int>(1); }
    std::atomic<int> open_gates = 2;
    Convoy convoy;
    std::map<std::string, int, ByLength> by_length = {{"Wren", 1}, {"Heron", 2}};
    Tally tally;
    tally.push_back(1);
    convoy.push_back(31);
    auto second = levels.begin() + 1;
    auto past = levels.end();
    auto keeper = keepers.find(4);
    auto no_keeper = keepers.find(5);
    auto lock = std::next(locks.begin());
    auto no_lock = locks.end();
    auto weight = weights.find(5);
    auto mark = marks.begin();
    auto turn = waiting.begin() + 150;
    Barge *pointer = &barges[1];

    ASK(levels.size());
    ASK(levels.empty());
    ASK(levels.front());
    ASK(levels.back());
    ASK(levels.at(1));
    ASK(none.size());
    ASK(none.empty());
    ASK(barges.size() > 1 && barges.back().draught == 75);
    ASK(barges.front().name.size());
    ASK(barges.at(1).name);
    ASK(shut.size());
    ASK(shut.front());
    ASK(gates.size());
    ASK(gates.empty());
    ASK(gates.back());
    ASK(gates.at(2));
    ASK(waiting.size());
    ASK(waiting.back());
    ASK(waiting.at(130));
    ASK(locks.size());
    ASK(locks.front());
    ASK(locks.back());
    ASK(keepers.size());
    ASK(keepers.at(4));
    ASK(keepers.count(4));
    ASK(keepers.count(5));
    ASK(keepers.contains(9));
    ASK(keepers.find(9)->second);
    ASK(keepers.find(9)->first);
    ASK(keepers.find(5) == keepers.end());
    ASK(keepers.find(4) != keepers.end());
    ASK(keepers.begin()->second);
    ASK(tolls.at("Wren"));
    ASK(tolls.count("Teal"));
    ASK(tolls.find("Heron")->second);
    ASK(crossings.count(1));
    ASK(crossings.size());
    ASK(marks.count(20));
    ASK(marks.contains(25));
    ASK(*marks.find(30));
    ASK(letters.count('a'));
    ASK(weights.size());
    ASK(weights.at(5));
    ASK(weights.count(4));
    ASK(weights.find(3)->second);
    ASK(weights.find(4) == weights.end());
    ASK(berths.contains(8));
    ASK(berths.empty());
    ASK(pile.top());
    ASK(pile.size());
    ASK(line.front());
    ASK(line.back());
    ASK(urgent.top());
    ASK(urgent.size());
    ASK(name.size());
    ASK(name.length());
    ASK(name.empty());
    ASK(nobody.empty());
    ASK(name.at(2));
    ASK(name.front());
    ASK(name.find("third"));
    ASK(name.find('n'));
    ASK(name.starts_with("Wren"));
    ASK(name.ends_with("gate"));
    ASK(part.size());
    ASK(part);
    ASK(all.size());
    ASK(all.back());
    ASK(depth.has_value());
    ASK(no_depth.has_value());
    ASK(depth.value());
    ASK(no_depth.value_or(7));
    ASK(*depth + 1);
    ASK(owned.get() != nullptr);
    ASK(gone.get() == nullptr);
    ASK(owned->draught);
    ASK(owned.get()->name);
    ASK(owned->name.size());
    ASK(gone == nullptr);
    ASK(shared.use_count());
    ASK(*shared.get());
    ASK(watcher.expired());
    ASK(lost.expired());
    ASK(open_gates.load());
    ASK(convoy.size());
    ASK(convoy.front());
    ASK(*second);
    ASK(*(second + 1));
    ASK(second[1]);
    ASK(second == levels.end());
    ASK(second == levels.begin() + 1);
    ASK(past == levels.end());
    ASK(past - levels.begin());
    ASK(keeper->second);
    ASK(keeper == keepers.end());
    ASK(no_keeper == keepers.end());
    ASK(*lock);
    ASK(lock == locks.end());
    ASK(no_lock == locks.end());
    ASK(weight->second);
    ASK(*mark);
    ASK(*turn);
    ASK(pointer->name.size());
    ASK(sizeof(levels.size()));
    if (by_length.find("Teal") == by_length.end()) return 1;
    stand_here();
    return 0;
}
