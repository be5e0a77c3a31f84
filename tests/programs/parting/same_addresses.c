// Works with numbers that are made of addresses: they differ, and mean nothing.
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>

__attribute__((noinline)) unsigned bucket_of(const void *barge) { return (unsigned)((uintptr_t)barge >> 4); }
__attribute__((noinline)) int count_low(unsigned bucket) { return bucket != 0; }

int main(void) {
    int sum = 0;
    static int lock;
    for (int i = 0; i < 4; ++i) sum += count_low(bucket_of(malloc(24)));
    sum += count_low(bucket_of(&sum)) + count_low(bucket_of(&lock));
    printf("%d\n", sum);
    return 0;
}
