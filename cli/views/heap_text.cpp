// The heap as text.
#include <fmt/format.h>

#include <algorithm>

#include "cli/views/text.h"
#include "core/analysis/heap_report.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

// "1 204 blocks, 86 016 bytes"
std::string count_text(const HeapCount& count) {
    return fmt::format("{} {}, {} {}", with_thousands(count.blocks),
                       count.blocks == 1 ? "block" : "blocks", with_thousands(count.bytes),
                       count.bytes == 1 ? "byte" : "bytes");
}

std::string take_care(bool is_being_changed, const Style& style) {
    if (!is_being_changed) return {};
    return " " + style.warning("take care") +
           " a thread stands in the middle of a request: the lists may be half changed\n";
}

// "thread 1", "threads 2, 5 and 9"; of many only some.
std::string threads_of(const std::vector<unsigned>& threads) {
    constexpr std::size_t kNamed = 12;
    std::vector<std::string> named;
    for (unsigned thread : threads)
        if (named.size() < kNamed) named.push_back(std::to_string(thread));
    if (threads.size() > kNamed) named.push_back(fmt::format("{} more", threads.size() - kNamed));
    return fmt::format("{} {}", threads.size() == 1 ? "thread" : "threads",
                       join_with(named, "and"));
}

std::string growth_line(const HeapGrowthRow& row, const Style& style) {
    auto signed_text = [](std::uint64_t before, std::uint64_t now) {
        return (now < before ? "-" : "+") +
               with_thousands(now < before ? before - now : now - before);
    };
    std::string always = row.only_grows ? "  " + style.warning("each time more") : "";
    return fmt::format("  {:>12} bytes  {:>10} × {}, now {}{}\n",
                       signed_text(row.before.bytes, row.now.bytes),
                       signed_text(row.before.blocks, row.now.blocks), escape_for_display(row.what),
                       with_thousands(row.now.blocks), always);
}

std::string block_line(const HeapBlockRow& row, const Style& style) {
    std::string what = row.what.empty() ? "" : "  " + escape_for_display(row.what);
    std::string state = row.state == "in use" ? "" : "  " + style.faint(row.state);
    return fmt::format("{:#x}  {:>10} bytes{}{}", row.address, with_thousands(row.size), state,
                       what);
}

}  // namespace

std::string heap_text(const HeapReport& report, const Style& style) {
    std::string out = heading_line("heap", report.library, style);
    out += take_care(report.is_being_changed, style);
    out += fmt::format("in use {}\n", count_text(report.in_use));
    std::string largest = report.free.blocks ? fmt::format(", the largest has {}",
                                                           with_thousands(report.largest_free))
                                             : "";
    out += fmt::format("free   {}{}\n", count_text(report.free), largest);
    out +=
        fmt::format("kept   {}, freed and kept for the next request\n", count_text(report.cached));
    for (const HeapArenaRow& row : report.arenas) {
        std::string name =
            row.number ? fmt::format("arena {}", row.number) : "mappings of their own";
        out +=
            fmt::format("  {}  {} bytes: {} in use, {} free, {} at its end{}\n", padded(name, 22),
                        with_thousands(row.whole), with_thousands(row.in_use.bytes),
                        with_thousands(row.free.bytes + row.cached.bytes), with_thousands(row.rest),
                        row.is_locked ? ", locked" : "");
        if (!row.threads.empty() && report.arenas.size() > 1)
            out += fmt::format("  {}  {}\n", padded("", 22), threads_of(row.threads));
    }
    if (!report.sizes.empty())
        out += style.faint("  usable bytes  in use           not in use") + "\n";
    for (const HeapSizeRow& row : report.sizes)
        out += fmt::format("  {:>12}  {} {}\n", with_thousands(row.size),
                           padded(fmt::format("{} = {}", with_thousands(row.in_use.blocks),
                                              with_thousands(row.in_use.bytes)),
                                  16),
                           with_thousands(row.not_in_use.blocks));
    if (!report.largest.empty()) out += style.faint("  the largest in use") + "\n";
    for (const HeapBlockRow& row : report.largest) out += "  " + block_line(row, style) + "\n";
    if (report.damage)
        out += " " + style.warning("damaged") +
               fmt::format(" {} in its structures: heap check tells them\n",
                           counted(report.damage, "contradiction"));
    return out;
}

std::string heap_blocks_text(const HeapBlocksReport& report, const Style& style) {
    std::string out = heading_line("blocks of the heap", counted(report.total, "block"), style);
    if (!report.note.empty()) out += report.note + "\n";
    for (const HeapBlockRow& row : report.rows)
        out += (row.is_meant ? style.mark("◆") + " " : "  ") + block_line(row, style) + "\n";
    if (report.total > report.rows.size())
        out +=
            fmt::format("  … {} more; limit {} shows more of them\n",
                        with_thousands(report.total - report.rows.size()), report.rows.size() * 10);
    return out;
}

std::string heap_types_text(const HeapTypesReport& report, const Style& style) {
    std::string out = heading_line("what the heap holds", count_text(report.in_use), style);
    for (const HeapTypeRow& row : report.rows)
        out +=
            fmt::format("  {:>12} bytes  {:>10} × {}\n", with_thousands(row.in_use.bytes),
                        with_thousands(row.in_use.blocks),
                        row.what.empty() ? style.faint("not known") : escape_for_display(row.what));
    if (report.total > report.rows.size())
        out += fmt::format("  … {} more; limit {} shows more of them\n",
                           report.total - report.rows.size(), report.rows.size() * 10);
    return out;
}

std::string heap_check_text(const HeapCheckReport& report, const Style& style) {
    std::string out = heading_line("heap check", counted(report.blocks, "block"), style);
    out += take_care(report.is_being_changed, style);
    if (report.rows.empty()) return out + "nothing contradicts itself\n";
    for (const HeapDamageRow& row : report.rows) {
        out += fmt::format(" {} {}\n", style.warning("damaged"), row.what);
        if (row.before && row.born.empty())
            out += "         before it lies " + block_line(*row.before, style) + "\n";
        if (!row.born.empty()) out += "         born in " + row.born + "\n";
        if (!row.content.empty())
            out += fmt::format("         over its end lies {}\n", escape_for_display(row.content));
    }
    return out;
}

std::string heap_leaks_text(const HeapLeaksReport& report, const Style& style) {
    std::string out = heading_line("heap leaks", counted(report.groups, "group"), style);
    out += take_care(report.is_being_changed, style);
    out += fmt::format("in use {}\n", count_text(report.in_use));
    if (report.from_inside.blocks)
        out += fmt::format(
            "       {} of them are pointed to only from inside, not to their beginning\n",
            count_text(report.from_inside));
    std::string growing;
    if (!report.growing.empty())
        growing = style.faint("  not lost, and each time more than at the time before") + "\n";
    for (const HeapGrowthRow& row : report.growing) growing += growth_line(row, style);
    if (!report.lost.blocks)
        return out + "nothing is lost: something leads to each block\n" + growing;
    out += fmt::format("lost   {}\n", count_text(report.lost));
    for (const HeapLostRow& row : report.rows) {
        std::string times = row.times > 1 ? fmt::format("{} × ", with_thousands(row.times)) : "";
        std::string more = row.whole.blocks > row.times
                               ? fmt::format("  {} with what they lead to", count_text(row.whole))
                               : "";
        std::string born = row.born.empty() ? "" : "  born in " + row.born;
        out += fmt::format("  {}{}{}{}\n", times, block_line(row.first, style), born, more);
    }
    return out + growing;
}

std::string heap_growth_text(const HeapGrowthReport& report, const Style& style) {
    std::string out = heading_line("heap since", report.since, style);
    out += take_care(report.is_being_changed, style);
    out += fmt::format("then   {}\n", count_text(report.before));
    out += fmt::format("now    {}\n", count_text(report.now));
    if (report.is_of_another_run)
        out += "       that was another run of the program: single blocks are not compared\n";
    else
        out += fmt::format("       {} came, {} went\n", count_text(report.came),
                           count_text(report.went));
    for (const HeapGrowthRow& row : report.rows) out += growth_line(row, style);
    if (report.total > report.rows.size())
        out += fmt::format("  … {} more; limit {} shows more of them\n",
                           report.total - report.rows.size(), report.rows.size() * 10);
    return out;
}

std::string heap_path_text(const HeapPathReport& report, const Style& style) {
    std::string out =
        heading_line("what keeps a block", fmt::format("{:#x}", report.block.address), style);
    out += "  " + block_line(report.block, style) + "\n";
    if (report.steps.empty()) return out + "nothing leads to it: it is lost\n";
    constexpr std::size_t kMostSteps = 24;  // the middle of a longer way is left out
    std::size_t count = report.steps.size();
    for (std::size_t i = 0; i < count; ++i) {
        if (count > kMostSteps && i == kMostSteps / 2) {
            out += style.faint(
                fmt::format("  … {} more blocks\n", with_thousands(count - kMostSteps)));
            i += count - kMostSteps;
        }
        const HeapPathStep& step = report.steps[i];
        std::string where =
            step.pointer ? fmt::format("{} at {:#x}", escape_for_display(step.where), step.pointer)
                         : step.where;
        std::string inside = step.offset ? fmt::format(", byte {} of it", step.offset) : "";
        std::string what = step.what.empty() ? "" : "  " + escape_for_display(step.what);
        out += fmt::format("  {} → block {:#x} of {} bytes{}{}\n", where, step.block,
                           with_thousands(step.size), inside, what);
    }
    return out;
}

}  // namespace lantern::cli
