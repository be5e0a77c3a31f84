// The functions of leaves.c in a library, whose calls of each other go through its linkage table.
int leaves_main(int count, char** words);

volatile int ended;

int main(int count, char** words) {
    ended = leaves_main(count, words);
    return ended;
}
