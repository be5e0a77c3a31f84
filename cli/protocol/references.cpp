#include "cli/protocol/references.h"

#include <fmt/format.h>

#include "core/support/error.h"

namespace lantern::cli {
namespace {

template <class Known>
const auto& known_by(const Known& known, std::int64_t number, const char* what) {
    auto found = known.find(number);
    if (found == known.end())
        throw RequestError(fmt::format("{} {} is of an earlier stop, or never was", what, number));
    return found->second;
}

}  // namespace

int References::add_frame(FrameAt frame) {
    auto [found, is_new] = numbers_.try_emplace(frame, next_);
    if (is_new) frames_.emplace(next_++, frame);
    return found->second;
}

int References::add(Holder holder) {
    holders_.emplace(next_, std::move(holder));
    return next_++;
}

int References::add(Location location) {
    locations_.emplace(next_, std::move(location));
    return next_++;
}

FrameAt References::frame(std::int64_t number) const {
    return known_by(frames_, number, "frame");
}

const Holder& References::holder(std::int64_t number) const {
    return known_by(holders_, number, "the variables reference");
}

const Location& References::location(std::int64_t number) const {
    return known_by(locations_, number, "the location");
}

void References::forget() {
    numbers_.clear();
    frames_.clear();
    holders_.clear();
    locations_.clear();
}

}  // namespace lantern::cli
