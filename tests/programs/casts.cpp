// Casts and comparisons between classes with what the compiler makes of them: one line "TEXT|TYPE|VALUE" each. The tests compute
// the same texts at look_here's caller and compare type and value.
#include <cstdio>
#include <cstring>

struct Tag { int number = 7; };
struct Shape { int corners = 4; virtual ~Shape() = default; virtual int area() { return 0; } };
struct Square : Shape, Tag { int side = 3; int area() override { return side * side; } };
struct B1 { long a = 1; };
struct B2 { long b = 2; };
struct B3 : B2 { long c = 3; };
struct D : B1, B3 { long d = 4; };
struct Water { int level = 90; virtual ~Water() = default; };
struct Left : virtual Water { int left = 1; };
struct Right : virtual Water { int right = 2; };
struct Basin : Left, Right { int boats = 5; };
struct Deep : Tag, Basin { int depth = 6; };
struct Plain { int p = 8; };

static const char* type_of(bool) { return "bool"; }
static const char* type_of(int) { return "int"; }
static const char* type_of(long) { return "long"; }
static const char* type_of(unsigned long) { return "unsigned long"; }
template <class T> static const char* type_of(T*) { return "pointer"; }
template <class T> static void say(const char* text, T value) {
    unsigned long bits = 0;
    memcpy(&bits, &value, sizeof value);
    std::printf("%s|%s|%lx\n", text, type_of(value), bits);
}
#define P(e) say(#e, e);

__attribute__((noinline)) void look_here() { asm volatile(""); }

int main() {
    Square sq;
    Tag* tp = &sq;
    Shape* sp = &sq;
    D d;
    B1* b1 = &d;
    B2* b2 = &d;
    B3* b3 = &d;
    D* dp = &d;
    Basin basin;
    Deep deep;
    Water* water = &basin;
    Water* deep_water = &deep;
    Left* left = &deep;
    Right* right = &deep;
    Deep* whole = &deep;
    Plain plain;
    void* anything = &d;
    D* none = nullptr;
    B2* no_b2 = nullptr;
    B2& b2r = d;
    Tag& tagr = sq;
    const D* constant = &d;
    P((B2*)&d) P((B3*)&d) P((B1*)&d) P((D*)b2) P((D*)b3) P((D*)b1) P(((D*)b2)->d) P((B2*)dp == b2) P((D*)b2 == dp) P(((B2*)&d)->b) P((B2*)(B3*)&d) P((B3*)b2)
    P((const B2*)constant) P((B2*)none) P((D*)no_b2) P((B2*)none == nullptr) P((void*)b2) P((D*)anything) P((B1*)(B2*)anything)
    P(tp == &sq) P(sp == &sq) P(&sq == tp) P(tp != &sq) P(b2 == &d) P(b1 == &d) P(b3 == dp) P(b2 == b3) P(dp == b2) P(no_b2 == none) P(dp <= b2) P(b2 < dp) P(b2 >= dp)
    P((void*)tp == (void*)&sq) P((char*)tp == (char*)&sq) P((unsigned long)tp == (unsigned long)&sq) P((Tag*)sp == (Tag*)&sq)
    P(&static_cast<Tag&>(sq)) P(static_cast<Tag&>(sq).number) P(&static_cast<Shape&>(sq)) P(&static_cast<B2&>(d)) P(static_cast<B2&>(d).b) P(&static_cast<D&>(b2r)) P(static_cast<D&>(b2r).d) P(&static_cast<Square&>(tagr)) P(static_cast<Square&>(tagr).side)
    P(static_cast<Tag*>(&sq)) P(static_cast<Square*>(tp)) P(static_cast<Square*>(sp)) P(static_cast<Square*>(tp)->side) P(static_cast<D*>(b2)) P(static_cast<B2*>(dp)) P(static_cast<B3*>(b2)) P(static_cast<D*>(b2)->a) P(static_cast<void*>(tp))
    P(&(Tag&)sq) P(((Tag&)sq).number) P(&(D&)b2r) P(((Tag)sq).number) P(static_cast<Tag>(sq).number) P(((B2)d).b) P(static_cast<B3>(d).c)
    P((Water*)&basin) P((Water*)&basin == water) P(water == &basin) P(static_cast<Water*>(&deep)) P(deep_water == &deep) P((Water*)left == (Water*)right) P(static_cast<Water*>(left)->level) P(((Water*)right)->level) P(&static_cast<Water&>(deep)) P(static_cast<Water&>(basin).level)
    P((Deep*)left) P((Deep*)right) P(static_cast<Deep*>(right)) P(static_cast<Basin*>(left)) P((Basin*)right == (Basin*)left) P(static_cast<Deep*>(left)->depth) P((Tag*)whole) P(static_cast<Tag*>(whole)->number) P((Right*)whole == right) P(whole == right) P(whole == deep_water)
    P(dynamic_cast<Deep*>(deep_water)) P(dynamic_cast<Deep*>(left)->depth) P(dynamic_cast<Right*>(left)) P(dynamic_cast<Tag*>(deep_water)) P(dynamic_cast<Deep*>(water)) P(dynamic_cast<void*>(deep_water)) P(dynamic_cast<Square*>(sp)->side)
    P(reinterpret_cast<B2*>(&d)) P(reinterpret_cast<Tag*>(&sq)) P(&reinterpret_cast<B2&>(d)) P(reinterpret_cast<D*>(b2)) P((Plain*)&d) P((Tag*)&plain) P(((Plain*)tp)->p) P(reinterpret_cast<unsigned long>(tp)) P((unsigned long)(B2*)&d)
    P(true ? b2 : &d) P(false ? b2 : &d) P(true ? &d : b2) P((true ? &d : b2)->b) P(sizeof(static_cast<Tag&>(sq))) P(sizeof((B3&)d))
    std::fflush(stdout);
    look_here();
    return 0;
}
