#include "cli/compare_options.h"

#include <sstream>

namespace lantern::cli {

bool take_with(const std::string& text, CompareWish& wish) {
    bool names_a_side = text.size() > 2 && (text[0] == 'A' || text[0] == 'B') && text[1] == ':';
    std::size_t equals = text.find('=');
    if (!names_a_side || equals == std::string::npos || equals == 2) return false;
    CompareWish::Side& side = wish.sides[text[0] == 'B'];
    std::string name = text.substr(2, equals - 2), value = text.substr(equals + 1);
    if (name == "stdin") {
        side.input_file = value;
    } else if (name == "arguments") {
        side.arguments.emplace();
        std::istringstream words(value);
        for (std::string word; words >> word;) side.arguments->push_back(word);
    } else {
        side.environment.push_back(name + "=" + value);
    }
    return true;
}

}  // namespace lantern::cli
