// Expressions with what the compiler makes of them: one line "TEXT|TYPE|VALUE" each. Compiled as C and as C++; the tests
// compute the same texts at look_here's caller and compare type and value.
#include <stddef.h>
#include <stdio.h>
#include <string.h>

#ifdef __cplusplus
static const char* type_of(char) { return "char"; }
static const char* type_of(signed char) { return "signed char"; }
static const char* type_of(unsigned char) { return "unsigned char"; }
static const char* type_of(short) { return "short"; }
static const char* type_of(unsigned short) { return "unsigned short"; }
static const char* type_of(int) { return "int"; }
static const char* type_of(unsigned) { return "unsigned int"; }
static const char* type_of(long) { return "long"; }
static const char* type_of(unsigned long) { return "unsigned long"; }
static const char* type_of(long long) { return "long long"; }
static const char* type_of(unsigned long long) { return "unsigned long long"; }
static const char* type_of(float) { return "float"; }
static const char* type_of(double) { return "double"; }
static const char* type_of(long double) { return "long double"; }
static const char* type_of(bool) { return "bool"; }
static const char* type_of(wchar_t) { return "wchar_t"; }
template <class T>
static const char* type_of(T*) { return "pointer"; }
#define TYPE(e) type_of(e)
#define truth bool
#else
#define TYPE(e) _Generic((e), char : "char", signed char : "signed char", unsigned char : "unsigned char", short : "short", \
    unsigned short : "unsigned short", int : "int", unsigned : "unsigned int", long : "long", unsigned long : "unsigned long", \
    long long : "long long", unsigned long long : "unsigned long long", float : "float", double : "double", \
    long double : "long double", _Bool : "bool", default : "pointer")
#define truth _Bool
#endif

static void say(const char* text, const char* type, const void* bytes, long double real) {
    unsigned long long whole = 0;
    if (strstr(type, "float") || strstr(type, "double")) {
        printf("%s|%s|%.21Lg\n", text, type, real);
        return;
    }
    memcpy(&whole, bytes, strstr(type, "char") ? 1 : strstr(type, "short") ? 2 : strstr(type, "long") || !strcmp(type, "pointer") ? 8 : !strcmp(type, "bool") ? 1 : 4);
    printf("%s|%s|%llx\n", text, type, whole);
}

#ifdef __cplusplus
#define P(e) { auto r = (e); say(#e, TYPE(r), &r, number(r)); }
template <class T> static long double number(T v) { return (long double)v; }
template <class T> static long double number(T*) { return 0; }
#else
#define P(e) { __typeof__(+(e)) unused; (void)unused; __typeof__(e) r = (e); say(#e, TYPE(e), &r, (long double)r); }
#define Q(e) { __typeof__(e) r = (e); say(#e, "pointer", &r, 0); }
#endif
#ifdef __cplusplus
#define Q(e) P(e)
#endif

#define PAIRS(OP) P(sc OP u) P(us OP i) P(i OP u) P(l OP u) P(ul OP i) P(ll OP ul) P(ll OP l) P(uc OP sc) P(b OP c) P(ss OP us) P(i OP sc) P(u OP -1) P(e OP i) P(c OP 'a') P(5 OP l) P(bits.narrow OP i) P(bits.wide OP u) P(bits.minus OP 2)
#define REALS(OP) P(f OP i) P(d OP f) P(ld OP d) P(l OP f) P(ul OP d) P(f OP f) P(0.1 OP f) P(1.5f OP u) P(ld OP ul)

enum light { red = 1, amber = 2, green = 4 };
struct bits_of { unsigned narrow : 5; int minus : 4; unsigned wide : 32; };
struct lock { int level; struct { short upper, lower; } gate; union { int whole; char part[4]; }; int* gauge; };

static int table[6] = {10, 20, 30, 40, 50, 60};
static int twice(int n) { return 2 * n; }

__attribute__((noinline)) static void look_here(void) { __asm__ volatile(""); }

int main(void) {
    signed char sc = -3;
    unsigned char uc = 200;
    char c = 'q';
    short ss = -30000;
    unsigned short us = 60000;
    int i = -7;
    unsigned u = 4000000000u;
    long l = -5000000000l;
    unsigned long ul = 18000000000000000000ul;
    long long ll = 9000000000ll;
    float f = 2.7f;
    double d = -1e-3;
    long double ld = 1.1L;
    truth b = 1;
    enum light e = green;
    struct bits_of bits = {17, -5, 3000000000u};
    struct lock lock = {214, {3, -4}, {0x01020304}, table + 2};
    struct lock* pointer = &lock;
    int grid[3][4] = {{1, 2, 3, 4}, {5, 6, 7, 8}, {9, 10, 11, 12}};
    int* walk = table + 1;
    const char* name = "Wren";
    int zero = 0;
    int (*rule)(int) = twice;

    PAIRS(+) PAIRS(-) PAIRS(*) PAIRS(&) PAIRS(|) PAIRS(^) PAIRS(==) PAIRS(!=) PAIRS(<) PAIRS(>) PAIRS(<=) PAIRS(>=) PAIRS(/) PAIRS(%)
    REALS(+) REALS(-) REALS(*) REALS(/) REALS(<) REALS(==) REALS(>=)
    P(i << 3) P(u >> 4) P(l >> 2) P(sc << 1) P(uc >> 3) P(1 << 20) P(1ul << 40) P(i >> 1) P(ll >> 33) P(us << 4) P(bits.narrow << 2)
    P(-i) P(-u) P(-sc) P(~uc) P(~l) P(!i) P(!zero) P(!d) P(+c) P(+f) P(-f) P(-ld) P(~0u) P(-bits.narrow) P(+b)
    P(i && u) P(zero && i / zero) P(zero || 0) P(1 || i / zero) P(i < 0 && u > 5 || zero)
    P(i ? 1 : 2) P(zero ? 1.5 : 2) P(i ? l : u) P(zero ? sc : uc) P(1 ? i : 2.5f) P((zero, i + 1)) P(i > 0 ? 1 : i < -5 ? 2 : 3)
    P((char)300) P((unsigned char)i) P((short)u) P((int)d) P((long)ld) P((double)ul) P((float)ll) P((unsigned)f) P((char)d) P((unsigned long)i) P((long long)u) P((int)2.999)
    P((signed char)200) P((unsigned short)-1) P((long double)f) P((enum light)2 == amber) P((char)'A') P((unsigned long)(walk - table))
    P(sizeof(int)) P(sizeof i) P(sizeof(struct lock)) P(sizeof lock.gate) P(sizeof grid) P(sizeof grid[0]) P(sizeof(char *)) P(sizeof(1.5f)) P(sizeof(unsigned long long)) P(sizeof(int[3])) P(sizeof name)
    P(lock.level) P(lock.gate.lower) P(lock.whole) P(lock.part[2]) P(*lock.gauge) P(pointer->level) P((*pointer).gate.upper) P(pointer->gauge[1]) P((&lock)->level) P(lock.level * 2 + 1)
    P(grid[1][2]) P(*grid[2]) P(*(*(grid + 1) + 3)) P(grid[0][0] + grid[2][3]) P(table[5]) P(2[table]) P(*(table + 3)) P(walk[2]) P(walk[-1]) P(*walk) P(walk - table) P(&table[4] - walk) P(table + 3 == &table[3]) P(walk > table) P(walk != 0) P(!walk)
    P(name[0]) P(*name) P(name[4]) P(*(name + 2)) P("gate"[1]) P('a') P('\n') P('\x41') P('\101') P('\\') P(L'x') P(0x7fffffff) P(0xffffffff) P(2147483648) P(4294967296) P(017) P(0b101) P(5u) P(5l) P(5ul) P(5ll) P(5ull) P(0xffffffffffffffff)
    P(1e3) P(1.5e-7f) P(0x1.8p3) P(.5) P(3.) P(2.5L) P(1e300 * 1e10) P(1.0f / 3) P(1.0 / 3) P(1.0L / 3)
    P(e) P(e | red) P(red + amber) P(e == green) P(amber < green)
    P(i + u * 2 - l / 3 % 7) P((i + 3) * (u - 1)) P(i - -i) P(i - - -i) P(1 + 2 * 3 << 1 & 0xf | 1) P(i & 1 == 1) P(~i & 0xff) P((i ^ u) >> 3) P(-7 / 2) P(-7 % 3) P(7 % -3) P(i * i * i)
    P(i == -7 && lock.level > 100 && table[2] == 30) P(uc + uc) P(us * us > 0) P((unsigned char)(uc + uc)) P(sc == (signed char)253)
    Q(table + 2) Q(&lock.level) Q(walk + 1) Q(&grid[1]) Q(name + 1) Q((char *)walk + 1) Q(&*walk) Q(*grid + 1) Q(rule)
    fflush(stdout);
    look_here();
    return 0;
}
