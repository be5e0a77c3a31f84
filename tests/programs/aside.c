// Numbers that clang puts aside on the stack, having more of them than registers.
#include <stdio.h>

__attribute__((noinline)) static void note(int line, long value) {
    printf("%d %ld\n", line, value);
}

__attribute__((noinline)) static long carry(const signed char* sheet, const long* tons, int count) {
    int mark = sheet[0];  // narrow in memory, wide in the source
    long a = tons[0], b = tons[1], c = tons[2], d = tons[3], e = tons[4], f = tons[5], g = tons[6];
    for (int i = 0; i < count; ++i) {
        note(i, a + b);  // all of them are needed after this
        a += b ^ g;
        b += c * 3;
        c += d - a;
        d += e ^ b;
        e += f + c;
        f += g - d;
        g += a ^ e;
        if (mark == -7) g += 2;
    }
    note(mark < 0 ? 1 : 2, a);
    note(mark == 3 ? 1 : 2, b);
    return a + b + c + d + e + f + g;
}

static const long spare_tons[] = {40, 50};

// Neither is needed after the first line: what they were, only the caller's code tells.
__attribute__((noinline)) static void call_out(const char* what, const long* tons) {
    note(what[0], *tons);
    note(31, 0);
    note(32, 0);
}

int main(void) {
    signed char sheet[] = {-7, 3};
    long tons[] = {1, 2, 3, 4, 5, 6, 7};
    printf("%ld\n", carry(sheet, tons, 3));
    call_out("the lock opens", spare_tons);
    call_out("the lock shuts", spare_tons + 1);
    return 0;
}
