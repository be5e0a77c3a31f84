#include "cli/protocol/arguments.h"

#include <fmt/format.h>

#include "core/support/error.h"

namespace lantern::cli {
namespace {

const Json kNothing = Json::object();

[[noreturn]] void refuse_kind(const char* name, const char* kind) {
    throw RequestError(fmt::format("the argument {} is no {}", name, kind));
}

[[noreturn]] void refuse_missing(const char* name) {
    throw RequestError(fmt::format("the argument {} is missing", name));
}

std::int64_t whole(const Json& value, const char* name) {
    if (value.is_number_unsigned() &&
        value.get<std::uint64_t>() > static_cast<std::uint64_t>(INT64_MAX))
        refuse_kind(name, "number that can be");
    if (value.is_number_integer()) return value.get<std::int64_t>();
    // JavaScript knows only one kind of number.
    constexpr double kLargestWhole = 9007199254740992.0;  // 2^53
    if (value.is_number_float() && value.get<double>() <= kLargestWhole &&
        value.get<double>() >= -kLargestWhole)
        return static_cast<std::int64_t>(value.get<double>());
    refuse_kind(name, "whole number");
}

}  // namespace

const Json* Arguments::find(const char* name) const {
    if (!object_.is_object()) return nullptr;
    auto found = object_.find(name);
    return found == object_.end() || found->is_null() ? nullptr : &*found;
}

std::string Arguments::text(const char* name) const {
    const Json* found = find(name);
    if (!found) refuse_missing(name);
    if (!found->is_string()) refuse_kind(name, "text");
    return found->get<std::string>();
}

std::string Arguments::text_or(const char* name, std::string otherwise) const {
    return has(name) ? text(name) : otherwise;
}

std::optional<std::int64_t> Arguments::number(const char* name) const {
    const Json* found = find(name);
    if (!found) return std::nullopt;
    return whole(*found, name);
}

std::int64_t Arguments::needed_number(const char* name) const {
    const Json* found = find(name);
    if (!found) refuse_missing(name);
    return whole(*found, name);
}

bool Arguments::is_true(const char* name) const {
    const Json* found = find(name);
    if (!found) return false;
    if (!found->is_boolean()) refuse_kind(name, "true or false");
    return found->get<bool>();
}

std::vector<std::string> Arguments::texts(const char* name) const {
    std::vector<std::string> all;
    const Json* found = find(name);
    if (!found) return all;
    if (!found->is_array()) refuse_kind(name, "list of texts");
    for (const Json& each : *found) {
        if (!each.is_string()) refuse_kind(name, "list of texts");
        all.push_back(each.get<std::string>());
    }
    return all;
}

Arguments Arguments::object(const char* name) const {
    const Json* found = find(name);
    if (!found) return Arguments(kNothing);
    if (!found->is_object()) refuse_kind(name, "object");
    return Arguments(*found);
}

std::vector<Arguments> Arguments::objects(const char* name) const {
    std::vector<Arguments> all;
    const Json* found = find(name);
    if (!found) return all;
    if (!found->is_array()) refuse_kind(name, "list of objects");
    for (const Json& each : *found) {
        if (!each.is_object()) refuse_kind(name, "list of objects");
        all.emplace_back(each);
    }
    return all;
}

}  // namespace lantern::cli
