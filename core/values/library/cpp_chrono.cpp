// std::chrono durations and time points, with their units.
#include <fmt/format.h>

#include <cmath>
#include <ctime>

#include "core/values/library/library_view.h"

namespace lantern {
namespace {

struct Period {
    std::int64_t numerator = 1, denominator = 1;
};

Period period_of(const Type& duration) {
    const auto& arguments = plain(argument(duration, 1)).arguments();
    Period period;
    if (arguments.size() == 2 && arguments[0].value && arguments[1].value)
        period = {*arguments[0].value, *arguments[1].value};
    return period;
}

std::string unit_of(Period period) {
    constexpr std::pair<Period, const char*> kUnits[] = {
        {{1, 1'000'000'000}, "ns"}, {{1, 1'000'000}, "µs"},
        {{1, 1000}, "ms"},          {{1, 1}, "s"},
        {{60, 1}, "min"},           {{3600, 1}, "h"},
        {{86400, 1}, "days"},       {{604800, 1}, "weeks"}};
    for (auto [known, name] : kUnits)
        if (known.numerator == period.numerator && known.denominator == period.denominator)
            return name;
    return period.denominator == 1 ? fmt::format("× {} s", period.numerator)
                                   : fmt::format("× {}/{} s", period.numerator, period.denominator);
}

std::string amount(const ValueReader& reader, const Value& count, Period period) {
    bool real = plain(*count.type).kind == TypeKind::floating;
    std::string number = real ? fmt::format("{}", static_cast<double>(reader.floating(count)))
                              : fmt::format("{}", static_cast<std::int64_t>(reader.integer(count)));
    return number + " " + unit_of(period);
}

std::string calendar(long double seconds) {
    std::time_t whole = static_cast<std::time_t>(std::floor(seconds));
    std::tm parts{};
    constexpr long double kYear10000 = 253402300800.0L;
    if (seconds < -62135596800.0L || seconds >= kYear10000 || !gmtime_r(&whole, &parts)) return {};
    std::string text =
        fmt::format("{:04}-{:02}-{:02} {:02}:{:02}:{:02}", parts.tm_year + 1900, parts.tm_mon + 1,
                    parts.tm_mday, parts.tm_hour, parts.tm_min, parts.tm_sec);
    auto nanoseconds =
        static_cast<std::int64_t>((seconds - static_cast<long double>(whole)) * 1e9L);
    if (nanoseconds) text += fmt::format(".{:09}", nanoseconds);
    return text + " UTC";
}

class ChronoView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override {
        return {"std::chrono::duration", "std::chrono::time_point"};
    }
    bool fits(const Type& type) const override {
        return !first_path(type, {"__r", "__rep_", "__d.__r", "__d_.__rep_"}).empty();
    }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        const Type& type = plain(*value.type);
        bool is_point = family_name(type.full_name()) == "std::chrono::time_point";
        Value duration =
            is_point ? part_at(reader, value, first_path(type, {"__d", "__d_"})) : value;
        const Type& unit = plain(*duration.type);
        Value count = part_at(reader, duration, first_path(unit, {"__r", "__rep_"}));
        Period period = period_of(unit);
        Meaning meaning;
        meaning.text = amount(reader, count, period);
        if (!is_point) return meaning;
        bool civil = family_name(plain(argument(type, 0)).full_name()).find("system_clock") !=
                     std::string::npos;
        long double seconds = reader.floating(count) * static_cast<long double>(period.numerator) /
                              static_cast<long double>(period.denominator);
        std::string date = civil ? calendar(seconds) : "";
        meaning.text = date.empty() ? meaning.text + " after the clock's start" : date;
        return meaning;
    }
};

}  // namespace

const LibraryView& cpp_chrono_view() {
    static const ChronoView view;
    return view;
}

}  // namespace lantern
