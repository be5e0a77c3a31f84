// Classes that functions return, and the text that each should read.
#include <array>
#include <chrono>
#include <complex>
#include <cstdio>
#include <functional>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <tuple>
#include <variant>
#include <vector>

namespace canal {
enum class Side : unsigned char { left, right = 7 };
enum class Wide : long { near = -1, far = 0x100000000 };
struct Bits { unsigned draught : 5, laden : 1; int drift : 7; };
class Draught {
  public:
    Draught(int a, int b) : a_(a), b_(b) {}
  private:
    int a_ : 12;
    int b_ : 20;
};
struct Base { int level; };
struct Derived : Base { int gate; };
struct Tag {};
struct WithEmptyBase : Tag { double depth; };
struct Copied { int a; Copied(int v) : a(v) {} Copied(const Copied& other) : a(other.a) {} };
struct Ended { int a; ~Ended() { a = 0; } };
struct Moved { int a; Moved(int v) : a(v) {} Moved(Moved&& other) : a(other.a) {} };
struct Defaulted { long a; float b; Defaulted() = default; Defaulted(const Defaulted&) = default; };
struct Virtual { int a = 3; virtual int level() { return a; } virtual ~Virtual() = default; };
struct Polymorphic { int a = 4; virtual int level() { return a; } };
struct Lock { int depth = 6; int fill(int) { return 0; } };
struct Refers { int& a; };
struct Packed { char a; short b; int c; float d; };
struct Two { double a; float b; };
union Either { long a; double b; };
struct Holds { Either e; char mark; };
template <class T> struct Pair { T a, b; };
inline int kept = 42;
inline Lock lock;
struct Vectors { float __attribute__((vector_size(16))) a; };
}  // namespace canal
using namespace canal;
using namespace std::string_literals;

#define CLASSES(R) \
    R(r_side, Side, "right (7)", Side::right) R(r_wide, Wide, "far (4294967296)", Wide::far) R(r_bits, Bits, "{draught = 21, laden = 1, drift = -60}", {21, 1, -60}) \
    R(r_draught, Draught, "{a_ = -2000, b_ = 500000}", Draught(-2000, 500000)) R(r_derived, Derived, "{canal::Base = {level = 4}, gate = 9}", {{4}, 9}) \
    R(r_empty_base, WithEmptyBase, "{depth = 2.5}", {{}, 2.5}) R(r_copied, Copied, "{a = 77}", Copied(77)) R(r_ended, Ended, "{a = 78}", {78}) \
    R(r_defaulted, Defaulted, "{a = 0, b = 0.0}", Defaulted()) R(r_pair_float, Pair<float>, "{a = 1.5, b = 2.5}", {1.5f, 2.5f}) R(r_pair_char, Pair<short>, "{a = 1, b = -2}", {1, -2}) \
    R(r_packed, Packed, "{a = 97 'a', b = 2, c = 3, d = 4.5}", {'a', 2, 3, 4.5f}) R(r_two, Two, "{a = 1.5, b = 2.5}", {1.5, 2.5f}) R(r_holds, Holds, "{e = {a = 5, b = 2.5e-323 (denormal)}, mark = 109 'm'}", {{5}, 'm'}) \
    R(r_string, std::string, "\"a narrow boat of forty feet\"", "a narrow boat of forty feet") R(r_short_string, std::string, "\"tug\"", "tug") R(r_view, std::string_view, "\"lock 7\"", "lock 7") \
    R(r_vector, std::vector<int>, "{1, 2, 3}", {1, 2, 3}) R(r_array, Array2, "{5, 6}", {5, 6}) R(r_array_d, Doubles2, "{0.5, 1.5}", {0.5, 1.5}) \
    R(r_optional, std::optional<int>, "41", 41) R(r_nothing, std::optional<int>, "nothing", std::nullopt) R(r_stdpair, IntDouble, "{first = 5, second = 2.5}", {5, 2.5}) \
    R(r_tuple, Three, "(1, 2.5, 120 'x')", {1, 2.5, 'x'}) R(r_complex, std::complex<double>, "1.5 - 2.5i", {1.5, -2.5}) R(r_complex_f, std::complex<float>, "1.5 - 2.5i", {1.5f, -2.5f}) \
    R(r_bool, bool, "true", true) R(r_char16, char16_t, "120 'x'", u'x') R(r_wchar, wchar_t, "120 'x'", L'x') R(r_variant, IntOrDouble, "double(2.5)", 2.5) \
    R(r_unique, std::unique_ptr<int>, "null", nullptr) R(r_shared, std::shared_ptr<int>, "null", nullptr) R(r_long_double, long double, "-0.75", -0.75L)

using Array2 = std::array<int, 2>;
using Doubles2 = std::array<double, 2>;
using IntDouble = std::pair<int, double>;
using Three = std::tuple<int, double, char>;
using IntOrDouble = std::variant<int, double>;

#define FUNCTION(name, type, text, ...) __attribute__((noinline)) type name() { static type value __VA_OPT__(= __VA_ARGS__); asm volatile("" : : "r"(&value) : "memory"); return give<type>(value); }
template <class T> T give(T& value) {
    if constexpr (std::is_copy_constructible_v<T>) return value;
    else return std::move(value);
}
CLASSES(FUNCTION)
__attribute__((noinline)) Moved r_moved() { asm volatile(""); return Moved(79); }
__attribute__((noinline)) int& r_reference() { asm volatile(""); return kept; }
__attribute__((noinline)) int Lock::* r_member() { asm volatile(""); return &Lock::depth; }
__attribute__((noinline)) int (Lock::*r_method())(int) { asm volatile(""); return &Lock::fill; }
__attribute__((noinline)) Polymorphic r_polymorphic() { asm volatile(""); return Polymorphic(); }

static volatile char sink;
#define CALL(name, type, text, ...) { type value = name(); sink = *reinterpret_cast<volatile char*>(&value); puts(#name "=" text); }
int main() {
    CLASSES(CALL)
    { Moved m = r_moved(); sink = m.a; puts("r_moved={a = 79}"); }
    { int& m = r_reference(); sink = m; puts("r_reference=…(canal::kept) → 42"); }
    { auto m = r_member(); asm volatile("" : : "m"(m)); puts("r_member=&canal::Lock::depth (offset 0)"); }
    { auto m = r_method(); asm volatile("" : : "m"(m)); puts("r_method=…(canal::Lock::fill)"); }
    { Polymorphic m = r_polymorphic(); sink = m.a; puts("r_polymorphic={a = 4}"); }
}
