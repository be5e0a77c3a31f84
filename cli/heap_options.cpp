#include "cli/heap_options.h"

#include "cli/commands/command.h"
#include "core/target/module.h"

#include <filesystem>

namespace lantern::cli {

namespace {

// "64M", in bytes.
bool take_kept_bytes(std::string_view text, HeapWish& wish) {
    std::uint64_t unit = 1;
    for (auto [letter, bytes] : {std::pair('k', 1ull << 10), {'M', 1ull << 20}, {'G', 1ull << 30}})
        if (text.ends_with(letter)) unit = bytes;
    if (unit > 1) text.remove_suffix(1);
    auto number = whole_number(text);
    if (!number || *number > ~std::uint64_t{0} / unit) return false;
    wish.keep_bytes = *number * unit;
    return true;
}

// "all", "none", "first 5000", "every 100", "size 24..64", "at FUNCTION".
bool take_guard(std::string_view text, HeapWish& wish) {
    constexpr std::uint64_t kAll = 1'000'000'000;
    std::string_view word = take_word(text);
    if (word == "at" && !text.empty()) {
        wish.guard_births = kAll;
        wish.guard_places.emplace_back(text);
        return true;
    }
    if (word == "none") wish.guard_births = 0;
    if (word == "all" || word == "every" || word == "size") wish.guard_births = kAll;
    if (word == "none" || word == "all") return text.empty();
    std::size_t dots = text.find("..");
    auto first = whole_number(text.substr(0, dots));
    auto last = dots == text.npos ? first : whole_number(text.substr(dots + 2));
    if (!first || !last || (dots != text.npos && word != "size")) return false;
    if (word == "first") wish.guard_births = *first;
    if (word == "every") wish.guard_every = *first;
    if (word == "size") {
        wish.guard_least = *first;
        wish.guard_most = *last;
    }
    return word == "first" || word == "size" || (word == "every" && *first > 0);
}

// "behind", "end", "before".
bool take_page(std::string_view text, HeapWish& wish) {
    using heap_tables::GuardPage;
    for (auto [word, page] : {std::pair(std::string_view("behind"), GuardPage::behind),
                              {"end", GuardPage::at_end},
                              {"before", GuardPage::before}})
        if (text == word) wish.page = page;
    return text == "behind" || text == "end" || text == "before";
}

constexpr HeapOption kOptions[] = {
    {"guard", take_guard,
     "--guard all, none, \"first 5000\", \"every 100\", \"size 24..64\", or \"at FUNCTION\""},
    {"page", take_page, "--page behind, end, or before"},
    {"keep-freed", take_kept_bytes, "--keep-freed 64M, for example; k, M and G are 1024 each"}};

}  // namespace

std::span<const HeapOption> heap_options() {
    return kOptions;
}

std::string heap_library() {
    std::error_code problem;
    auto folder = std::filesystem::read_symlink("/proc/self/exe", problem).parent_path();
    auto beside = folder / kHeapLibraryFile;
    auto installed = folder.parent_path() / "lib" / "elm-lantern" / kHeapLibraryFile;
    return std::filesystem::exists(installed, problem) && !std::filesystem::exists(beside, problem)
               ? installed.string()
               : beside.string();
}

}  // namespace lantern::cli
