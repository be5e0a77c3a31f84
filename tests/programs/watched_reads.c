/* System calls that write into memory that is watched: what they give the program must be what they give it without us. */
#include <fcntl.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

static char before[8192], first[20000], between[8192], second[20000], behind[8192];

int main(void) {
    memset(first, 1, sizeof first);
    memset(second, 1, sizeof second);
    before[0] = between[0] = behind[0] = 1;
    int file = open("/proc/self/exe", O_RDONLY); /* here */
    long into_second = read(file, second + 100, 6000);
    long into_first = read(file, first + 100, 6000);
    int ends[2];
    long piped = pipe(ends) == 0 && write(ends[1], second + 100, 3000) == 3000 ? read(ends[0], first + 9000, 3000) : -1;
    printf("%ld %ld %ld, %s\n", into_second, into_first, piped, memcmp(first + 9000, second + 100, 3000) ? "other bytes" : "the same bytes");
    return 0;
}
