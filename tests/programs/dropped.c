// A returned value that no caller uses: an optimiser may drop it. And one that is used.
static volatile long level;
__attribute__((noinline)) static long forgotten(long n, long unused) {
    level = n;
    __asm__ volatile("");
    return n * 3;
}
__attribute__((noinline)) static long used(long n, long unused) {
    level = n + unused;
    __asm__ volatile("");
    return n * 3;
}
int main(int count, char** words) {
    forgotten(count, 3);
    forgotten(5, count);
    level = used(4, 3);
    return used(count, 4) == 3 ? 0 : 1;
}
