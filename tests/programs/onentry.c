// Parameters and structures that an optimising compiler keeps nowhere, or in pieces: what they were on entry, what a removed
// pointer led to.
#include <stdio.h>
struct pair { int a, b; };
__attribute__((noinline)) void tail(int x) { printf("%d\n", x); fflush(stdout); }
__attribute__((noinline)) int inner(int first, int second, struct pair p) {
    tail(second);
    tail(2);
    return second * 2;
}
static inline int sum(const struct pair* q) { tail(q->a); return q->a + q->b; }
__attribute__((noinline)) int outer(int n, const char *text) {
    struct pair local = {n + 1, n + 2};
    int r = inner(n * 3, n + 40, local);
    r += sum(&local);
    puts(text);
    return r;
}
int main(int argc, char **argv) { return outer(argc, "lock") > 0 ? 0 : 1; }
