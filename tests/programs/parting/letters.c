// Whether a char has a sign is the compiler's choice.
#include <stdio.h>

__attribute__((noinline)) int depth_of(char code) { return code < 0 ? 0 : code; }

int main(void) {
    int sum = 0;
    for (int i = 0; i < 256; i += 50) sum += depth_of((char)i);
    printf("sum %d\n", sum);
    return 0;
}
