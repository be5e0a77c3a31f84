#include "core/comparison/walk.h"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <cmath>
#include <map>

namespace lantern {

std::string Walk::text_of(const WalkValue& value) const {
    switch (value.kind) {
        case WalkValue::Kind::none: return "not known";
        case WalkValue::Kind::number:
            return value.is_signed ? fmt::format("{}", static_cast<std::int64_t>(value.bits))
                                   : fmt::format("{}", value.bits);
        case WalkValue::Kind::real: return fmt::format("{}", std::bit_cast<double>(value.bits));
        case WalkValue::Kind::address: return value.bits ? "an address" : "null";
        case WalkValue::Kind::text: return texts[value.text];
    }
    return "";
}

unsigned Walk::thread_called(const std::string& wanted) const {
    std::map<unsigned, std::string> names;
    for (const WalkEvent& event : events)
        if (event.kind == WalkEvent::Kind::named)
            names[event.thread] = text_of(values_of(event)[0]);
    bool is_number = std::ranges::all_of(wanted, [](char c) { return c >= '0' && c <= '9'; });
    for (const auto& [number, name] : names)
        if (is_number ? fmt::format("{}", number) == wanted : name == wanted) return number;
    return 0;
}

}  // namespace lantern
