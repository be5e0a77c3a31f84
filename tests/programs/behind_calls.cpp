// A statement that goes on behind a call with an instruction that has no line.
struct Toll {
    int cents;
};

__attribute__((noinline)) static int pass(int boat) {
    volatile int tons = boat * 3;
    if (tons > 90)
        throw Toll{tons};
    return tons + 1;
}

__attribute__((noinline)) static int pass_all(int boat) {
    int sum = 0;
    for (int i = 0; i < 3; ++i) {
        try {
            sum += pass(boat + i);
        } catch (const Toll& toll) {
            sum += toll.cents;
        }
    }
    return sum;
}

int main(int count, char**) {
    return pass_all(count) + pass_all(count + 4);
}
