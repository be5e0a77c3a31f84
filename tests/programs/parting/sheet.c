// Reads levels from its input; and from its environment what is too high.
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

__attribute__((noinline)) int limit_of(const char *given) { return given ? atoi(given) : 100; }
__attribute__((noinline)) int read_level(char *line) { return fgets(line, 32, stdin) ? atoi(line) : -1; }
__attribute__((noinline)) int is_high(int level, int limit) { return level > limit; }

int main(int count, char **words) {
    char line[32];
    int high = 0, level, limit = limit_of(count > 1 ? words[1] : getenv("LIMIT"));
    while ((level = read_level(line)) >= 0) high += is_high(level, limit);
    printf("%d are high\n", high);
    return 0;
}
