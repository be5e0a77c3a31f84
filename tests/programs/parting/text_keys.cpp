// Another build counts letters otherwise; the difference is in what a string holds.
#include <cstdio>
#include <string>
#include <vector>

#ifndef WIDTH
#define WIDTH 6
#endif
[[gnu::noinline]] std::string label(const std::string& barge) { return barge.substr(0, WIDTH); }
[[gnu::noinline]] int letters(const std::vector<std::string>& labels) {
    int sum = 0;
    for (const auto& each : labels) sum += static_cast<int>(each.size());
    return sum;
}

int main() {
    std::vector<std::string> labels;
    for (const char* barge : {"Wren", "Heron", "Kingfisher", "Coot"}) labels.push_back(label(barge));
    std::printf("%d\n", letters(labels));
}
