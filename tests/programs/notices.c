// A variable that a call sets: it lies in memory for that, and optimised code works with it in a
// register behind the call.
#include <stdio.h>

__attribute__((noinline)) int fits(const char *barge, const char **why) {
    if (barge[0] != 'w') return 1;
    *why = "too wide";
    return 0;
}

__attribute__((noinline)) int pays(const char *barge, const char **why) {
    if (barge[0] != 'p') return 1;
    *why = "no toll";
    return 0;
}

static void turn_back(const char *barge, const char *why) {
    unsigned letters = 0;
    for (const char *each = why; *each; ++each) letters += *each != ' ';
    printf("%s: %s (%u letters)\n", barge, why, letters);
}

__attribute__((noinline)) int admit(const char *barge) {
    const char *why;
    if (!fits(barge, &why)) {
        turn_back(barge, why);
        return 0;
    }
    if (!pays(barge, &why)) {
        turn_back(barge, why);
        return 0;
    }
    return 1;
}

int main(void) {
    int admitted = admit("heron") + admit("wide teal") + admit("poor rail");
    printf("%d\n", admitted);
    return 0;
}
