// What a stop says of values, the stack and libraries must be so: one part for each thing that was once told falsely.
#define _GNU_SOURCE
#include <pthread.h>
#include <signal.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <uchar.h>
#include <unistd.h>
#include <wchar.h>

struct large { long a, b, c; };
struct bits { int drift : 5; unsigned level : 6; };
typedef const char fixed_char;
const fixed_char mark = 'x';
static volatile int sink;
static int calls;

__attribute__((noinline)) long seven(int a, int b, int c, int d, int e, int f, int g, struct large s) {
    long sum = a + b + c + d + e + f;
    sum += g + s.b;
    sink = (int)sum;
    return sum;
}

__attribute__((noinline)) int counted(void) {
    ++calls;
    return calls;
}

__attribute__((noinline)) int copy(const char* text) {
    char room[24];
    strcpy(room, text);
    sink = room[0];
    return room[1];
}

__attribute__((noinline)) void rising(void) {
    int level;
    for (int i = 9; i < 15; i++) {
        level = i;
        sink = level;
    }
}

__attribute__((noinline)) int forms(void) {
    struct bits x = {-7, 33};
    uint8_t raw[4] = {0xde, 0xad, 0xbe, 0xef};
    unsigned char text[8] = "lock";
    wchar_t wide[8] = L"barge";
    char16_t sixteen[8] = u"lock";
    char32_t thirty[6] = U"gate";
    int unset;
    int* place = &unset;
    puts("forms");
    sink = x.drift + raw[0] + text[0] + (int)wide[0] + sixteen[0] + (int)thirty[0] + *place;
    return sink;
}

__attribute__((noinline)) int last(int n) {
    sink = n;
    sink = n + 1;
    return sink * 2;
}
__attribute__((noinline)) int jumps_on(int n) {
    sink = 1;
    return last(n + 1);
}

int main(int count, char** words) {
    struct large s = {1, 20, 3};
    sink = (int)seven(1, 2, 3, 4, 5, 6, count + 76, s);
    copy("a lock");
    rising();
    forms();
    sink = jumps_on(count);
    char line[16];
    if (fgets(line, sizeof line, stdin)) puts(line);
    char* room = malloc(77);
    memset(room, 0, 77);
    free(room);
    sink = counted();
    fflush(stdout);
    _Exit(words[0] ? 3 : 4);
}
