#include "cli/views/style.h"

#include <array>
#include <utility>

namespace lantern::cli {

std::string to_ascii(std::string_view utf8) {
    static constexpr std::array<std::pair<std::string_view, std::string_view>, 28> kSigns = {
        {{"│", "|"}, {"╭", "."}, {"╰", "'"}, {"┼", "+"},  {"►", ">"},  {"▲", "^"}, {"◆", "<>"},
         {"▪", "#"}, {"▫", "o"}, {"─", "-"}, {"→", "->"}, {"←", "<-"}, {"›", ">"}, {"…", "..."},
         {"×", "x"}, {"·", "."}, {"█", "#"}, {"▇", "#"},  {"▆", "+"},  {"▅", "+"}, {"▄", "="},
         {"▃", "-"}, {"▂", "-"}, {"▁", "_"}, {"░", "."},  {"▒", ":"},  {"▓", "+"}, {"✕", "x"}}};
    std::string out;
    while (!utf8.empty()) {
        bool found = false;
        for (auto [sign, plain] : kSigns) {
            if (!utf8.starts_with(sign)) continue;
            out += plain;
            utf8.remove_prefix(sign.size());
            found = true;
            break;
        }
        if (found) continue;
        unsigned char first = static_cast<unsigned char>(utf8.front());
        if (first < 0x80) {
            out += utf8.front();
        } else if ((first & 0xc0) != 0x80) {
            out += '?';
        }
        utf8.remove_prefix(1);
    }
    return out;
}

}  // namespace lantern::cli
