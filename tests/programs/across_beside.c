// The other half of across.c.
volatile int level;

__attribute__((noinline)) void ring(void) {
    level = level + 1;
}

__attribute__((noinline)) int weigh(int load, int gate) {
    level = level + load;
    ring();
    level = level + gate;
    ring();
    return level;
}

__attribute__((noinline)) int carry(int load) {
    level = level + load;
    ring();
    return level;
}
