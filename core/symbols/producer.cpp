#include "core/symbols/producer.h"

namespace lantern {

std::optional<std::string> recorded_optimisation(std::string_view producer) {
    std::optional<std::string> last;
    for (std::size_t at = producer.find(" -O"); at != std::string_view::npos;
         at = producer.find(" -O", at + 1)) {
        std::size_t end = producer.find(' ', at + 1);
        last = producer.substr(at + 1, end == std::string_view::npos ? end : end - at - 1);
    }
    if (last) return *last == "-O" ? "-O1" : *last;
    bool records_options = producer.starts_with("GNU ") && !producer.starts_with("GNU AS") &&
                           producer.find(" -m") != std::string_view::npos;
    if (records_options) return "-O0";
    return std::nullopt;
}

}  // namespace lantern
