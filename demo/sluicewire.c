/* sluicewire: telegrams to the sluices of the flight, "WORD GATE", one a line, with a sum that tells a garbled one. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { GATES = 6, LONGEST_WORD = 16 };

struct telegram {
    const char *text;
    int gate;
    long sum;
};

long wire_sum(const unsigned char *text, long length);

static int opened_cm[GATES];

static void copy_word(char *to, const char *text) {
    while (*text && *text != ' ') *to++ = *text++;
    *to = '\0';
}

/* What a word stands for: how far the sluice is to be opened. */
static int opening_of(const char *text) {
    int opening = 0;
    char word[LONGEST_WORD];
    copy_word(word, text);
    if (!strcmp(word, "OPEN")) opening = 90;
    if (!strcmp(word, "HALF")) opening = 45;
    if (!strcmp(word, "SHUT")) opening = 0;
    return opening;
}

static int gate_of(const char *text) {
    const char *space = strchr(text, ' ');
    return space ? atoi(space + 1) % GATES : 0;
}

static void work(struct telegram *telegram) {
    telegram->gate = gate_of(telegram->text);
    telegram->sum = wire_sum((const unsigned char *)telegram->text, (long)strlen(telegram->text));
    int opening = opening_of(telegram->text);
    opened_cm[telegram->gate] = opening;
}

/* Nearest opening to a wanted flow. Compiled for speed it is not the loop that stands here any more. */
static int nearest_opening(const int *flows, int count, int wanted) {
    int best = 0, least = 1 << 30;
    for (int i = 0; i < count; i++) {
        int off = flows[i] - wanted;
        if (off < 0) off = -off;
        if (off < least) {
            least = off;
            best = i;
        }
    }
    return best;
}

int main(int argc, char **argv) {
    static const char *const usual[] = {"OPEN 1", "HALF 2", "SHUT 3", "OPEN 5"};
    static const char *const hurried[] = {"OPEN 1", "OPENTHEUPPERSLUICEATONCEPLEASETHEWATERISRISINGFASTER 2"};
    int is_hurried = argc > 1 && !strcmp(argv[1], "hurried");
    const char *const *texts = is_hurried ? hurried : usual;
    int count = is_hurried ? 2 : 4;
    for (int i = 0; i < count; i++) {
        struct telegram telegram = {texts[i], 0, 0};
        work(&telegram);
        printf("%-8s gate %d, opened %d cm, sum %ld\n", telegram.text, telegram.gate, opened_cm[telegram.gate], telegram.sum);
    }
    printf("nearest to 50: gate %d\n", nearest_opening(opened_cm, GATES, 50));
    return 0;
}
