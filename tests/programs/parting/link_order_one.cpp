// The value of another file's variable, before or after that file's own have begun.
extern int berths;
int capacity(int quays) { return berths * quays; }
int total = capacity(3);
