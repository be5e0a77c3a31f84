#include "core/analysis/threads_report.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/machine/calling_convention.h"
#include "core/runtime/c_library.h"
#include "core/session/system_calls.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern {
namespace {

constexpr unsigned kFramesOfAThread = 64;

struct Waiting {
    RunAddress mutex;
    ThreadId owner = 0;
};

// The mutex that the thread is about to get: the argument of the pthread function, kept by its
// frame's callee-saved registers or, right at the system call, by the futex's address.
std::optional<Waiting> waiting_for(const Moment& moment, ThreadId id, Unwinder& stack) {
    bool locks = false;
    for (unsigned level = 0; level < 6 && stack.frame(level); ++level) {
        std::string name = frame_function_name(*stack.frame(level));
        locks |= name.find("mutex_lock") != std::string::npos ||
                 name.find("lll_lock_wait") != std::string::npos;
    }
    if (!locks) return std::nullopt;
    const Registers& registers = moment.target().registers(id);
    auto futex = registers.get(kIntegerParameters[0]);
    if (!futex || system_call_name(static_cast<long>(registers.system_call)) != "futex")
        return std::nullopt;
    try {
        return Waiting{RunAddress(*futex), moment.target().read<std::int32_t>(
                                               RunAddress(*futex) + c_library::kOwnerInMutex)};
    } catch (const MemoryError&) {
        return std::nullopt;
    }
}

// "chambers[1].gate" is more than an address: the global that holds it, and how far into it.
std::string name_of_address(const Moment& moment, RunAddress address) {
    if (const Module* module = moment.target().module_at(address))
        if (auto nearest = module->symbols().nearest_name(module->to_file(address)))
            return nearest->offset ? fmt::format("{}+{}", nearest->name, nearest->offset)
                                   : nearest->name;
    return fmt::format("{:#x}", address.value);
}

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
        std::uint64_t call = process.registers(id).system_call;
        if (static_cast<std::int64_t>(call) >= 0)
            row.state =
                fmt::format("in the system call {}", system_call_name(static_cast<long>(call)));
        else if (shown != innermost)
            row.state = fmt::format("in {}", frame_function_name(*innermost));
        row.function = frame_function_name(*shown);
        row.level = shown->level;
        row.address = shown->program_counter.value;
        if (shown->line) {
            row.file = shown->line->file;
            row.line = shown->line->line;
        }
        if (auto waiting = waiting_for(moment, id, stack)) {
            unsigned owner = process.thread_number(waiting->owner);
            row.waits_for = fmt::format("mutex {}{}", name_of_address(moment, waiting->mutex),
                                        owner ? fmt::format(", held by thread {}", owner) : "");
            waits.emplace_back(id, waiting->owner);
        }
        report.rows.push_back(std::move(row));
    }
    std::sort(report.rows.begin(), report.rows.end(),
              [](const ThreadRow& a, const ThreadRow& b) { return a.number < b.number; });
    report.warning = circle_among(waits, process);
    return report;
}

}  // namespace lantern
