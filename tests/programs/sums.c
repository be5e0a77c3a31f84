// Arguments that are the sum of a register and of what the compiler keeps on the stack. clang
// records of such a call that the argument is "what lies there", without the rest.
#include <stdio.h>

#define APART __attribute__((noinline))
#define LOSE_REGISTERS __asm__ volatile("" ::: "rbx", "r12", "r13", "r14", "r15", "rbp")

APART static float measured(int berth) {
    __asm__ volatile("");
    return (float)berth * 1.5f;
}

APART static int counted(int berth) {
    __asm__ volatile("");
    return berth * 3;
}

APART static void book(float draught, long boats) {
    float twice = draught + draught;
    long more = boats + 2;
    __asm__ volatile("" ::: "xmm0", "rdi");  // nothing here holds them any more
    printf("draught=%.1f boats=%ld\n", (double)twice / 2, more - 2);  // gone
}

int main(int argc, char** argv) {
    (void)argv;
    float spare = measured(argc + 3);
    long berths = counted(argc + 6);
    LOSE_REGISTERS;
    float wide = measured(argc + 1);
    long crew = counted(argc);
    book(wide + spare, crew + berths);
    LOSE_REGISTERS;
    book(wide - spare, berths);
    return 0;
}
