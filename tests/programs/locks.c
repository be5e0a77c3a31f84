/* A fixture with one of each thing a C program can declare. What it prints is the witness for what a debugger shows. */
#include <stdio.h>
#include <string.h>

enum state { EMPTY, FILLING = 5, FULL };
typedef unsigned short centimetres;

struct gate {
    unsigned open : 1;
    unsigned angle : 7;
    int wear : 12;
    char tag;
};

union reading {
    float metres;
    unsigned raw;
};

struct chamber {
    char name[12];
    centimetres depth;
    enum state state;
    struct gate gates[2];
    union reading reading;
    int (*on_full)(int);
    struct chamber *next;
};

int global_count = 7;
static const char *keeper = "Ada Quill";
double tolls[3] = {1.5, 2.25, -4};

static int ring_bell(int times) { return times * 2; }

static struct chamber lower = {"lower", 310, FILLING, {{1, 45, -3, 'L'}, {0, 90, 7, 'R'}}, {1.25f}, ring_bell, 0};
static struct chamber upper = {"upper", 295, FULL, {{0, 0, 0, 'l'}, {1, 1, 1, 'r'}}, {0}, ring_bell, &lower};

static long factorial(int n) {
    if (n <= 1)
        return 1;
    return n * factorial(n - 1);
}

static int shadowed(int level) {
    int total = level;
    for (int i = 0; i < 2; i++) {
        int level = i * 10;
        total += level;
    }
    return total;
}

static double mean(const double *values, int count) {
    double sum = 0;
    for (int i = 0; i < count; i++)
        sum += values[i];
    return sum / count;
}

static int fill(struct chamber *chamber, int rate) {
    int late;
    int filled = rate * 3;
    char note[16];
    strcpy(note, "was filled");
    strcpy(note, "ok\n");
    if (filled > 1000)
        late = 1;
    else
        late = 0;
    chamber->depth += (centimetres)filled;
    chamber->on_full(late);
    return filled + late + (int)strlen(note);
}

int main(int argc, char **argv) {
    struct chamber copy = upper;
    long big = factorial(10);
    int small = shadowed(3);
    double average = mean(tolls, 3);
    int result = fill(&copy, 4);
    unsigned char byte = 200;
    signed char minus = -5;
    long long wide = -1234567890123LL;
    float ratio = 0.1f;
    _Bool ready = 1;
    int grid[2][3] = {{1, 2, 3}, {4, 5, 6}};
    const char *text = argc > 1 ? argv[1] : "barge\t\"Wren\"";
    printf("global_count=%d\nbig=%ld\nsmall=%d\naverage=%.17g\nresult=%d\n", global_count, big, small, average, result);
    printf("sizeof_chamber=%zu\noffset_next=%zu\n", sizeof(struct chamber), (size_t)((char *)&copy.next - (char *)&copy));
    printf("address_lower=%p\naddress_main=%p\naddress_factorial=%p\n", (void *)&lower, (void *)main, (void *)factorial);
    printf("keeper=%s\nbyte=%d\nminus=%d\nwide=%lld\nratio=%.9g\nready=%d\n", keeper, byte, minus, wide, ratio, ready);
    printf("grid=%d\nwear=%d\nangle=%u\ntext=%s\nreading=%u\n", grid[1][2], lower.gates[0].wear, lower.gates[0].angle, text,
           lower.reading.raw);
    fflush(stdout);
    return result == 15 ? 3 : 4;
}
