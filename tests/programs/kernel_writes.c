/* What the kernel writes for the program, beside what the program writes itself: one who watches wants to hear of both. */
#include <stdio.h>
#include <string.h>
#include <sys/uio.h>
#include <unistd.h>

static int level;
static int ends[2];

int main(void) {
    if (pipe(ends) != 0 || write(ends[1], "abcdefghijkl", 12) != 12) return 2;
    level = 1;
    if (read(ends[0], &level, 4) != 4) return 3;
    struct iovec there = {&level, 4};
    if (readv(ends[0], &there, 1) != 4) return 4;
    memcpy(&level, "wxyz", 4);
    long got = 0;
    register long descriptor __asm__("rdi") = ends[0];
    __asm__ volatile("here: syscall" : "=a"(got) : "a"(0L), "r"(descriptor), "S"(&level), "d"(4L) : "rcx", "r11", "memory");
    level += 1;
    printf("%d\n", level);
    return 0;
}
