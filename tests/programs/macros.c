/* A fixture: macros that are defined, taken back and defined anew; it says itself what they stand for. */
#include <stdio.h>
#include <limits.h>
#include <errno.h>
#define MOST 12
#define SHARE(part, whole) ((part) * 100 / (whole))
#define LEVEL (flight.level + MOST)
#define NAME "Wren"
#define PRINT(x) do { puts(x); } while (0)
#define PASTE(a) a##_cm
struct { int level; } flight = {5};
int main(void) {
  int draught = 60;
#undef MOST
#define MOST 24
  printf("%d %d %d %s\n", SHARE(draught, 120), LEVEL, MOST, NAME);
  printf("%d %ld\n", INT_MAX, LONG_MAX);
  return 0;
}
