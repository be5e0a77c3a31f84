/* Functions that return one of each kind. Each value is printed by the program itself. */
#include <stdio.h>

struct pair { int left, right; };
struct mixed { double toll; int count; };
struct floats { float a, b, c; };
struct large { long words[5]; };

char return_char(void) { return 'Q'; }
_Bool return_bool(void) { return 1; }
int return_int(void) { return -42; }
unsigned long return_long(void) { return 0xfeedfacecafebeefUL; }
float return_float(void) { return 2.5f; }
double return_double(void) { return -0.125; }
long double return_extended(void) { return 1.75L; }
const char *return_text(void) { return "towpath"; }
struct pair return_pair(void) { struct pair p = {3, 9}; return p; }
struct mixed return_mixed(void) { struct mixed m = {6.5, 12}; return m; }
struct floats return_floats(void) { struct floats f = {1.5f, 2.5f, 3.5f}; return f; }
struct large return_large(void) { struct large l = {{10, 20, 30, 40, 50}}; return l; }
void return_nothing(void) { puts("nothing"); }

int main(void) {
    printf("%c\n", return_char());
    printf("%d\n", return_bool());
    printf("%d\n", return_int());
    printf("%lu\n", return_long());
    printf("%g\n", return_float());
    printf("%g\n", return_double());
    printf("%Lg\n", return_extended());
    printf("%s\n", return_text());
    printf("%d\n", return_pair().right);
    printf("%d\n", return_mixed().count);
    printf("%g\n", return_floats().c);
    printf("%ld\n", return_large().words[4]);
    return_nothing();
    return 0;
}
