// The floor as a program of its own, for timing whole commands: floor_launch PROGRAM STOP-ADDRESS
// ENTRY (file addresses, hex)
#include "bench/floor_launch.h"

#include <cstdlib>

int main(int count, char** arguments) {
    if (count != 4) return 2;
    std::uint64_t at =
        lantern::bench::floor_launch(arguments[1], std::strtoull(arguments[2], nullptr, 16),
                                     std::strtoull(arguments[3], nullptr, 16));
    std::printf("%lx\n", static_cast<unsigned long>(at));
    return at ? 0 : 1;
}
