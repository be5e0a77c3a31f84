// Variables of which each thread has its own, with and without a first value.
#include <pthread.h>
#include <stdio.h>
#include <string.h>

static __thread int depth = 3;
_Thread_local char name[8] = "lock";
static __thread long passed;

static void show(void) {
    printf("depth=%d\nname=%s\npassed=%ld\n", depth, name, passed);
}

static void* work(void* more) {
    depth += (int)(long)more;
    strcpy(name, "gate");
    passed = 77;
    show();
    return 0;
}

int main(void) {
    pthread_t thread;
    pthread_create(&thread, 0, work, (void*)5l);
    pthread_join(thread, 0);
    return 0;
}
