// Every library type whose view the tests look at, filled and printed by the program itself: one line "NAME = TEXT" for
// each, the text in the form the views write. The tests compare the two.
#include <any>
#include <array>
#include <atomic>
#include <bitset>
#include <chrono>
#include <complex>
#include <cstdio>
#include <deque>
#include <filesystem>
#include <forward_list>
#include <functional>
#include <iomanip>
#include <iostream>
#include <list>
#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <queue>
#include <set>
#include <span>
#include <sstream>
#include <stack>
#include <stdexcept>
#include <string>
#include <string_view>
#include <thread>
#include <tuple>
#include <unordered_map>
#include <unordered_set>
#include <variant>
#include <vector>

namespace canal {

struct Barge {
    std::string name;
    int draught_cm = 0;
    virtual ~Barge() = default;
    virtual int toll() const { return draught_cm * 2; }
};
struct Narrowboat final : Barge {
    int cabins = 1;
    int toll() const override { return draught_cm + cabins; }
};
enum Flags { lit = 1, moored = 2, laden = 4 };

int double_toll(int toll) { return 2 * toll; }

// ---- the same text as the views write
std::string text(int v) { return std::to_string(v); }
std::string text(long v) { return std::to_string(v); }
std::string text(unsigned v) { return std::to_string(v); }
std::string text(bool v) { return v ? "true" : "false"; }
std::string text(double v) {
    std::ostringstream out;
    out << std::setprecision(17) << v;
    return out.str().find('.') == std::string::npos ? out.str() + ".0" : out.str();
}
std::string text(const std::string& v) { return "\"" + v + "\""; }
std::string text(std::string_view v) { return text(std::string(v)); }
template <class A, class B>
std::string text(const std::pair<A, B>& v) { return "{first = " + text(v.first) + ", second = " + text(v.second) + "}"; }
template <class Range>
std::string list(const Range& range) {
    std::string out;
    for (const auto& each : range) out += (out.empty() ? "" : ", ") + text(each);
    return out.empty() ? "empty" : "{" + out + "}";
}
template <class Range>
std::string pairs(const Range& range) {
    std::string out;
    for (const auto& [key, value] : range) out += (out.empty() ? "" : ", ") + ("[" + text(key) + "] = ") + text(value);
    return out.empty() ? "empty" : "{" + out + "}";
}
void say(const char* name, const std::string& v) { std::cout << name << " = " << v << "\n"; }

}  // namespace canal

using namespace canal;

void __attribute__((noinline)) look_here() { asm volatile(""); }

int main() {
    std::string short_text = "Wren", long_text = "The Lantern and Gate, by the third lock of the flight", empty_text;
    std::string_view view = std::string_view(long_text).substr(4, 7);
    std::wstring wide_text = L"Schleuse \u00e4";
    std::u16string text16 = u"lock \u00e9 \U0001F6A2";
    std::u32string text32 = U"gate \u20ac";
    say("short_text", text(short_text));
    say("long_text", text(long_text));
    say("empty_text", text(empty_text));
    say("view", text(view));
    say("wide_text", "\"Schleuse \u00e4\"");
    say("text16", "\"lock \u00e9 \U0001F6A2\"");
    say("text32", "\"gate \u20ac\"");

    std::vector<int> levels = {214, 180, 146};
    std::vector<int> no_levels;
    std::vector<bool> open_gates = {true, false, true, true, false, false, true, false, true, true};
    std::vector<std::string> names = {"Wren", "Heron", "Kingfisher by the lower weir"};
    std::vector<std::vector<int>> grid = {{1, 2}, {3, 4, 5}, {}};
    say("levels", list(levels));
    say("no_levels", list(no_levels));
    say("names", list(names));
    say("grid", "{{1, 2}, {3, 4, 5}, empty}");
    std::string gates;
    for (bool open : open_gates) gates += (gates.empty() ? "" : ", ") + text(open);
    say("open_gates", "{" + gates + "}");

    std::array<int, 3> fixed = {7, 8, 9};
    std::span<int> part(levels.data(), 2);
    std::span<int, 3> fixed_part(fixed);
    say("fixed", list(fixed));
    say("part", list(part));
    say("fixed_part", list(fixed_part));
    std::initializer_list<int> listed = {4, 5, 6};
    say("listed", list(listed));
#ifdef __GLIBCXX__
    std::complex<double> turn(1, -2);
    say("turn", "1.0 - 2.0i");
#endif

    std::deque<int> queue_of_tolls;
    for (int i = 0; i < 150; ++i) queue_of_tolls.push_back(i);
    for (int i = 0; i < 20; ++i) queue_of_tolls.pop_front();
    queue_of_tolls.push_front(-1);
    std::deque<std::string> waiting = {"Wren", "Teal"};
    say("queue_of_tolls", list(queue_of_tolls));
    say("waiting", list(waiting));

    std::list<int> chain = {3, 1, 2};
    std::list<double> no_chain;
    std::forward_list<int> one_way = {5, 6, 7};
    say("chain", list(chain));
    say("no_chain", list(no_chain));
    say("one_way", list(one_way));

    std::map<std::string, int> tolls = {{"Wren", 12}, {"Heron", 30}, {"Teal", 9}};
    std::map<int, double> rates;
    for (int i = 0; i < 40; ++i) rates[i * 7 % 41] = i + 0.5;
    std::multimap<int, int> many = {{1, 10}, {1, 11}, {2, 20}};
    std::set<int> numbers = {5, 3, 9, 1};
    std::multiset<int> repeated = {4, 4, 2};
    std::map<char, int> no_map;
    say("tolls", pairs(tolls));
    say("rates", pairs(rates));
    say("many", pairs(many));
    say("numbers", list(numbers));
    say("repeated", list(repeated));
    say("no_map", pairs(std::map<int, int>()));

    std::unordered_map<std::string, int> berths = {{"Wren", 1}, {"Heron", 2}, {"Teal", 3}};
    std::unordered_set<int> marks = {10, 20, 30};
    std::unordered_multimap<int, int> twice = {{1, 5}, {1, 5}};
    say("berths", pairs(berths));
    say("marks", list(marks));
    say("twice", pairs(twice));

    std::stack<int> stacked(std::deque<int>{1, 2, 3});
    std::queue<int> queued(std::deque<int>{4, 5});
    std::priority_queue<int> by_size(std::less<int>(), std::vector<int>{2, 9, 4});
    say("stacked", "{1, 2, 3}");
    say("queued", "{4, 5}");
    say("by_size", "{9, 2, 4}");

    std::pair<int, std::string> both = {3, "gate"};
    std::tuple<int, double, std::string> three = {1, 2.5, "weir"};
    std::tuple<> none_of_them;
    std::tuple<std::less<int>, int> with_empty(std::less<int>(), 8);
    say("both", text(both));
    say("three", "(1, 2.5, \"weir\")");
    say("none_of_them", "()");

    std::optional<int> depth = 42, no_depth;
    std::optional<std::string> label = "lock 7";
    say("depth", text(*depth));
    say("no_depth", "nothing");
    say("label", text(*label));

    std::variant<int, std::string, double> cargo = std::string("coal"), empty_cargo = 2.5;
    say("cargo", "std::string(\"coal\")");
    say("empty_cargo", "double(2.5)");
    std::any anything = 17, any_text = std::string("ballast"), nothing_at_all;
    say("anything", "int(17)");
    say("any_text", "std::string(\"ballast\")");
    say("nothing_at_all", "nothing");

    auto owned = std::make_unique<Narrowboat>();
    owned->name = "Wren";
    owned->draught_cm = 60;
    owned->cabins = 2;
    std::unique_ptr<Barge> as_barge = std::make_unique<Narrowboat>(*owned);
    std::unique_ptr<int> no_owner;
    std::shared_ptr<int> shared = std::make_shared<int>(5), also = shared;
    std::weak_ptr<int> watcher = shared, expired;
    {
        auto gone = std::make_shared<int>(1);
        expired = gone;
    }
    say("no_owner", "null");

    std::function<int(int)> rule = double_toll, lambda_rule = [&](int n) { return n + depth.value_or(0); }, no_rule;
    say("rule", "calls canal::double_toll");
    say("no_rule", "nothing");

    std::atomic<int> counter = 77;
    std::atomic<bool> ready = true;
    std::bitset<12> sluices(0b1010'0000'1111);
    std::bitset<70> many_sluices;
    many_sluices.set(69).set(0);
    say("counter", "77");
    say("ready", "true");
    say("sluices", "1010'0000'1111");

    using namespace std::chrono;
    seconds wait(90);
    milliseconds pause(1500);
    duration<double> exact(2.5);
    hours day(24);
    system_clock::time_point opened{duration_cast<system_clock::duration>(seconds(1'700'000'000))};
    say("wait", "90 s");
    say("pause", "1500 ms");
    say("exact", "2.5 s");
    say("day", "24 h");
    say("opened", "2023-11-14 22:13:20 UTC");

    std::filesystem::path sheet = "/canal/day-sheet.txt";
    say("sheet", text(sheet.string()));
    std::runtime_error trouble("the gate is stuck");
    std::out_of_range beyond("no lock 9");
    say("trouble", "\"the gate is stuck\"");
    say("beyond", "\"no lock 9\"");

    std::mutex held, unheld;
    held.lock();
    say("unheld", "free");
    std::thread::id nobody;
    say("nobody", "no thread");
    Flags state = static_cast<Flags>(lit | laden);
    say("state", "lit | laden (5)");

#ifdef _GLIBCXX_DEBUG
    std::cout.flush();
    look_here();  // its containers begin with what they check themselves with
    held.unlock();
    return 0;
#else
    // ---- broken on purpose, after they were printed
    std::vector<int> backwards = {1, 2, 3};
    auto* words = reinterpret_cast<long*>(&backwards);
    long saved_end = words[1];
    words[1] = words[0] - 8;
    std::list<int> torn = {1, 2, 3, 4};
    long* second = reinterpret_cast<long**>(&torn)[0][0] ? *reinterpret_cast<long**>(&torn) : nullptr;
    long saved_next = second[0];
    second[0] = 0x10;
    std::map<int, int> wild = {{1, 1}, {2, 2}, {3, 3}};
    long* wild_node = reinterpret_cast<long*>(&*wild.begin()) - 4;  // the words before the first pair lead to other nodes
    long saved_node = wild_node[3];
    wild_node[3] = 0x40;
    std::forward_list<int> circle = {1, 2, 3};
    long** first = *reinterpret_cast<long***>(&circle);
    long* saved_third = reinterpret_cast<long**>(reinterpret_cast<long**>(first[0])[0])[0];
    reinterpret_cast<long**>(reinterpret_cast<long**>(first[0])[0])[0] = reinterpret_cast<long*>(first);
    std::cout.flush();
    look_here();
    words[1] = saved_end;
    wild_node[3] = saved_node;
    second[0] = saved_next;
    reinterpret_cast<long**>(reinterpret_cast<long**>(first[0])[0])[0] = saved_third;
    held.unlock();
    return rule(1) + lambda_rule(1) + (also ? 0 : 1) - 45;
#endif
}
