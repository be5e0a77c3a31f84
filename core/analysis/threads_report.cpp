#include "core/analysis/threads_report.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/analysis/waiting.h"
#include "core/session/system_calls.h"
#include "core/support/text.h"

namespace lantern {
namespace {

constexpr unsigned kFramesOfAThread = 64;

// Follows who waits for whom; a circle is told in the order of waiting.
std::string circle_among(const std::vector<std::pair<ThreadId, ThreadId>>& waits,
                         const Target& process) {
    for (const auto& [start, first] : waits) {
        std::vector<ThreadId> way{start};
        for (ThreadId at = first; at && way.size() <= waits.size();) {
            if (at == start) {
                std::vector<std::string> words;
                for (ThreadId id : way) words.push_back(std::to_string(process.thread_number(id)));
                if (way.size() == 1)
                    return fmt::format("thread {} waits for a mutex that it holds itself",
                                       words[0]);
                return fmt::format("threads {} wait for each other: none of them can go on",
                                   join_with(words, "and"));
            }
            way.push_back(at);
            auto next = std::find_if(waits.begin(), waits.end(),
                                     [&](const auto& each) { return each.first == at; });
            at = next == waits.end() ? 0 : next->second;
        }
    }
    return {};
}

}  // namespace

ThreadsReport report_threads(const Moment& moment) {
    moment.stack();  // throws while the program runs
    Target& process = moment.target();
    ThreadsReport report;
    std::vector<std::pair<ThreadId, ThreadId>> waits;
    for (ThreadId id : process.threads()) {
        ThreadRow row;
        row.number = process.thread_number(id);
        row.id = id;
        row.name = process.thread_name(id);
        row.is_selected = id == moment.thread();
        Unwinder stack(process, id);
        const Frame* shown = stack.frame(0);
        for (unsigned level = 0; level < kFramesOfAThread; ++level) {
            const Frame* frame = stack.frame(level);
            if (!frame) break;
            bool is_users = frame->line && frame->module &&
                            !moment.libraries().is_library(*frame->module) &&
                            !moment.libraries().is_library_source(frame->line->file);
            if (!is_users) continue;
            shown = frame;
            break;
        }
        const Frame* innermost = stack.frame(0);
        auto call = static_cast<std::int64_t>(process.registers(id).system_call);
        std::string name = call >= 0 ? system_call_name(call) : "";
        bool goes_on = name == "restart_syscall";  // with one that was interrupted
        if (!name.empty() && !goes_on)
            row.state = "in the system call " + name;
        else if (shown != innermost)
            row.state = fmt::format("in {}", frame_function_name(*innermost));
        row.function = frame_function_name(*shown);
        row.level = shown->level;
        row.address = shown->program_counter.value;
        if (shown->line) {
            row.file = shown->line->file;
            row.line = shown->line->line;
        }
        Awaited awaited = awaited_by(process, id, stack);
        row.waits_for = awaited.what;
        if (awaited.owner) row.waits_for_thread = process.thread_number(awaited.owner);
        if (awaited.owner) waits.emplace_back(id, awaited.owner);
        report.rows.push_back(std::move(row));
    }
    std::sort(report.rows.begin(), report.rows.end(),
              [](const ThreadRow& a, const ThreadRow& b) { return a.number < b.number; });
    report.warning = circle_among(waits, process);
    return report;
}

}  // namespace lantern
