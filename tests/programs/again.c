// A loop that is entered at its end: in optimised code the compiler says that what a turn left in
// registers is there on the way in as well.
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>

__attribute__((noinline)) static char* keep(char* sheet, int length) {
    printf("kept %d\n", length);
    return sheet;
}

__attribute__((noinline)) static char* write_sheet(const char* what, va_list words) {
    int size = 8;
    while (1) {
        char* sheet = malloc((size_t)size);
        va_list again;
        va_copy(again, words);
        int length = vsnprintf(sheet, (size_t)size, what, again);
        va_end(again);
        if (length >= 0 && length < size) {
            char* kept = keep(sheet, length);
            return kept;
        } else {
            free(sheet);
            size = length > 0 ? length * 2 : size * 2;
        }
    }
}

static char* sheet_of(const char* what, ...) {
    va_list words;
    va_start(words, what);
    char* sheet = write_sheet(what, words);
    va_end(words);
    return sheet;
}

int main(void) {
    free(sheet_of("%s and %s", "a barge of forty tons", "her dinghy"));
}
