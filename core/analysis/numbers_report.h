// Numbers that lie in a row or in rows of rows: arrays, and containers of numbers, as something to
// draw.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/session/moment.h"

namespace lantern {

enum class NumberMark : std::uint8_t {
    sound,
    not_a_number,
    infinite,
    filled,   // it looks like a fill pattern: nothing was stored there, or it was freed
    missing,  // a row that is shorter than the others, or cannot be read
};

struct NumbersReport {
    std::string expression, element;    // the element's type
    std::vector<std::uint64_t> extent;  // one number: how many; two: rows, and columns
    std::int64_t first = 0;             // what the first one is called
    std::uint64_t every = 1;            // of so many one is here
    std::vector<double> values;         // row after row
    std::vector<NumberMark> marks;      // one for each value
    bool is_whole = true;               // all are whole numbers
    double low = 0, high = 0;           // of those that are sound
    std::size_t sound = 0, not_numbers = 0, infinite = 0, filled = 0, missing = 0;
    std::string fill;            // "looks like fill bytes 0xcd", of the first that does
    std::uint64_t left_out = 0;  // elements behind the last one that was read
    struct Bin {
        double from = 0, to = 0;
        std::uint64_t count = 0;
    };
    std::vector<Bin> bins;  // where a histogram is wanted
    std::string caption;

    bool is_field() const { return extent.size() == 2; }
};

// What stands for a square of a field, `side` numbers wide, in a picture that has no room for each:
// what is wrong with one of them, else their mean.
struct NumbersCell {
    NumberMark mark = NumberMark::sound;
    double value = 0;
};
NumbersCell cell_of(const NumbersReport& field, std::uint64_t row, std::uint64_t column,
                    std::uint64_t side);

struct NumbersWish {
    std::string expression;
    std::string member;       // of each element that is a structure; empty: itself
    std::uint64_t every = 1;  // one of so many
    bool histogram = false;
};

constexpr std::size_t kMostNumbers = 1'000'000;

// Whether the value is such: an array or container of numbers, or of such arrays; with a member, of
// structures.
bool holds_numbers(const Moment& moment, const Value& value, const std::string& member);
// Throws RequestError for another value, MemoryError where nothing of it can be read.
NumbersReport report_numbers(const Moment& moment, const NumbersWish& wish, const Value& value);

}  // namespace lantern
