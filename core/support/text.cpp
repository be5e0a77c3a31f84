#include "core/support/text.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <cstring>
#include <numeric>

namespace lantern {
namespace {

// The length of the valid UTF-8 sequence at the start of `text`, 0 if there is none (or it is a
// control character).
std::size_t printable_sequence(std::string_view text) {
    auto byte = [&](std::size_t i) { return static_cast<unsigned char>(text[i]); };
    unsigned char first = byte(0);
    if (first < 0x80) return std::isprint(first) ? 1 : 0;
    std::size_t length = first >= 0xc2 && first < 0xe0   ? 2
                         : first >= 0xe0 && first < 0xf0 ? 3
                         : first >= 0xf0 && first < 0xf5 ? 4
                                                         : 0;
    if (length == 0 || text.size() < length) return 0;
    for (std::size_t i = 1; i < length; ++i)
        if ((byte(i) & 0xc0) != 0x80) return 0;
    if (length == 2 && first == 0xc2 && byte(1) < 0xa0) return 0;  // C1 controls
    if (length == 3 && ((first == 0xe0 && byte(1) < 0xa0) || (first == 0xed && byte(1) > 0x9f)))
        return 0;
    if (length == 3 && first == 0xe2 && byte(1) == 0x80 && byte(2) >= 0x8b && byte(2) <= 0xae) {
        // Zero-width, line-separating and direction-changing characters would let text disguise
        // itself.
        bool harmless = byte(2) >= 0x90 && byte(2) <= 0xa7;
        if (!harmless) return 0;
    }
    return length;
}

std::string escape(std::string_view text, char quote_mark) {
    std::string out;
    out.reserve(text.size());
    while (!text.empty()) {
        char c = text.front();
        std::size_t length = printable_sequence(text);
        if (quote_mark && (c == quote_mark || c == '\\')) {
            out += '\\';
            out += c;
            length = 1;
        } else if (length) {
            out += text.substr(0, length);
        } else {
            switch (c) {
                case '\n': out += "\\n"; break;
                case '\t': out += "\\t"; break;
                case '\r': out += "\\r"; break;
                case '\0': out += "\\0"; break;
                default: out += fmt::format("\\x{:02x}", static_cast<unsigned char>(c));
            }
            length = 1;
        }
        text.remove_prefix(length);
    }
    return out;
}

// Insertions, deletions, changes, and two letters swapped, which is how fingers err most.
std::size_t edit_distance(std::string_view a, std::string_view b) {
    std::vector<std::size_t> before_last(b.size() + 1), last(b.size() + 1), row(b.size() + 1);
    std::iota(last.begin(), last.end(), std::size_t{0});
    for (std::size_t i = 1; i <= a.size(); ++i) {
        row[0] = i;
        for (std::size_t j = 1; j <= b.size(); ++j) {
            row[j] = std::min({last[j - 1] + (a[i - 1] != b[j - 1]), last[j] + 1, row[j - 1] + 1});
            bool swapped = i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1];
            if (swapped) row[j] = std::min(row[j], before_last[j - 2] + 1);
        }
        std::swap(before_last, last);
        std::swap(last, row);
    }
    return last[b.size()];
}

}  // namespace

std::string escape_for_display(std::string_view text) {
    return escape(text, 0);
}

std::string quote(std::string_view text, char quote_mark) {
    return fmt::format("{}{}{}", quote_mark, escape(text, quote_mark), quote_mark);
}

std::vector<std::string> nearest_names(std::string_view wanted,
                                       std::span<const std::string> candidates, std::size_t limit) {
    std::vector<std::pair<std::size_t, std::string>> scored;
    std::string wanted_lower = lower_case(wanted);
    std::size_t tolerance = std::max<std::size_t>(1, wanted.size() / 3);
    for (const std::string& candidate : candidates) {
        std::string lower = lower_case(candidate);
        bool inside = wanted.size() >= 3 && lower.find(wanted_lower) != std::string::npos;
        if (!inside &&
            (lower.size() > wanted.size() + tolerance || wanted.size() > lower.size() + tolerance))
            continue;
        std::size_t distance = edit_distance(wanted_lower, lower);
        if (distance <= tolerance || inside)
            scored.emplace_back(inside ? std::min(distance, tolerance) : distance, candidate);
    }
    std::sort(scored.begin(), scored.end());
    scored.erase(std::unique(scored.begin(), scored.end()), scored.end());
    std::vector<std::string> names;
    for (auto& [distance, name] : scored) {
        if (names.size() == limit) break;
        names.push_back(std::move(name));
    }
    return names;
}

std::string join_with(const std::vector<std::string>& words, std::string_view last_separator) {
    std::string out;
    for (std::size_t i = 0; i < words.size(); ++i) {
        if (i) out += i + 1 == words.size() ? fmt::format(" {} ", last_separator) : ", ";
        out += words[i];
    }
    return out;
}

std::string with_thousands(unsigned long long number) {
    std::string digits = std::to_string(number);
    for (std::size_t at = digits.size(); at > 3;) digits.insert(at -= 3, " ");
    return digits;
}

std::string percent(double share) {
    return fmt::format("{:.0f} %", 100 * share);
}

std::string counted(unsigned long long number, std::string_view noun) {
    return fmt::format("{} {}{}", with_thousands(number), noun, number == 1 ? "" : "s");
}

bool is_word_letter(char c) {
    return std::isalnum(static_cast<unsigned char>(c)) || c == '_';
}

std::string_view trimmed(std::string_view text) {
    while (!text.empty() && std::isspace(static_cast<unsigned char>(text.front())))
        text.remove_prefix(1);
    while (!text.empty() && std::isspace(static_cast<unsigned char>(text.back())))
        text.remove_suffix(1);
    return text;
}

std::string without_spaces(std::string_view text) {
    std::string out;
    std::copy_if(text.begin(), text.end(), std::back_inserter(out),
                 [](char c) { return c != ' '; });
    return out;
}

std::string lower_case(std::string_view text) {
    std::string out(text);
    for (char& c : out) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    return out;
}

void append_utf8(std::string& out, std::uint32_t code) {
    if (code > 0x10ffff) code = 0xfffd;
    if (code < 0x80) {
        out += static_cast<char>(code);
        return;
    }
    unsigned more = code < 0x800 ? 1 : code < 0x10000 ? 2 : 3;  // bytes that follow the first
    constexpr unsigned kLead[] = {0, 0xc0, 0xe0, 0xf0};
    out += static_cast<char>(kLead[more] | code >> (6 * more));
    while (more--) out += static_cast<char>(0x80 | ((code >> (6 * more)) & 0x3f));
}

std::uint32_t take_code_point(std::string_view& utf8) {
    auto byte = [&](std::size_t i) {
        return static_cast<std::uint32_t>(static_cast<unsigned char>(utf8[i]));
    };
    std::uint32_t lead = byte(0);
    std::size_t length = lead < 0xc0 ? 1 : lead < 0xe0 ? 2 : lead < 0xf0 ? 3 : lead < 0xf8 ? 4 : 1;
    if (length > utf8.size()) length = 1;
    std::uint32_t code = length == 1 ? lead : lead & (0xffu >> (length + 1));
    for (std::size_t i = 1; i < length; ++i) code = code << 6 | (byte(i) & 0x3f);
    utf8.remove_prefix(length);
    return code;
}

std::string utf8_of(ByteSpan units, unsigned unit) {
    if (unit <= 1) return {reinterpret_cast<const char*>(units.data()), units.size()};
    std::string text;
    for (std::size_t at = 0; at + unit <= units.size(); at += unit) {
        std::uint32_t code = 0;
        std::memcpy(&code, units.data() + at, unit);
        bool high = unit == 2 && code >= 0xd800 && code < 0xdc00 && at + 2 * unit <= units.size();
        if (high) {
            std::uint32_t low = 0;
            std::memcpy(&low, units.data() + at + unit, unit);
            if (low >= 0xdc00 && low < 0xe000) {
                code = 0x10000 + ((code - 0xd800) << 10) + (low - 0xdc00);
                at += unit;
            }
        }
        append_utf8(text, code >= 0xd800 && code < 0xe000 ? 0xfffd : code);
    }
    return text;
}

std::vector<std::byte> units_of(std::string_view utf8, unsigned unit) {
    std::vector<std::byte> units;
    auto append = [&](std::uint32_t code) {
        for (unsigned i = 0; i < unit; ++i)
            units.push_back(static_cast<std::byte>(code >> (8 * i)));
    };
    if (unit == 1) {
        for (char c : utf8) append(static_cast<unsigned char>(c));
        return units;
    }
    while (!utf8.empty()) {
        std::uint32_t code = take_code_point(utf8);
        bool pair = unit == 2 && code > 0xffff;
        if (pair) append(0xd800 + ((code - 0x10000) >> 10));
        append(pair ? 0xdc00 + ((code - 0x10000) & 0x3ff) : code);
    }
    return units;
}

std::size_t display_width(std::string_view utf8) {
    return static_cast<std::size_t>(std::count_if(utf8.begin(), utf8.end(), [](char c) {
        return (static_cast<unsigned char>(c) & 0xc0) != 0x80;
    }));
}

}  // namespace lantern
