/* A library that a program loads while it runs. */
long plugin_toll(long barge) {
    long toll = barge * 3;
    return toll + 1;
}
