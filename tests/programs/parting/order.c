// Which of the two arguments is computed first is the compiler's choice.
#include <stdio.h>

static int ticket = 0;
__attribute__((noinline)) int next_ticket(void) { return ++ticket; }
__attribute__((noinline)) int pair_up(int left, int right) { return left * 10 + right; }

int main(void) {
    int paired = pair_up(next_ticket(), next_ticket());
    printf("paired %d\n", paired);
    return 0;
}
