// A fixture: std::expected in its shapes, and a program that says itself what it answers to each question.
#include <expected>
#include <iostream>
#include <string>

#define ASK(question) std::cout << #question << " = " << (question) << '\n'

static void stand_here() { std::cout << std::flush; }

std::expected<int, int> depth(int at) {
    if (at < 0) return std::unexpected(4);
    return at * 2;
}

int main() {
    std::cout << std::boolalpha;
    auto deep = depth(21), shallow = depth(-1);
    std::expected<std::string, int> name = std::string("Wren"), nobody = std::unexpected(7);
    std::expected<int, std::string> toll = std::unexpected(std::string("closed"));
    std::expected<void, int> done, failed = std::unexpected(3);
    stand_here();
    ASK(deep.has_value());
    ASK(shallow.has_value());
    ASK(name.has_value());
    ASK(nobody.has_value());
    ASK(done.has_value());
    ASK(failed.has_value());
    ASK(deep.value());
    ASK(*deep);
    ASK(shallow.error());
    ASK(shallow.value_or(9));
    ASK(deep.value_or(9));
    ASK(name.value());
    ASK(name->size());
    ASK(nobody.error());
    ASK(toll.error());
    ASK(toll.error().size());
    ASK(failed.error());
}
