// The child of a vfork: it runs on its parent's memory, then becomes another program or ends.
#include <stdio.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

__attribute__((noinline)) int helper(int n) { return n * 2; }

int main(int count, char** words) {
    int becomes_another = count > 1 && strcmp(words[1], "exec") == 0;
    pid_t child = vfork();
    if (child == 0) {
        helper(3);
        if (becomes_another) execl("/bin/sh", "sh", "-c", "exit 7", (char*)0);
        _exit(7);
    }
    int status = 0;
    waitpid(child, &status, 0);
    printf("parent %d %d\n", helper(5), WEXITSTATUS(status));
    return 0;
}
