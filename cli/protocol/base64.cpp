#include "cli/protocol/base64.h"

namespace lantern::cli {
namespace {

constexpr std::string_view kLetters =
    "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";

}  // namespace

std::string base64_of(ByteSpan bytes) {
    std::string out;
    out.reserve((bytes.size() + 2) / 3 * 4);
    for (std::size_t i = 0; i < bytes.size(); i += 3) {
        std::size_t there = std::min<std::size_t>(3, bytes.size() - i);
        unsigned three = 0;
        for (std::size_t k = 0; k < 3; ++k)
            three = three << 8 | (k < there ? static_cast<unsigned>(bytes[i + k]) : 0);
        for (std::size_t k = 0; k < 4; ++k)
            out += k <= there ? kLetters[three >> (18 - 6 * k) & 63] : '=';
    }
    return out;
}

std::optional<std::vector<std::byte>> bytes_of_base64(std::string_view text) {
    if (text.size() % 4) return std::nullopt;
    std::size_t padding = text.ends_with("==") ? 2 : text.ends_with('=') ? 1 : 0;
    std::vector<std::byte> bytes;
    bytes.reserve(text.size() / 4 * 3);
    unsigned waiting = 0, bits = 0;
    for (char c : text.substr(0, text.size() - padding)) {
        std::size_t digit = kLetters.find(c);
        if (digit == std::string_view::npos) return std::nullopt;
        waiting = waiting << 6 | static_cast<unsigned>(digit);
        bits += 6;
        if (bits < 8) continue;
        bits -= 8;
        bytes.push_back(static_cast<std::byte>(waiting >> bits & 0xff));
    }
    return bytes;
}

}  // namespace lantern::cli
