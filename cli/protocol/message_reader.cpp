#include "cli/protocol/message_reader.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>

#include "core/support/text.h"

namespace lantern::cli {
namespace {

constexpr std::string_view kLength = "content-length:";
constexpr std::string_view kEndOfHeader = "\r\n\r\n";

// Where a header begins that may be one of ours; npos where none does. Names of fields are written
// in any case (RFC 7230 §3.2).
std::size_t find_length(std::string_view bytes) {
    auto is_same = [](char a, char b) { return std::tolower(static_cast<unsigned char>(a)) == b; };
    auto found = std::search(bytes.begin(), bytes.end(), kLength.begin(), kLength.end(), is_same);
    return found == bytes.end() ? std::string_view::npos
                                : static_cast<std::size_t>(found - bytes.begin());
}

std::optional<std::size_t> length_in(std::string_view header) {
    std::size_t at = find_length(header);
    if (at == std::string_view::npos) return std::nullopt;
    std::string_view field = header.substr(at + kLength.size());
    field = trimmed(field.substr(0, field.find('\r')));
    std::size_t length = 0;
    auto [end, error] = std::from_chars(field.data(), field.data() + field.size(), length);
    if (error != std::errc() || end != field.data() + field.size() || field.empty())
        return std::nullopt;
    return length;
}

// Other fields may stand before it.
bool are_fields(std::string_view text) {
    return text.empty() || (text.ends_with("\r\n") && text.find(':') != std::string_view::npos);
}

}  // namespace

std::optional<MessageReader::Read> MessageReader::next() {
    std::size_t skipped = std::min(to_skip_, waiting());
    at_ += skipped;
    to_skip_ -= skipped;
    if (at_ > (1 << 16) || at_ == waiting_.size()) {
        waiting_.erase(0, at_);
        at_ = 0;
    }
    std::string_view bytes = std::string_view(waiting_).substr(at_);
    auto passed_over = [this](std::size_t size, std::string problem) {
        at_ += size;
        return Read{{}, std::move(problem)};
    };

    std::size_t begin = find_length(bytes);
    if (begin == std::string_view::npos) {
        std::size_t end = bytes.find(kEndOfHeader);
        bool ends = end != std::string_view::npos;
        if (!ends && bytes.size() <= kLongestHeader) return std::nullopt;
        // The beginning of one may be the last that has come.
        return passed_over(ends ? end + kEndOfHeader.size() : bytes.size() - kLength.size(),
                           "what came is no message: the header Content-Length is missing");
    }
    if (!are_fields(bytes.substr(0, begin)))
        return passed_over(begin, "what came before a message belongs to none");
    std::size_t end = bytes.find(kEndOfHeader, begin);
    if (end == std::string_view::npos) {
        if (bytes.size() - begin <= kLongestHeader) return std::nullopt;
        return passed_over(begin + kLength.size(), "the header of a message does not end");
    }
    std::size_t content = end + kEndOfHeader.size();
    auto length = length_in(bytes.substr(begin, end - begin));
    if (!length) return passed_over(content, "the length of a message is no number");
    if (*length > kLongestMessage) {
        to_skip_ = *length;
        return passed_over(content,
                           fmt::format("a message of {} bytes is too long: {} are the most",
                                       with_thousands(*length), with_thousands(kLongestMessage)));
    }
    if (bytes.size() - content < *length) return std::nullopt;
    Read read{std::string(bytes.substr(content, *length)), {}};
    at_ += content + *length;
    return read;
}

}  // namespace lantern::cli
