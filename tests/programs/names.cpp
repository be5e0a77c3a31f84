// Names in every form that C++ has: overloads, operators, conversions, templates, lambdas, what is in no named namespace.
#include <cstdio>
#include <vector>
#include <algorithm>
namespace {
int hidden(int a) { return a + 1; }
struct Lock { int n; int pass(int k) const { return n + k; } bool operator<(const Lock& o) const { return n < o.n; } operator bool() const { return n != 0; } int operator()(int x) { return x + n; } int operator[](int i) const { return i + n; } };
}
namespace canal {
int over(int a) { return a * 2; }
int over(double a) { return static_cast<int>(a * 3); }
int over(const char* s, int k) { return s[0] + k; }
template <class T> T larger(T a, T b) { return a < b ? b : a; }
template <class T, int N> struct Queue { T items[N]; T first() const { return items[0]; } template <class U> int mixed(U u) { return (int)u; } };
struct Barge { Barge(int d) : d(d) {} ~Barge() { std::printf("gone\n"); } int d; static int count() { return 3; } };
Barge operator+(const Barge& a, const Barge& b) { return Barge(a.d + b.d); }
}
int main() {
    auto twice = [](int x) { return x * 2; };
    std::vector<int> v{3, 1, 2};
    std::sort(v.begin(), v.end(), [](int a, int b) { return a > b; });
    Lock l{3}, m{4};
    canal::Queue<int, 4> q{{1, 2, 3, 4}};
    canal::Barge a(1), b(2);
    canal::Barge c = a + b;
    int r = hidden(1) + l.pass(2) + (l < m) + (bool)l + l(2) + l[1] + canal::over(1) + canal::over(2.0) + canal::over("x", 2) + canal::larger(1, 2) + (int)canal::larger(1.5, 2.5) + q.first() + q.mixed(2.0) + c.d + canal::Barge::count() + twice(4);
    std::printf("%d\n", r + v[0]);
}
