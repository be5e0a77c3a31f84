// With fast mathematics a sum is added up in another order.
#include <stdio.h>

__attribute__((noinline)) float total(const float *shares, int count) {
    float sum = 0;
    for (int i = 0; i < count; ++i) sum += shares[i];
    return sum;
}

int main(void) {
    float shares[64];
    for (int i = 0; i < 64; ++i) shares[i] = i % 2 ? 1e8f : 1.0f + (float)i;
    printf("total %.1f\n", total(shares, 64));
    return 0;
}
