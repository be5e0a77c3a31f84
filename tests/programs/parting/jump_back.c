// After a jump back a variable that lives in a register has its old value.
#include <setjmp.h>
#include <stdio.h>

static jmp_buf again;
__attribute__((noinline)) void fail(void) { longjmp(again, 1); }

__attribute__((noinline)) int attempts(int first) {
    int made = first;
    if (setjmp(again)) return made;
    made = first + 1;
    fail();
    return -1;
}

int main(void) {
    int made = attempts(20);
    printf("%d attempts\n", made);
    return 0;
}
