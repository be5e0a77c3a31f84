// Functions that return values of every kind the convention knows, and the text that each should read.
#include <complex.h>
#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>
#include <stdio.h>

typedef int int4 __attribute__((vector_size(16)));
typedef float float2 __attribute__((vector_size(8)));
typedef double double2 __attribute__((vector_size(16)));
typedef short shorts8 __attribute__((vector_size(16)));
enum side { LEFT, RIGHT = 7 };
enum wide_side { NEAR = 1, FAR = 0x100000000 };
struct c1 { char a; };
struct c3 { char a, b, c; };
struct s1 { short a; };
struct i1 { int a; };
struct i2 { int a, b; };
struct i3 { int a, b, c; };
struct i4 { int a, b, c, d; };
struct i5 { int a, b, c, d, e; };
struct l1 { long a; };
struct l2 { long a, b; };
struct l3 { long a, b, c; };
struct f1 { float a; };
struct f2 { float a, b; };
struct f3 { float a, b, c; };
struct f4 { float a, b, c, d; };
struct f5 { float a, b, c, d, e; };
struct d1 { double a; };
struct d2 { double a, b; };
struct d3 { double a, b, c; };
struct fi { float a; int b; };
struct fif { float a; int b; float c; };
struct dl { double a; long b; };
struct ld { long a; double b; };
struct di { double a; int b; };
struct id { int a; double b; };
struct ci { char a; int b; };
struct cd { char a; double b; };
struct ffd { float a, b; double c; };
struct dff { double a; float b, c; };
struct longdouble1 { long double a; };
struct longdouble2 { long double a, b; };
struct nested { struct i2 a; struct f2 b; };
struct deep { struct { struct { double a; } b; long c; } d; };
struct array4 { int a[4]; };
struct array8 { char a[8]; };
struct array12 { short a[6]; };
struct array17 { signed char a[17]; };
struct doubles2 { double a[2]; };
struct floats3 { float a[3]; };
struct bits8 { unsigned a : 3, b : 5; };
struct bits32 { unsigned a : 7, b : 13, c : 12; };
struct bits64 { unsigned long a : 33, b : 31; };
struct bits128 { unsigned long a : 40, b : 50, c : 30; };
struct bits_signed { int a : 4, b : 9; short c; };
struct bits_double { int a : 5; double b; };
struct bits_many { unsigned a : 1, b : 1, c : 1; unsigned char d; unsigned e : 9; };
struct packed9 { char a; long b; } __attribute__((packed));
struct packed5 { char a; int b; } __attribute__((packed));
struct aligned16 { int a; } __attribute__((aligned(16)));
struct pointers { const int* a; const char* b; };
struct pointer_double { void* a; double b; };
struct callback { int (*a)(void); };
struct empty_tail { int a; int b[]; };
struct complexes { float complex a; };
struct wide { __int128 a; };
struct vector1 { double2 a; };
struct boolean2 { bool a, b; };
struct enums { enum side a, b; };
union number { int a; float b; };
union wide_number { double a; long b; };
union floats { float a; double b; };
union big { char a[24]; long b; };
union extended { long double a; int b; };

#define SCALARS(R) \
    R(r_bool, bool, "true", true) R(r_char, char, "120 'x'", 'x') R(r_schar, signed char, "-5 '\\xfb'", -5) R(r_uchar, unsigned char, "250 '\\xfa'", 250) \
    R(r_short, short, "-1234", -1234) R(r_ushort, unsigned short, "54321", 54321) R(r_int, int, "-7", -7) R(r_unsigned, unsigned, "4000000000", 4000000000u) \
    R(r_long, long, "-8000000000", -8000000000) R(r_ulong, unsigned long, "18446744073709551615", -1ul) R(r_size, size_t, "99", 99) \
    R(r_int128, __int128, "36893488147419103235", ((__int128)2 << 64) + 3) R(r_uint128, unsigned __int128, "340282366920938463463374607431768211455", -1) \
    R(r_float, float, "1.5", 1.5f) R(r_double, double, "-2.25", -2.25) R(r_longdouble, long double, "3.125", 3.125L) \
    R(r_enum, enum side, "RIGHT (7)", RIGHT) R(r_wide_enum, enum wide_side, "FAR (4294967296)", FAR) R(r_i8, int8_t, "-128 '\\x80'", -128) R(r_u64, uint64_t, "5", 5) \
    R(r_cfloat, float complex, "1.5 + 2.5i", 1.5f + 2.5f * I) R(r_cdouble, double complex, "-1.0 + 0.5i", -1 + 0.5 * I) R(r_clong, long double complex, "4.0 + 8.0i", 4 + 8 * I) \
    R(r_int4, int4, "{1, 2, 3, -4}", {1, 2, 3, -4}) R(r_float2, float2, "{1.5, -2.0}", {1.5f, -2}) R(r_double2, double2, "{0.5, 7.0}", {0.5, 7}) \
    R(r_shorts8, shorts8, "{1, 2, 3, 4, 5, 6, 7, -8}", {1, 2, 3, 4, 5, 6, 7, -8})
#define STRUCTURES(R) \
    R(r_c1, struct c1, "{a = 120 'x'}", {'x'}) R(r_c3, struct c3, "{a = 97 'a', b = 98 'b', c = 99 'c'}", {'a', 'b', 'c'}) R(r_s1, struct s1, "{a = -3}", {-3}) \
    R(r_i1, struct i1, "{a = 5}", {5}) R(r_i2, struct i2, "{a = 5, b = -6}", {5, -6}) R(r_i3, struct i3, "{a = 5, b = -6, c = 7}", {5, -6, 7}) \
    R(r_i4, struct i4, "{a = 5, b = -6, c = 7, d = 8}", {5, -6, 7, 8}) R(r_i5, struct i5, "{a = 5, b = -6, c = 7, d = 8, e = 9}", {5, -6, 7, 8, 9}) \
    R(r_l1, struct l1, "{a = -9}", {-9}) R(r_l2, struct l2, "{a = -9, b = 10}", {-9, 10}) R(r_l3, struct l3, "{a = -9, b = 10, c = 11}", {-9, 10, 11}) \
    R(r_f1, struct f1, "{a = 1.5}", {1.5f}) R(r_f2, struct f2, "{a = 1.5, b = 2.5}", {1.5f, 2.5f}) R(r_f3, struct f3, "{a = 1.5, b = 2.5, c = 3.5}", {1.5f, 2.5f, 3.5f}) \
    R(r_f4, struct f4, "{a = 1.5, b = 2.5, c = 3.5, d = 4.5}", {1.5f, 2.5f, 3.5f, 4.5f}) R(r_f5, struct f5, "{a = 1.5, b = 2.5, c = 3.5, d = 4.5, e = 5.5}", {1.5f, 2.5f, 3.5f, 4.5f, 5.5f}) \
    R(r_d1, struct d1, "{a = 0.5}", {0.5}) R(r_d2, struct d2, "{a = 0.5, b = 0.25}", {0.5, 0.25}) R(r_d3, struct d3, "{a = 0.5, b = 0.25, c = 0.125}", {0.5, 0.25, 0.125}) \
    R(r_fi, struct fi, "{a = 1.5, b = 2}", {1.5f, 2}) R(r_fif, struct fif, "{a = 1.5, b = 2, c = 3.5}", {1.5f, 2, 3.5f}) R(r_dl, struct dl, "{a = 1.5, b = 2}", {1.5, 2}) \
    R(r_ld, struct ld, "{a = 1, b = 2.5}", {1, 2.5}) R(r_di, struct di, "{a = 1.5, b = 2}", {1.5, 2}) R(r_id, struct id, "{a = 1, b = 2.5}", {1, 2.5}) \
    R(r_ci, struct ci, "{a = 122 'z', b = 2}", {'z', 2}) R(r_cd, struct cd, "{a = 122 'z', b = 2.5}", {'z', 2.5}) R(r_ffd, struct ffd, "{a = 1.5, b = 2.5, c = 3.5}", {1.5f, 2.5f, 3.5}) \
    R(r_dff, struct dff, "{a = 1.5, b = 2.5, c = 3.5}", {1.5, 2.5f, 3.5f}) R(r_longdouble1, struct longdouble1, "{a = 1.25}", {1.25L}) \
    R(r_longdouble2, struct longdouble2, "{a = 1.25, b = 2.25}", {1.25L, 2.25L}) R(r_nested, struct nested, "{a = {a = 1, b = 2}, b = {a = 3.5, b = 4.5}}", {{1, 2}, {3.5f, 4.5f}}) \
    R(r_deep, struct deep, "{d = {b = {a = 0.5}, c = 9}}", {{{0.5}, 9}}) R(r_array4, struct array4, "{a = {1, 2, 3, 4}}", {{1, 2, 3, 4}}) \
    R(r_array8, struct array8, "{a = \"lock 7\\0\"}", {"lock 7"}) R(r_array12, struct array12, "{a = {1, 2, 3, 4, 5, 6}}", {{1, 2, 3, 4, 5, 6}}) \
    R(r_array17, struct array17, "{a = {1, 2, 0 × 15}}", {{1, 2}}) R(r_doubles2, struct doubles2, "{a = {0.5, 1.5}}", {{0.5, 1.5}}) R(r_floats3, struct floats3, "{a = {1.5, 2.5, 3.5}}", {{1.5f, 2.5f, 3.5f}})
#define ODD(R) \
    R(r_bits8, struct bits8, "{a = 5, b = 17}", {5, 17}) R(r_bits32, struct bits32, "{a = 100, b = 8000, c = 4000}", {100, 8000, 4000}) \
    R(r_bits64, struct bits64, "{a = 8000000000, b = 2000000000}", {8000000000, 2000000000}) R(r_bits128, struct bits128, "{a = 1000000000000, b = 1000000000000000, c = 1000000000}", {1000000000000, 1000000000000000, 1000000000}) \
    R(r_bits_signed, struct bits_signed, "{a = -8, b = -200, c = 300}", {-8, -200, 300}) R(r_bits_double, struct bits_double, "{a = -16, b = 2.5}", {-16, 2.5}) \
    R(r_bits_many, struct bits_many, "{a = 1, b = 0, c = 1, d = 77 'M', e = 500}", {1, 0, 1, 77, 500}) \
    R(r_packed9, struct packed9, "{a = 113 'q', b = 77}", {'q', 77}) R(r_packed5, struct packed5, "{a = 113 'q', b = 77}", {'q', 77}) R(r_aligned16, struct aligned16, "{a = 31}", {31}) \
    R(r_empty_tail, struct empty_tail, "{a = 31, b = (its length is not known; ask for a part of it, such as [0..8])}", {31}) R(r_complexes, struct complexes, "{a = 1.5 + 2.5i}", {1.5f + 2.5f * I}) R(r_wide, struct wide, "{a = 18446744073709551617}", {((__int128)1 << 64) + 1}) \
    R(r_vector1, struct vector1, "{a = {0.5, 7.0}}", {{0.5, 7}}) R(r_boolean2, struct boolean2, "{a = true, b = false}", {true, false}) R(r_enums, struct enums, "{a = RIGHT (7), b = LEFT (0)}", {RIGHT, LEFT}) \
    R(r_number, union number, "{a = 1069547520, b = 1.5}", {.b = 1.5f}) R(r_wide_number, union wide_number, "{a = 1.5, b = 4609434218613702656}", {1.5}) R(r_floats, union floats, "{a = 0.0, b = 2.0}", {.b = 2}) \
    R(r_big, union big, "{a = \"a long lock name\\0\", b = 7791341079364378721}", {"a long lock name"}) R(r_extended, union extended, "{a = 1.0, b = 0}", {1})

#define FUNCTION(name, type, text, ...) __attribute__((noinline)) type name(void) { static type value = __VA_ARGS__; __asm__ volatile("" : "+m"(value)); return value; }
SCALARS(FUNCTION)
STRUCTURES(FUNCTION)
ODD(FUNCTION)

static volatile char sink;
#define CALL(name, type, text, ...) { type value = name(); sink = *(char*)&value; puts(#name "=" text); }
int main(void) {
    SCALARS(CALL)
    STRUCTURES(CALL)
    ODD(CALL)
    return 0;
}
