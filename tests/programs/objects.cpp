// Objects of C++ and what can be asked of them: one line "EXPRESSION = TEXT" each, the text in the form the views write.
#include <cstdio>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace canal {

struct Craft {
    int draught_cm = 50;
    virtual ~Craft() = default;
    virtual int toll(int days) const { return draught_cm * days; }
    int twice() const { return 2 * draught_cm; }
};
struct Named {
    std::string name = "Wren";
    virtual ~Named() = default;
};
struct Narrowboat : Craft, Named {
    int cabins = 2;
    int toll(int days) const override { return cabins + days; }
};
struct Waterway {
    int length_m = 900;
    virtual ~Waterway() = default;
};
struct Upper : virtual Waterway { int locks = 3; };
struct Lower : virtual Waterway { int sluices = 4; };
struct Flight : Upper, Lower { int keepers = 5; };

enum class Light : unsigned char { red, amber, green };
struct Keeper {
    static int count;
    static constexpr int most = 9;
    int shift = 1;
    int pay(int hours);
    auto rule() {
        int extra = 4;
        return [this, extra](int n) { return pay(n) + extra + shift; };
    }
};
int Keeper::count = 3;

template <class T>
struct Pair {
    T first, second;
};
template <class T>
T larger(T a, T b) { return a > b ? a : b; }

struct Pound { double depth; long volume; };
struct Wide { long a, b, c; };
int level = 1;

__attribute__((noinline)) void look_here() { asm volatile(""); }
__attribute__((noinline)) void look_inside() { asm volatile(""); }

int Keeper::pay(int hours) {
    int shift_pay = hours * 10;
    std::puts("shift = 1\nthis->shift = 1\nKeeper::count = 3\ncount = 3\nshift + shift_pay = 51");
    std::fflush(stdout);
    look_inside();
    return shift_pay;
}
Pound deepened(Pound pound, double by) { return {pound.depth + by, pound.volume * 2}; }
Wide widened(Wide wide, int by) { return {wide.a + by, wide.b + by, wide.c + by}; }
std::string greeting(int n) { return "lock " + std::to_string(n) + " is open to everybody today"; }
double mixed(int a, double b, float c, long d, char e, short f, unsigned g, long h, double i) { return a + b + c + d + e + f + g + h + i; }
int boom(int* where) { return *where; }
long sum_of_nine(long a, long b, long c, long d, long e, long f, long g, long h, long i) { return a + 10 * b + c + d + e + f + g + 100 * h + 1000 * i; }
bool is_deep(const Pound& pound) { return pound.depth > 2; }

}  // namespace canal

using namespace canal;

int main() {
    Narrowboat boat;
    Craft* craft = &boat;
    Named* named = &boat;
    Craft& reference = boat;
    Craft&& moved = std::move(boat);
    Flight flight;
    Waterway* waterway = &flight;
    Craft plain_craft;
    Craft* no_craft = nullptr;
    int Narrowboat::*cabins = &Narrowboat::cabins;
    int Craft::*no_member = nullptr;
    int (Craft::*method)() const = &Craft::twice;
    int (Craft::*virtual_method)(int) const = &Craft::toll;
    Light light = Light::green;
    Keeper keeper;
    Pair<int> two{1, 2};
    Pair<Pair<char>> four{{'a', 'b'}, {'c', 'd'}};
    Pound pound{1.5, 7};
    Wide wide{1, 2, 3};
    int level = 2;
    int& level_again = level;
    std::map<std::string, int> tolls = {{"Wren", 12}, {"Heron", 30}};
    std::vector<std::string> names = {"Wren", "Heron"};
    std::vector<int> numbers = {5, 6, 7, 8};
    std::unique_ptr<Craft> owned = std::make_unique<Narrowboat>();
    std::optional<Pound> maybe = pound, never;
    std::string text = "Wren";
    int* bad = reinterpret_cast<int*>(8);
    int total = larger(2, 3) + (int)larger(1.5, 0.5);
    {
        int level = 3;
        std::puts("level = 3\n::level = 1\ncanal::level = 1");
        std::printf("&level_again == &level = false\nlevel_again * 10 = 20\n&boat.draught_cm == &craft->draught_cm = true\n");
        std::puts("craft->cabins = 2\ncraft->draught_cm = 50\nreference.draught_cm = 50\nreference.cabins = 2\nnamed->name = \"Wren\"\nnamed->cabins = 2");
        std::puts("waterway->keepers = 5\nflight.length_m = 900\nwaterway->length_m = 900\nflight.sluices + flight.locks = 7");
        std::puts("*craft = {canal::Craft = {draught_cm = 50}, canal::Named = {name = \"Wren\"}, cabins = 2}");
        std::puts("flight = {canal::Upper = {canal::Waterway = {length_m = 900}, locks = 3}, canal::Lower = {canal::Waterway = {length_m = 900}, sluices = 4}, keepers = 5}");
        std::puts("plain_craft = {draught_cm = 50}\nno_craft = null\nboat.*cabins = 2\ncraft->cabins + 1 = 3\nno_member = null");
        std::puts("light = green (2)\nkeeper.shift = 1\ntwo = {first = 1, second = 2}\nfour.second.first = 99 'c'\nsizeof(Pair<int>) = 8\nsizeof(canal::Pair<canal::Pair<char>>) = 4");
        std::puts("static_cast<Narrowboat*>(craft)->cabins = 2\n((Narrowboat*)craft)->draught_cm = 50\nstatic_cast<Narrowboat*>(named)->cabins = 2\ndynamic_cast<Narrowboat*>(named) == &boat = true");
        std::puts("dynamic_cast<Narrowboat*>(&plain_craft) == nullptr = true\ndynamic_cast<Craft*>(named) == craft = true\nstatic_cast<Named*>(&boat) == named = true\nreinterpret_cast<unsigned long>(no_craft) = 0");
        std::puts("tolls[\"Wren\"] = 12\ntolls[\"Heron\"] + 1 = 31\nnames[1] = \"Heron\"\nnames[0] == \"Wren\" = true\nnames[0] == names[1] = false\nnumbers[2] * 2 = 14\nnumbers[1..3] = {6, 7}");
        std::puts("owned->cabins = 2\n(*owned).draught_cm = 50\nmaybe->depth = 1.5\n(*maybe).volume = 7\ntext == \"Wren\" = true\ntext != \"Teal\" = true\ntext[1] = 114 'r'");
        std::puts("int(2.9) = 2\nlevel > 2 ? 10 : 20 = 10\ntrue && !false = true\nalignof(Wide) = 8\nnullptr == no_craft = true\nLight::green = green (2)");
        // These run code of the program.
        std::puts("craft->toll(5) = 7\nplain_craft.toll(2) = 100\nboat.twice() = 100\nlarger<int>(4, 9) = 9\nlarger<double>(1.5, 2) = 2.0");
        std::puts("deepened(pound, 0.5) = {depth = 2.0, volume = 14}\nwidened(wide, 10) = {a = 11, b = 12, c = 13}\nmixed(1, 2.5, 3, 4, 5, 6, 7, 8, 9.25) = 45.75");
        std::puts("sum_of_nine(1, 2, 3, 4, 5, 6, 7, 8, 9) = 9846\nis_deep(pound) = false\ngreeting(4) = \"lock 4 is open to everybody today\\0\"\nowned->toll(1) + 1 = 4");
        std::fflush(stdout);
        look_here();
        total += level;
    }
    keeper.rule()(5);
    return total + boat.*cabins + (boat.*method)() + (moved.*virtual_method)(0) + bool(bad) + plain_craft.draught_cm > 0 ? 0 : never.has_value();
}
