// Children by posix_spawn and by system: each shares our memory until it becomes another program.
#include <spawn.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>

extern char** environ;

__attribute__((noinline)) int carry(int barges) {
    int carried = barges * 3;
    return carried;
}

int main(int count, char** words) {
    if (count > 1 && strcmp(words[1], "child") == 0) return carry(4);
    char *arguments[] = {words[0], "child", NULL};
    pid_t child;
    if (posix_spawn(&child, "/proc/self/exe", NULL, NULL, arguments, environ)) return 1;
    int status = 0;
    waitpid(child, &status, 0);
    int by_shell = system("exit 5");
    printf("spawned %d, by the shell %d, here %d\n", WEXITSTATUS(status), WEXITSTATUS(by_shell), carry(2));
    return 0;
}
