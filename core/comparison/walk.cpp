#include "core/comparison/walk.h"

#include <fmt/format.h>

#include <bit>
#include <cmath>

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

}  // namespace lantern
