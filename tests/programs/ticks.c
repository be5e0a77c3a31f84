// Runs until it is ended.
#include <unistd.h>

int ticks;
__attribute__((noinline)) void tick(void) { ticks++; }

int main(void) {
    for (;;) {
        tick();
        usleep(1000);
    }
}
