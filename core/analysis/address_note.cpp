#include "core/analysis/address_note.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <filesystem>

#include "core/support/text.h"
#include "core/target/linkage.h"

namespace lantern {
namespace {

constexpr std::size_t kShortestText = 4, kLongestText = 32;
constexpr std::uint64_t kLowestAddress = 4096;  // nothing is mapped below

bool is_printable(unsigned char c) {
    return (c >= ' ' && c < 127) || c == '\n' || c == '\t';
}

}  // namespace

std::string symbol_note(Target& target, RunAddress address) {
    const Module* module = target.module_at(address);
    if (std::string stub = name_behind_linkage_table(target, address); !stub.empty())
        return stub + " (linkage stub)";
    auto nearest = module ? module->symbols().nearest_name(module->to_file(address)) : std::nullopt;
    if (!nearest) return {};
    return nearest->offset ? fmt::format("{}+{:#x}", nearest->name, nearest->offset)
                           : nearest->name;
}

std::string address_note(const Moment& moment, RunAddress address) {
    if (address.value < kLowestAddress) return {};
    Target& target = moment.target();
    if (const Module* module = target.module_at(address)) {
        std::string name = symbol_note(target, address);
        std::string file = std::filesystem::path(module->path()).filename().string();
        if (name.empty()) return "in " + file;
        // The line of the function that is named, not of what is inlined into it.
        FileAddress at = module->to_file(address);
        const Function* function = module->symbols().function_at(at);
        CodePosition own = function ? module->symbols().positions_of(*function).within(at, nullptr)
                                    : CodePosition{};
        if (own.line && own.file)
            return fmt::format("{}, {}:{}", name,
                               std::filesystem::path(*own.file).filename().string(), own.line);
        return module == &target.modules().front() ? name : fmt::format("{} in {}", name, file);
    }
    return moment.surroundings().describe(address);
}

std::string text_of_word(std::uint64_t word) {
    std::string text;
    for (unsigned i = 0; i < sizeof word; ++i) {
        auto c = static_cast<unsigned char>(word >> (8 * i) & 0xff);
        // Of random words one in fifty begins with four letters; few go on with an end.
        if (!is_printable(c) && c != '\0') return {};
        if (c == '\0') break;
        text += static_cast<char>(c);
    }
    return text.size() >= kShortestText ? quote(text) : "";
}

std::string text_at_address(const Moment& moment, RunAddress address) {
    if (address.value < kLowestAddress) return {};
    char bytes[kLongestText + 1];
    std::size_t got =
        moment.target().read_available(address, std::as_writable_bytes(std::span(bytes)));
    std::size_t length = 0;
    while (length < got && is_printable(static_cast<unsigned char>(bytes[length]))) ++length;
    // Six bytes and two zeros are as likely an address as a text.
    std::uint64_t word = 0;
    if (length < sizeof word && got >= sizeof word) std::memcpy(&word, bytes, sizeof word);
    if (word && moment.target().region_at(RunAddress(word))) return {};
    bool ends = length < got ? bytes[length] == '\0' : got == sizeof bytes;
    if (length < kShortestText || !ends) return {};
    bool is_cut = length == sizeof bytes;
    return quote(std::string_view(bytes, std::min(length, kLongestText))) + (is_cut ? "…" : "");
}

}  // namespace lantern
