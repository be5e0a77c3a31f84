#include "core/analysis/process_oddities.h"

#include <fmt/format.h>
#include <signal.h>

#include "core/session/signal_rules.h"
#include "core/support/text.h"

namespace lantern {
namespace {

constexpr double kNearlyFull = 0.9;
constexpr std::size_t kMostOfAKind = 3;

bool may(const MemoryRegion& region, std::size_t right, char letter) {
    return region.permissions.size() > right && region.permissions[right] == letter;
}

std::string name_of(const MemoryRegion& region) {
    if (region.name.empty()) return "anonymous memory";
    if (region.name == "[stack]") return "the stack";
    if (region.name == "[heap]") return "the heap";
    return region.name;
}

std::string place_of(const MemoryRegion& region) {
    return fmt::format("{} at {:#x} ({} bytes)", name_of(region), region.begin.value,
                       with_thousands(region.size()));
}

void add_writable_code(Target& target, std::vector<std::string>& odd) {
    std::size_t found = 0;
    for (const MemoryRegion& region : target.regions())
        if (may(region, 1, 'w') && may(region, 2, 'x') && found++ < kMostOfAKind)
            odd.push_back(place_of(region) + " can be written and executed");
    if (found > kMostOfAKind)
        odd.push_back(fmt::format("so can {} more", counted(found - kMostOfAKind, "region")));
}

// What was replaced goes on to be used as it was; what was shared and is gone is not saved.
void add_gone_files(Target& target, std::vector<std::string>& odd) {
    constexpr std::string_view kGone = " (deleted)";
    std::vector<std::string> told;
    for (const MemoryRegion& region : target.regions()) {
        if (!region.name.starts_with('/') || !region.name.ends_with(kGone)) continue;
        std::string path = region.name.substr(0, region.name.size() - kGone.size());
        bool is_of_memory =
            path.starts_with("/dev/") || path.starts_with("/memfd:") || path.starts_with("/SYSV");
        if (is_of_memory || told.size() == kMostOfAKind) continue;
        if (std::ranges::find(told, path) != told.end()) continue;
        told.push_back(path);
        odd.push_back(path + " is mapped, and the file has been removed or replaced since");
    }
}

void add_full(const std::string& what, std::uint64_t used, std::optional<std::uint64_t> limit,
              std::vector<std::string>& odd) {
    if (!limit || !*limit) return;
    if (static_cast<double>(used) < kNearlyFull * static_cast<double>(*limit)) return;
    odd.push_back(fmt::format("{}: {}, and {} are the most it may have", what, with_thousands(used),
                              with_thousands(*limit)));
}

void add_limits(const Moment& moment, std::vector<std::string>& odd) {
    Target& target = moment.target();
    ProcessLimits limits = limits_of(target.id());
    std::uint64_t mapped = 0;
    for (const MemoryRegion& region : target.regions()) {
        mapped += region.size();
        if (region.name == "[stack]")
            add_full("bytes of the first thread's stack", region.size(), limits.stack, odd);
    }
    add_full("open files", open_files_of(target.id()).size(), limits.files, odd);
    add_full("mappings", target.regions().size(), limits.mappings, odd);
    add_full("bytes of its address space", mapped, limits.address_space, odd);
}

std::string names_of(std::uint64_t set) {
    std::vector<std::string> names;
    for (int signal = 1; signal <= 64; ++signal) {
        // The C library keeps two for itself (nptl: cancelling threads, changing user).
        bool is_librarys = signal == 32 || signal == 33;
        if (set >> (signal - 1) & 1 && !is_librarys) names.push_back(signal_name(signal));
    }
    constexpr std::size_t kNamed = 8;
    if (names.size() <= kNamed) return join_with(names, "and");
    std::size_t more = names.size() - kNamed;
    names.resize(kNamed);
    return fmt::format("{} and {} more", fmt::join(names, ", "), more);
}

}  // namespace

std::vector<std::string> process_oddities(const Moment& moment) {
    Target& target = moment.target();
    std::vector<std::string> odd;
    add_writable_code(target, odd);
    add_gone_files(target, odd);
    if (!target.is_kept() && target.id()) add_limits(moment, odd);
    return odd;
}

std::vector<std::string> signal_words(const Moment& moment) {
    Target& target = moment.target();
    std::vector<std::string> words;
    auto sets = target.is_kept() ? std::nullopt : signal_sets_of(target.id(), moment.thread());
    if (!sets) return words;
    auto add = [&](const char* what, std::uint64_t set) {
        if (std::string names = names_of(set); !names.empty())
            words.push_back(fmt::format("{}: {}", what, names));
    };
    add("pending", sets->pending);
    add("blocked in this thread", sets->blocked);
    add("ignored", sets->ignored);
    add("handled by the program", sets->handled);
    return words;
}

}  // namespace lantern
