// Only how it ends differs.
int main(void) {
#ifdef __OPTIMIZE__
    return 3;
#else
    return 0;
#endif
}
