// A fixture whose types lie in memory in every way there is; it prints where, so that nobody has to guess.
#include <cstddef>
#include <cstdint>
#include <cstdio>

struct Base {
    virtual ~Base() {}
    int water;
};
struct Left : virtual Base {
    char gate;
};
struct Right : virtual Base {
    short sluice;
};
struct Nothing {};
struct Tail {
    std::int64_t wide;
    char end;
};
struct Reuses : Nothing {
    std::int64_t wide = 1;
    char one = 2;
    static constexpr int kMost = 12;
    static int count;
    union {
        int whole;
        double real;
    };
    struct {
        char narrow;
        int broad;
    };
    unsigned three : 3, seven : 7;
    std::int8_t last = 9;
};
int Reuses::count = 4;
struct Diamond : Left, Right {
    bool flag = true;
};
enum Way : std::uint8_t { up = 3, down = 250 };

int main() {
    Reuses reuses;
    Diamond diamond;
    Tail tail{1, 2};
    Way way = down;
    std::printf("size_reuses=%zu\nsize_diamond=%zu\nsize_tail=%zu\n", sizeof(Reuses), sizeof(Diamond), sizeof(Tail));
    auto at = [&](const void* member) { return static_cast<long>(static_cast<const char*>(member) - reinterpret_cast<const char*>(&reuses)); };
    std::printf("one=%ld\nwhole=%ld\nreal=%ld\nnarrow=%ld\nbroad=%ld\nlast=%ld\n", at(&reuses.one), at(&reuses.whole), at(&reuses.real), at(&reuses.narrow), at(&reuses.broad), at(&reuses.last));
    std::printf("flag=%ld\n", static_cast<long>(reinterpret_cast<const char*>(&diamond.flag) - reinterpret_cast<const char*>(&diamond)));
    return way + tail.end == 0;
}
