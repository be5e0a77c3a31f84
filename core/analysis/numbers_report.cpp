#include "core/analysis/numbers_report.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "core/analysis/figure_caption.h"
#include "core/support/error.h"
#include "core/values/library/library_view.h"

namespace lantern {
namespace {

bool is_number(const Type& given) {
    switch (plain(given).kind) {
        case TypeKind::integer:
        case TypeKind::floating:
        case TypeKind::boolean:
        case TypeKind::enumeration:
        case TypeKind::character: return true;
        default: return false;
    }
}

// Characters are a text; bytes may be anything, such as the points of a picture.
bool is_text(const Type& type) {
    return is_character_array(type) && !is_byte(target_of(plain(type)));
}

// Gives the elements of an array or a container one after another.
class Elements {
  public:
    Elements(const ValueReader& reader, const Value& value) : reader_(reader), value_(value) {
        const Type& type = plain(*value.type);
        if (type.kind == TypeKind::array) {
            count_ = type.count.value_or(0);
            is_there_ = type.count.has_value();
            first_ = value.first_index;
        } else if (const LibraryView* view = library_view(type)) {
            meaning_ = view->meaning(reader, value);
            is_there_ = meaning_->next && meaning_->arrangement == Arrangement::elements;
            count_ = meaning_->count.value_or(0);
        }
    }
    bool is_there() const { return is_there_; }
    std::uint64_t count() const { return count_; }
    std::int64_t first() const { return first_; }
    std::optional<Value> next() {
        if (!is_there_) return std::nullopt;
        if (meaning_) {
            auto part = meaning_->next();
            return part ? std::optional(part->value) : std::nullopt;
        }
        if (at_ >= count_) return std::nullopt;
        return reader_.element(value_, static_cast<std::int64_t>(at_++));
    }

  private:
    const ValueReader& reader_;
    const Value& value_;
    std::optional<Meaning> meaning_;
    bool is_there_ = false;
    std::uint64_t count_ = 0, at_ = 0;
    std::int64_t first_ = 0;
};

Value member_of(const ValueReader& reader, const Value& element, const std::string& member) {
    if (member.empty()) return element;
    Value at =
        plain(*element.type).kind == TypeKind::pointer ? reader.dereference(element) : element;
    for (std::size_t begin = 0; begin <= member.size();) {
        std::size_t end = std::min(member.find('.', begin), member.size());
        auto found = reader.member_named(at, member.substr(begin, end - begin));
        if (!found)
            throw RequestError(fmt::format("{} has no member {}", type_text(*at.type), member));
        at = *found;
        begin = end + 1;
    }
    return at;
}

class Gatherer {
  public:
    Gatherer(const ValueReader& reader, const NumbersWish& wish, NumbersReport& report)
        : reader_(reader), wish_(wish), report_(report) {}

    void gather(const Value& value) {
        Elements elements(reader_, value);
        report_.first = elements.first();
        std::uint64_t index = 0, rows = 0, widest = 0;
        for (; report_.values.size() < kMostNumbers; ++index) {
            auto element = elements.next();
            if (!element) break;
            if (index % wish_.every) continue;
            Value wanted = member_of(reader_, *element, wish_.member);
            if (is_number(*wanted.type)) {
                add(wanted);
                continue;
            }
            std::optional<std::size_t> taken = add_row(wanted);
            if (!taken) break;
            widest = std::max<std::uint64_t>(widest, *taken);
            ++rows;
        }
        if (elements.count() > index) report_.left_out = elements.count() - index;
        if (rows)
            square(rows, widest);
        else
            report_.extent = {report_.values.size()};
    }

  private:
    void add(const Value& value) {
        const Type& type = plain(*value.type);
        if (report_.element.empty()) report_.element = type_text(*value.type);
        double number = std::numeric_limits<double>::quiet_NaN();
        NumberMark mark = NumberMark::sound;
        try {
            if (type.kind == TypeKind::floating) {
                number = static_cast<double>(reader_.floating(value));
                report_.is_whole = false;
            } else {
                std::uint64_t bits = reader_.integer(value);
                number = type.is_signed ? static_cast<double>(static_cast<std::int64_t>(bits))
                                        : static_cast<double>(bits);
            }
            mark = std::isnan(number)   ? NumberMark::not_a_number
                   : std::isinf(number) ? NumberMark::infinite
                                        : NumberMark::sound;
            if (std::string fill = fill_of(value, type); !fill.empty()) {
                mark = NumberMark::filled;
                if (report_.fill.empty()) report_.fill = fill;
            }
        } catch (const MemoryError&) {
            mark = NumberMark::missing;
        }
        report_.values.push_back(number);
        report_.marks.push_back(mark);
    }

    std::string fill_of(const Value& value, const Type& type) {
        if (type.size < 4 || type.size > 8) return {};
        auto bytes = reader_.content(value);
        std::uint64_t bits = 0;
        for (std::size_t i = 0; i < bytes.size(); ++i)
            bits |= static_cast<std::uint64_t>(bytes[i]) << (8 * i);
        return fill_pattern(bits, type.size);
    }

    // Nothing where the row does not fit any more: half a row would look like a short one.
    std::optional<std::size_t> add_row(const Value& row) {
        std::size_t begin = report_.values.size();
        Elements elements(reader_, row);
        while (auto element = elements.next()) {
            if (report_.values.size() >= kMostNumbers && begin) {
                report_.values.resize(begin);
                report_.marks.resize(begin);
                return std::nullopt;
            }
            add(*element);
        }
        begins_.push_back(begin);
        return report_.values.size() - begin;
    }

    // Rows of different length get what is missing at their ends.
    void square(std::uint64_t rows, std::uint64_t columns) {
        std::vector<double> values;
        std::vector<NumberMark> marks;
        for (std::size_t row = 0; row < rows; ++row) {
            std::size_t begin = begins_[row],
                        end = row + 1 < rows ? begins_[row + 1] : report_.values.size();
            for (std::size_t i = 0; i < columns; ++i) {
                bool is_there = begin + i < end;
                values.push_back(is_there ? report_.values[begin + i]
                                          : std::numeric_limits<double>::quiet_NaN());
                marks.push_back(is_there ? report_.marks[begin + i] : NumberMark::missing);
            }
        }
        report_.values = std::move(values);
        report_.marks = std::move(marks);
        report_.extent = {rows, columns};
    }

    const ValueReader& reader_;
    const NumbersWish& wish_;
    NumbersReport& report_;
    std::vector<std::size_t> begins_;
};

void count_marks(NumbersReport& report) {
    bool is_first = true;
    for (std::size_t i = 0; i < report.values.size(); ++i) {
        switch (report.marks[i]) {
            case NumberMark::not_a_number: ++report.not_numbers; continue;
            case NumberMark::infinite: ++report.infinite; continue;
            case NumberMark::filled: ++report.filled; continue;
            case NumberMark::missing: ++report.missing; continue;
            case NumberMark::sound: ++report.sound; break;
        }
        double value = report.values[i];
        report.low = is_first ? value : std::min(report.low, value);
        report.high = is_first ? value : std::max(report.high, value);
        is_first = false;
    }
}

// Whole numbers of a small range have a bin each.
void make_bins(NumbersReport& report) {
    constexpr double kMostBins = 40;
    double range = report.high - report.low;
    bool has_one_each = report.is_whole && range < kMostBins;
    double wanted =
        std::ceil(std::sqrt(static_cast<double>(std::max<std::size_t>(report.sound, 1))));
    double count = has_one_each ? range + 1 : range > 0 ? std::min(wanted, kMostBins) : 1;
    double width = has_one_each ? 1 : range > 0 ? range / count : 1;
    if (report.is_whole && !has_one_each) {
        width = std::ceil(width);
        count = std::floor(range / width) + 1;
    }
    auto edge = [&](double i) {
        double at = report.low + i * width;
        return std::abs(at) < 1e-4 * width ? 0 : at;
    };
    for (double i = 0; i < count; ++i) report.bins.push_back({edge(i), edge(i + 1), 0});
    for (std::size_t i = 0; i < report.values.size(); ++i) {
        if (report.marks[i] != NumberMark::sound) continue;
        auto bin = static_cast<std::size_t>((report.values[i] - report.low) / width);
        ++report.bins[std::min(bin, report.bins.size() - 1)].count;
    }
}

}  // namespace

NumbersCell cell_of(const NumbersReport& field, std::uint64_t row, std::uint64_t column,
                    std::uint64_t side) {
    std::uint64_t rows = field.extent[0], columns = field.extent[1];
    double sum = 0, count = 0;
    for (std::uint64_t y = row * side; y < std::min(rows, (row + 1) * side); ++y)
        for (std::uint64_t x = column * side; x < std::min(columns, (column + 1) * side); ++x) {
            std::size_t at = y * columns + x;
            if (field.marks[at] != NumberMark::sound) return {field.marks[at], 0};
            sum += field.values[at];
            ++count;
        }
    return {NumberMark::sound, sum / count};
}

bool holds_numbers(const Moment& moment, const Value& value, const std::string& member) {
    if (!value.is_available() || is_text(*value.type)) return false;
    ValueReader reader(moment.target());
    try {
        Elements elements(reader, value);
        auto first = elements.next();
        if (!first) return false;
        Value wanted = member_of(reader, *first, member);
        if (is_number(*wanted.type)) return true;
        Elements inner(reader, wanted);
        auto one = inner.next();
        return one && is_number(*one->type) && !is_text(*wanted.type) &&
               family_name(plain(*wanted.type).full_name()).find("string") == std::string::npos;
    } catch (const MemoryError&) {
        return false;
    } catch (const BrokenValue&) {
        return false;
    }
}

NumbersReport report_numbers(const Moment& moment, const NumbersWish& wish, const Value& value) {
    NumbersReport report;
    report.expression = wish.member.empty() ? wish.expression
                                            : fmt::format("{} of {}", wish.member, wish.expression);
    report.every = std::max<std::uint64_t>(wish.every, 1);
    report.caption = caption_of(moment);
    if (!holds_numbers(moment, value, wish.member))
        throw RequestError(fmt::format("{} holds no numbers to draw", wish.expression),
                           "an array or container of numbers, or of arrays of them");
    ValueReader reader(moment.target());
    Gatherer(reader, wish, report).gather(value);
    count_marks(report);
    if (wish.histogram) make_bins(report);
    return report;
}

}  // namespace lantern
