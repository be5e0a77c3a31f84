// Loops of many shapes. The compilers write down which of them they vectorised or unrolled, and a
// test holds what we tell against that.
#include <stddef.h>

#define ALONE __attribute__((noinline))

struct pair {
    int level, flow;
};
struct wide {
    float x, y, z, w;
};

ALONE int sum_of_ints(const int* levels, int count) {
    int total = 0;
    for (int i = 0; i < count; ++i)
        total += levels[i];
    return total;
}

ALONE float sum_of_floats(const float* levels, int count) {
    float total = 0;
    for (int i = 0; i < count; ++i)
        total += levels[i];
    return total;
}

ALONE void doubled(double* levels, size_t count) {
    for (size_t i = 0; i < count; ++i)
        levels[i] *= 2.5;
}

ALONE void added(short* restrict into, const short* restrict from, int count) {
    for (int i = 0; i < count; ++i)
        into[i] += from[i];
}

ALONE void widened(int* restrict into, const unsigned char* restrict from, int count) {
    for (int i = 0; i < count; ++i)
        into[i] = from[i] * 3;
}

ALONE void copied(int* restrict into, const int* restrict from, int count) {
    for (int i = 0; i < count; ++i)
        into[i] = from[i];
}

ALONE void filled(int* levels, int count) {
    for (int i = 0; i < count; ++i)
        levels[i] = 7;
}

ALONE void emptied(int* levels, int count) {
    for (int i = 0; i < count; ++i)
        levels[i] = 0;
}

ALONE int largest(const int* levels, int count) {
    int most = levels[0];
    for (int i = 1; i < count; ++i)
        if (levels[i] > most)
            most = levels[i];
    return most;
}

ALONE int first_above(const int* levels, int count, int limit) {
    for (int i = 0; i < count; ++i)
        if (levels[i] > limit)
            return i;
    return -1;
}

ALONE int every_other(const int* levels, int count) {
    int total = 0;
    for (int i = 0; i < count; i += 2)
        total += levels[i];
    return total;
}

ALONE int backwards(const int* levels, int count) {
    int total = 0;
    for (int i = count - 1; i >= 0; --i)
        total = total * 3 + levels[i];
    return total;
}

ALONE void smoothed(double* restrict into, const double* restrict from, int count) {
    for (int i = 1; i < count - 1; ++i)
        into[i] = (from[i - 1] + from[i] + from[i + 1]) / 3;
}

ALONE void chained(int* levels, int count) {
    for (int i = 1; i < count; ++i)
        levels[i] += levels[i - 1];
}

ALONE int flow_of(const struct pair* pairs, int count) {
    int total = 0;
    for (int i = 0; i < count; ++i)
        total += pairs[i].flow;
    return total;
}

ALONE void moved(struct wide* points, int count) {
    for (int i = 0; i < count; ++i) {
        points[i].x += 1;
        points[i].y += 1;
        points[i].z += 1;
        points[i].w += 1;
    }
}

ALONE void copied_wide(struct wide* restrict into, const struct wide* restrict from, int count) {
    for (int i = 0; i < count; ++i)
        into[i] = from[i];
}

ALONE int four_times(const int* levels) {
    int total = 0;
    for (int i = 0; i < 4; ++i)
        total = total * 5 + levels[i];
    return total;
}

ALONE long both(const int* levels, int rows, int columns) {
    long total = 0;
    for (int row = 0; row < rows; ++row)
        for (int column = 0; column < columns; ++column)
            total += levels[row * columns + column];
    return total;
}

ALONE int walked(const int* at, const int* end) {
    int total = 0;
    while (at < end)
        total ^= *at++;
    return total;
}

ALONE unsigned hashed(const char* text) {
    unsigned hash = 17;
    for (; *text; ++text)
        hash = hash * 31 + (unsigned char)*text;
    return hash;
}

ALONE void by_hand(int* levels, int count) {
    for (int i = 0; i + 3 < count; i += 4) {
        levels[i] = levels[i] * levels[i];
        levels[i + 1] = levels[i + 1] - 1;
        levels[i + 2] = levels[i + 2] * 7;
        levels[i + 3] = levels[i + 3] ^ 5;
    }
}

ALONE void scaled(float* levels, const float* by, int count) {
    for (int i = 0; i < count; ++i)
        levels[i] = levels[i] * by[i] + 1;
}

ALONE int chosen(const int* levels, const int* limits, int count) {
    int above = 0;
    for (int i = 0; i < count; ++i)
        above += levels[i] > limits[i];
    return above;
}

ALONE void cut_off(int* levels, int count, int limit) {
    for (int i = 0; i < count; ++i)
        levels[i] = levels[i] > limit ? limit : levels[i];
}

// One pass here is one of the source's, though each goes through two elements.
ALONE int strided(const int* levels, int count) {
    int total = 0;
    for (int i = 0; i < count; ++i)
        total = total * 3 + levels[2 * i];
    return total;
}

ALONE int skipping(const int* levels, int count) {
    int total = 0;
    for (int i = 0; i < count; ++i) {
        total = total * 3 + levels[i];
        i++;
    }
    return total;
}

ALONE void counted(int* of_each, const unsigned char* levels, int count) {
    for (int i = 0; i < count; ++i)
        of_each[levels[i]]++;
}

int main(void) {
    static int a[64], b[64];
    static short s[64], t[64];
    static double d[64], e[64];
    static float f[64], g[64];
    static unsigned char u[64];
    static struct pair p[64];
    static struct wide w[64], v[64];
    for (int i = 0; i < 64; ++i) a[i] = i * 37 % 11, u[i] = (unsigned char)i, f[i] = (float)i;
    doubled(d, 64), added(s, t, 64), widened(b, u, 64), copied(b, a, 64), filled(b, 60);
    emptied(b, 30), smoothed(e, d, 64), chained(b, 64), moved(w, 64), copied_wide(v, w, 64);
    by_hand(b, 64), scaled(f, g, 64), cut_off(b, 64, 9);
    return (sum_of_ints(a, 64) + (int)sum_of_floats(f, 64) + largest(a, 64) + first_above(a, 64, 5) +
            every_other(a, 64) + backwards(a, 64) + flow_of(p, 64) + four_times(a) +
            (int)both(a, 8, 8) + walked(a, a + 64) + (int)hashed("weir") + chosen(a, b, 64) +
            strided(a, 30) + skipping(a, 60) + (counted(b, u, 64), 0)) == 1;
}
