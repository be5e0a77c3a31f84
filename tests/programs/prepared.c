// A library that holds its lock over a fork, and asks for memory while it prepares for one.
#include <pthread.h>
#include <stdlib.h>

static pthread_mutex_t gate = PTHREAD_MUTEX_INITIALIZER;

static void ask(void) {
    void* volatile planks[300];
    for (int i = 0; i < 300; ++i) planks[i] = malloc(16 + i * 70);
    for (int i = 0; i < 300; ++i) free(planks[i]);
}

static void prepare(void) {
    pthread_mutex_lock(&gate);
    ask();
}

static void go_on(void) {
    ask();
    pthread_mutex_unlock(&gate);
}

__attribute__((constructor)) static void begin(void) { pthread_atfork(prepare, go_on, go_on); }

void pass_gate(void) {
    pthread_mutex_lock(&gate);
    ask();
    pthread_mutex_unlock(&gate);
}
