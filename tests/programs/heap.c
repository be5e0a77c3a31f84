/* Blocks that come and go, are lost, run over and freed twice. The program keeps a list of its own, and prints it: the witness. */
#define _GNU_SOURCE
#include <malloc.h>
#include <pthread.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define MOST 4000

struct held {
    char *block; /* hidden: a pointer to it would keep it */
    size_t usable;
};
static struct held held[64][MOST];
static int counts[64];
static volatile int stop_here;

__attribute__((noinline)) void look_here(void) { stop_here++; }

static unsigned next_number(unsigned *state) {
    *state = *state * 1103515245u + 12345u;
    return *state >> 8;
}

/* A third stays, of each size; the rest is freed again, in another order. */
static void *come_and_go(void *number) {
    int own = (int)(long)number;
    unsigned state = 77u + (unsigned)own;
    for (int i = 0; i < MOST; i++) {
        size_t size = next_number(&state) % 100 < 95 ? next_number(&state) % 2000 : 100000 + next_number(&state) % 200000;
        char *block = malloc(size);
        memset(block, own + 1, malloc_usable_size(block));
        held[own][i].block = block;
        held[own][i].usable = malloc_usable_size(block);
    }
    for (int i = 0; i < MOST; i++) {
        if (next_number(&state) % 3 == 0) continue;
        free(held[own][i].block);
        held[own][i].block = 0;
    }
    counts[own] = MOST;
    return 0;
}

static int many(int threads) {
    pthread_t all[64];
    for (long i = 1; i < threads; i++) pthread_create(&all[i], 0, come_and_go, (void *)i);
    come_and_go(0);
    for (int i = 1; i < threads; i++) pthread_join(all[i], 0);
    static char line[80];
    setvbuf(stdout, 0, _IONBF, 0);
    struct mallinfo2 info = mallinfo2();
    printf("info %zu %zu %zu\n", info.uordblks, info.fordblks, info.hblkhd);
    for (int i = 0; i < threads; i++)
        for (int j = 0; j < counts[i]; j++)
            if (held[i][j].block) {
                snprintf(line, sizeof line, "block %p %zu\n", (void *)held[i][j].block, held[i][j].usable);
                fputs(line, stdout);
            }
    look_here();
    return 0;
}

/* A chain whose first link is lost, single blocks that are lost, and as many that are kept in every way there is. */
struct link {
    struct link *next;
    char name[40];
};
static struct link *kept_in_global;
static __thread struct link *kept_in_thread;

static struct link *chain(int length, const char *name) {
    struct link *first = 0;
    for (int i = 0; i < length; i++) {
        struct link *made = malloc(sizeof *made);
        made->next = first;
        snprintf(made->name, sizeof made->name, "%s %d", name, i);
        first = made;
    }
    return first;
}

__attribute__((noinline)) static void lose(int chains) {
    for (int i = 0; i < chains; i++) {
        struct link *lost = chain(3, "lost");
        printf("lost %#lx 3\n", (unsigned long)lost ^ 0x5555555555555555ul);
    }
}

/* Further down the stack than whatever is called next. */
__attribute__((noinline)) static void lose_below(int chains) {
    volatile char room[512];
    room[0] = room[511] = 0;
    lose(chains);
}

/* What was in registers and on the stack is written over. */
__attribute__((noinline)) static void forget(void) {
    volatile char dust[20000];
    for (unsigned i = 0; i < sizeof dust; i++) dust[i] = (char)i;
}

static int leak(void) {
    setvbuf(stdout, 0, _IONBF, 0);
    kept_in_global = chain(4, "global");
    kept_in_thread = chain(2, "thread");
    struct link *on_stack = chain(2, "stack");
    char *inside = (char *)chain(1, "inside") + 8;
    lose_below(5);
    forget();
    look_here();
    return on_stack->name[0] + *inside == 0;
}

static char *volatile near[8];

/* Each kind of damage behind the third of eight blocks. */
static int damage(const char *how) {
    setvbuf(stdout, 0, _IONBF, 0);
    int size = strcmp(how, "flag") == 0 ? 248 : 40; /* the latter: 0x31 with its flags, the former: 0x101 */
    for (int i = 0; i < 8; i++) near[i] = malloc(size);
    printf("victim %p\nlast %p\n", (void *)near[2], (void *)near[7]);
    if (strcmp(how, "text") == 0) strcpy(near[2], "this text of the canal is longer than forty bytes, much longer");
    if (strcmp(how, "zero") == 0 || strcmp(how, "flag") == 0) near[2][malloc_usable_size(near[2])] = 0;
    if (strcmp(how, "size") == 0) memset(near[2] + 40, 0x41, 8);
    if (strcmp(how, "overlap") == 0) {
        free(near[3]);
        ((unsigned long *)near[2])[-1] = 0x61; /* two chunks */
    }
    if (strcmp(how, "cached") == 0) {
        free(near[4]);
        free(near[2]);
        memset(near[2], 0x42, 8);
    }
    if (strcmp(how, "twice") == 0) {
        free(near[2]);
        memset(near[2] + 8, 0, 8); /* what the library would know it by */
        free(near[2]);
    }
    if (strcmp(how, "list") == 0) {
        char *large = malloc(3000), *behind = malloc(40);
        free(large);
        memset(large + 8, 0x43, 8);
        near[7] = behind;
    }
    look_here();
    return 0;
}

/* Each takes and gives back in turns, for ever; what it has is in its list, but for what it is just asking for. */
static void *stay_busy(void *number) {
    int own = (int)(long)number;
    unsigned state = 7u + (unsigned)own;
    for (;;) {
        struct held *slot = &held[own][next_number(&state) % MOST];
        if (slot->block) {
            char *gone = slot->block;
            slot->block = 0;
            free(gone);
        } else {
            char *made = malloc(next_number(&state) % 3000);
            slot->usable = malloc_usable_size(made);
            slot->block = made;
        }
        for (volatile int i = 0; i < 200; i++) {
        }
    }
    return 0;
}

static int busy(int threads) {
    pthread_t thread;
    for (long i = 1; i < threads; i++) pthread_create(&thread, 0, stay_busy, (void *)i);
    stay_busy(0);
    return 0;
}

/* Three times more is kept, and something else comes and goes. */
static int grow(void) {
    static char *passing[3];
    for (int day = 0; day < 3; day++) {
        struct link *more = chain(5, "kept");
        more->next->next->next->next->next = kept_in_global;
        kept_in_global = more;
        free(passing[day == 0 ? 0 : day - 1]);
        passing[day] = malloc(500);
        look_here();
    }
    return 0;
}

int main(int count, char **words) {
    const char *mode = count > 1 ? words[1] : "many";
    if (strcmp(mode, "leak") == 0) return leak();
    if (strcmp(mode, "busy") == 0) return busy(atoi(words[2]));
    if (strcmp(mode, "grow") == 0) return grow();
    if (strcmp(mode, "damage") == 0) return damage(words[2]);
    return many(count > 2 ? atoi(words[2]) : 1);
}
