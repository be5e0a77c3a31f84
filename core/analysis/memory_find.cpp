// Looking for bytes in the memory of the program.
#include "core/analysis/memory_report.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <filesystem>

#include "core/analysis/address_note.h"
#include "core/machine/disassembler.h"
#include "core/machine/page.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/values/builtin_types.h"
#include "core/values/scalar_text.h"

namespace lantern {
namespace {

// How seldom a byte is in usual memory: the search looks for the rarest one of what it wants.
unsigned rarity(std::byte byte) {
    auto value = static_cast<unsigned>(byte);
    if (value == 0) return 0;
    if (value == 0xff || value == 0x20 || value == 0x01 || value == 0x48) return 1;
    if (value == 'e' || value == 't' || value == 'a' || value == 0x7f || value < 0x10) return 2;
    return 3;
}

// Calls `found` with each offset. Finds do not overlap the one before.
template <class Found>
void search(ByteSpan hay, ByteSpan needle, Found found) {
    if (needle.empty() || hay.size() < needle.size()) return;
    std::size_t key = 0;
    for (std::size_t i = 0; i < needle.size(); ++i)
        if (rarity(needle[i]) > rarity(needle[key])) key = i;
    const std::byte* end = hay.data() + hay.size() - (needle.size() - key - 1);
    for (const std::byte* at = hay.data() + key; at < end;) {
        at = static_cast<const std::byte*>(
            std::memchr(at, static_cast<int>(needle[key]), static_cast<std::size_t>(end - at)));
        if (!at) return;
        const std::byte* begin = at - key;
        if (std::memcmp(begin, needle.data(), needle.size()) == 0) {
            found(static_cast<std::uint64_t>(begin - hay.data()));
            at = begin + needle.size() + key;
        } else {
            ++at;
        }
    }
}

std::vector<RunRange> ranges_named(const Moment& moment, const std::string& name) {
    std::vector<RunRange> ranges;
    std::vector<std::string> words{"all", "heap", "stack"};
    for (const RegionRow& row : report_regions(moment).rows) {
        bool is_stack = row.what.starts_with("stack of");
        bool is_file = !row.file.empty() &&
                       (row.file == name || std::filesystem::path(row.file).filename() == name);
        bool fits = name == "all" || (name == "stack" && is_stack) || row.what == name || is_file;
        if (!row.file.empty()) words.push_back(std::filesystem::path(row.file).filename().string());
        if (fits && row.permissions[0] == 'r')
            ranges.push_back({RunAddress(row.begin), RunAddress(row.end)});
    }
    if (!ranges.empty()) return ranges;
    if (name == "heap") throw RequestError("the process has no heap yet", Next::list_regions);
    auto near = nearest_names(name, words);
    throw RequestError(fmt::format("there is no region {}", quote(name)),
                       did_you_mean(near, Next::name_region));
}

}  // namespace

MemoryFindReport report_memory_find(const Moment& moment, const MemoryFindQuery& query) {
    constexpr std::uint64_t kChunk = 4 << 20;
    constexpr std::size_t kAround = 32;
    if (query.bytes.empty())
        throw RequestError("there is nothing to look for", Next::name_pattern_to_find);
    MemoryFindReport report;
    report.what = query.what;
    report.within = query.within;
    std::vector<RunRange> ranges =
        query.range ? std::vector{*query.range} : ranges_named(moment, query.within);
    Target& target = moment.target();
    std::uint64_t total = 0, before = 0;
    for (const RunRange& range : ranges) total += range.size();
    std::vector<std::byte> chunk(kChunk + query.bytes.size());
    for (const RunRange& range : ranges) {
        for (std::uint64_t at = 0; at < range.size();) {
            // One byte less than what is looked for reaches over into the next chunk.
            std::size_t wanted = static_cast<std::size_t>(
                std::min<std::uint64_t>(kChunk + query.bytes.size() - 1, range.size() - at));
            std::size_t got = target.read_bulk(range.low + at, std::span(chunk).first(wanted));
            search(ByteSpan(chunk).first(got), query.bytes, [&](std::uint64_t offset) {
                if (offset >= kChunk || ++report.total > query.limit) return;
                FoundMemory found;
                found.address = (range.low + at + offset).value;
                found.note = address_note(moment, RunAddress(found.address));
                ByteSpan around =
                    ByteSpan(chunk).subspan(offset, std::min<std::size_t>(kAround, got - offset));
                found.around.assign(around.begin(), around.end());
                found.text = printable(around);
                report.found.push_back(std::move(found));
            });
            std::uint64_t step = got < wanted
                                     ? got + kPageSize - (range.low + at + got).value % kPageSize
                                     : std::min<std::uint64_t>(kChunk, range.size() - at);
            if (got < wanted)
                report.unreadable += std::min<std::uint64_t>(step - got, range.size() - at - got);
            report.searched += std::min<std::uint64_t>(got, step);
            at += step;
            if (query.progress)
                query.progress(static_cast<double>(before + std::min(at, range.size())) /
                               static_cast<double>(total));
        }
        before += range.size();
    }
    return report;
}

}  // namespace lantern
