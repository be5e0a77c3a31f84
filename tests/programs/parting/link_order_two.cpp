#include <cstdio>
[[gnu::noinline]] int berths_of(int arms) { return arms * 4; }
int berths = berths_of(3);
extern int total;
int main() { std::printf("%d\n", total); }
