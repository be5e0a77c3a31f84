// Maps the C library to read it, below where it is loaded, and gives up inside it.
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <sys/stat.h>
static char* library(void) {
    static char line[512];
    FILE* maps = fopen("/proc/self/maps", "r");
    while (fgets(line, sizeof line, maps)) {
        char* path = strchr(line, '/');
        if (path && strstr(path, "/libc.so")) return path[strcspn(path, "\n")] = 0, path;
    }
    return 0;
}
int main(void) {
    int file = open(library(), O_RDONLY);
    struct stat facts;
    fstat(file, &facts);
    char* copy = mmap((void*)0x20000000, facts.st_size, PROT_READ, MAP_PRIVATE, file, 0);
    printf("copy %d\n", (unsigned long)copy < (unsigned long)printf && copy[1] == 'E');
    fflush(stdout);
    abort();
}
