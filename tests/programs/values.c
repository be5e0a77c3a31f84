// Values of every kind C has, printed by the program itself in the form the views write: one line "NAME = TEXT" each.
#include <complex.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <math.h>

enum state { shut = 0, ajar = 1, open_wide = 2 };
enum flags { lit = 1, moored = 2, laden = 4, towed = 8 };
struct sluice { unsigned open_cm : 7; int drift : 5; unsigned : 3; unsigned long long serial : 40; };
union reading { int whole; float real; unsigned char part[4]; };
struct sheet { int count; int lines[]; };
struct gate { int width; struct { int left, right; }; union { int mark; char letter; }; };
typedef float quad __attribute__((vector_size(16)));
typedef int row[3];

static __thread int own_level = 77;
const int fixed_depth = 310;
static int levels[3] = {214, 180, 146};
static int double_toll(int toll) { return 2 * toll; }

__attribute__((noinline)) static void look_here(void) { __asm__ volatile(""); }

static void __attribute__((noinline)) lengths(int n, int m) {
    int list[n];
    int grid[n][m];
    for (int i = 0; i < n; ++i) list[i] = 10 * i;
    for (int i = 0; i < n; ++i)
        for (int j = 0; j < m; ++j) grid[i][j] = i * 100 + j;
    printf("list = {0, 10, 20, 30}\n");
    printf("grid = {{0, 1, 2}, {100, 101, 102}, {200, 201, 202}, {300, 301, 302}}\n");
    fflush(stdout);
    look_here();
}

int main(void) {
    _Bool yes = 1;
    char letter = 'q', bell = '\a';
    signed char small = -100;
    unsigned char byte = 200;
    short narrow = -30000;
    long long wide = -9000000000000000000ll;
    unsigned long long widest = 18000000000000000000ull;
    __int128 huge = ((__int128)1 << 100) + 7, minus_huge = -huge;
    float third = 1.0f / 3, none = 0;
    double tenth = 0.1, large = 1e300, tiny = 4.9e-324, minus_zero = -0.0, endless = INFINITY, minus_endless = -INFINITY;
    long double precise = 1.1L;
#ifdef __clang__
    float half = 1.5f;
#else
    _Float16 half = 1.5f16;
#endif
    double _Complex plane = 1.5 - 2.5 * I;
    float _Complex small_plane = 0.5f + 1.0f * I;
    double not_a_number, with_payload, signalling;
    unsigned long long bits = 0x7ff8000000000000;
    memcpy(&not_a_number, &bits, 8);
    bits = 0x7ff8000000001234;
    memcpy(&with_payload, &bits, 8);
    bits = 0x7ff4000000000001;
    memcpy(&signalling, &bits, 8);
    enum state now = ajar, unheard = (enum state)9;
    enum flags several = lit | laden, with_rest = lit | 64;
    struct sluice sluice = {93, -11, 0xabcdef1234};
    union reading reading = {0x40490fdb};
    struct gate gate = {430, {1, 2}, {65}};
    struct sheet* page = malloc(sizeof *page + 4 * sizeof(int));
    page->count = 4;
    for (int i = 0; i < 4; ++i) page->lines[i] = i + 1;
    quad four = {1, 2, 3, 4.5f};
    row marks = {7, 8, 9};
    char name[8] = "Wren", full[4] = {'f', 'u', 'l', 'l'};
    const char* text = "Heron";
    int (*rule)(int) = double_toll;
    int* second = &levels[1];
    void* nothing = NULL;
    int* wild = (int*)0x123456789000;
    int* impossible = (int*)0x8123456789abcdef;
    unsigned filled = 0xcdcdcdcd;
    unsigned long poison = 0xdeadbeefdeadbeef;
    volatile int watched = 5;
    int matrix[2][3] = {{1, 2, 3}, {4, 5, 6}};
    int zeros[50] = {0};

    printf("yes = true\nletter = 113 'q'\nbell = 7 '\\x07'\nsmall = -100 '\\x9c'\nbyte = 200 '\\xc8'\nnarrow = %d\nwide = %lld\nwidest = %llu\n", narrow, wide, widest);
    printf("huge = 1267650600228229401496703205383\nminus_huge = -1267650600228229401496703205383\n");
    printf("third = %.8g\nnone = 0.0\ntenth = %.1f\nlarge = 1e+300\ntiny = 5e-324 (denormal)\nminus_zero = -0.0\nendless = infinity\nminus_endless = -infinity\n", third, tenth);
    printf("precise = %.20Lg\nhalf = 1.5\nplane = 1.5 - 2.5i\nsmall_plane = 0.5 + 1.0i\n", precise);
    printf("not_a_number = nan\nwith_payload = nan (payload 0x1234)\nsignalling = nan (signalling, payload 0x4000000000001)\n");
    printf("now = ajar (1)\nunheard = 9 (no enum state has this value)\nseveral = lit | laden (5)\nwith_rest = 65 (no enum flags has this value)\n");
    printf("sluice = {open_cm = %u, drift = %d, serial = %llu}\n", sluice.open_cm, sluice.drift, (unsigned long long)sluice.serial);
    printf("reading = {whole = %d, real = %.8g, part = {219, 15, 73, 64}}\n", reading.whole, reading.real);
    printf("gate = {width = 430, {left = 1, right = 2}, {mark = 65, letter = 65 'A'}}\n");
    printf("four = {1.0, 2.0, 3.0, 4.5}\nmarks = {7, 8, 9}\nname = \"Wren\\0\"\nfull = \"full\" (no terminator)\n");
    printf("matrix = {{1, 2, 3}, {4, 5, 6}}\nzeros = {0 × 50}\nnothing = null\nwatched = 5\n");
    printf("text = %p \"Heron\"\nrule = %p (double_toll)\nsecond = %p (levels[1])\n", (void*)text, (void*)rule, (void*)second);
    printf("wild = 0x123456789000 (nothing is mapped there)\nimpossible = 0x8123456789abcdef (no possible address)\n");
    printf("filled = %u (looks like fill bytes 0xcd)\npoison = %lu (looks like fill words 0xdeadbeef)\n", filled, poison);
    printf("own_level = %d\n", own_level);
    lengths(4, 3);
    return watched + page->count + fixed_depth + own_level - rule(0) ? 0 : 1;
}
