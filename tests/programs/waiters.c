// Nine threads wait for the gate that main holds, one sleeps.
#include <dirent.h>
#include <pthread.h>
#include <stdio.h>
#include <unistd.h>

static pthread_mutex_t gate = PTHREAD_MUTEX_INITIALIZER;

static void *enter(void *nothing) {
    pthread_mutex_lock(&gate);
    pthread_mutex_unlock(&gate);
    return nothing;
}

static void *rest(void *nothing) {
    pause();
    return nothing;
}

static int sleeping(void) {
    int found = 0;
    DIR *tasks = opendir("/proc/self/task");
    for (struct dirent *each; (each = readdir(tasks));) {
        char path[300], state = 0;
        snprintf(path, sizeof path, "/proc/self/task/%s/stat", each->d_name);
        FILE *file = fopen(path, "r");
        if (!file) continue;
        if (fscanf(file, "%*d (%*[^)]) %c", &state) == 1) found += state == 'S';
        fclose(file);
    }
    closedir(tasks);
    return found;
}

__attribute__((noinline)) void all_wait(void) { usleep(1); }

int main(void) {
    pthread_t threads[10];
    pthread_mutex_lock(&gate);
    for (int i = 0; i < 10; ++i) pthread_create(&threads[i], NULL, i == 4 ? rest : enter, NULL);
    while (sleeping() < 10) usleep(1000);
    all_wait();
    pthread_mutex_unlock(&gate);
    return 0;
}
