#include "core/support/advice.h"

#include <fmt/format.h>

#include "core/support/text.h"

namespace lantern {

Advice did_you_mean(const std::vector<std::string>& names, Next otherwise) {
    if (names.empty()) return otherwise;
    return fmt::format("did you mean {}?", join_with(names, "or"));
}

}  // namespace lantern
