// What is only done where it is asserted is not done in a release.
#include <assert.h>
#include <stdio.h>

static int open_gates = 0;
__attribute__((noinline)) int open_gate(void) { return ++open_gates; }
__attribute__((noinline)) int flow(int gates) { return gates * 30; }

int main(void) {
    assert(open_gate() == 1);
    int passed = flow(open_gates);
    printf("%d\n", passed);
    return 0;
}
