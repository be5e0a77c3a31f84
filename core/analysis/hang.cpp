#include "core/analysis/hang.h"

#include <algorithm>

#include "core/analysis/source_report.h"
#include "core/analysis/statement_parts.h"
#include "core/expressions/scope_names.h"
#include "core/support/error.h"
#include "core/target/code_at.h"
#include "core/values/variable_value.h"

namespace lantern {
namespace {

constexpr unsigned kFramesOfHang = 32;

constexpr std::uint32_t kLinesAround = 12;  // of a loop, where globals are looked for

// Globals that the lines around name: what a loop waits for is often one of them.
void add_globals(const Moment& moment, const Frame& frame,
                 std::map<std::string, std::uint64_t>& numbers) {
    EvaluationContext context = context_in(moment, frame);
    auto own = frame.function ? lines_of(frame, frame.function->ranges) : std::nullopt;
    if (!own) return;
    std::uint32_t line = frame.line->line,
                  first = std::max(own->first, line - std::min(line, kLinesAround)),
                  last = std::min(own->last, line + kLinesAround);
    try {
        for (const auto& row : report_source(moment, frame.line->file, first, last).rows)
            for (const std::string& name : names_in(row.text)) {
                if (numbers.count(name)) continue;
                try {
                    Value value = evaluate(name, context);
                    if (value.address && is_scalar(*value.type))
                        numbers[name] = ValueReader(moment.target()).integer(value);
                } catch (const Error&) {  // a word that names nothing here
                }
            }
    } catch (const Error&) {  // its source is not here
    }
}

std::map<std::string, std::uint64_t> numbers_in(const Moment& moment, ThreadId thread,
                                                const Frame& frame) {
    Target& target = moment.target();
    std::map<std::string, std::uint64_t> numbers;
    for (const VisibleVariable& visible : visible_variables(frame)) {
        if (visible.is_shadowed) continue;
        Value value = value_of_variable(target, thread, frame, *visible.variable);
        if (!value.is_available() || !is_scalar(*value.type)) continue;
        try {
            numbers[visible.variable->name] = ValueReader(target).integer(value);
        } catch (const Error&) {  // no number, or it cannot be read
        }
    }
    add_globals(moment, frame, numbers);
    return numbers;
}

// Right behind the instruction by which a system call is made.
bool stands_in_system_call(Target& target, ThreadId thread) {
    RunAddress at = target.registers(thread).program_counter();
    auto before = instruction_at(target, at - 2);
    return before && before->kind == Instruction::Kind::system_call && before->length == 2;
}

}  // namespace

void HangSamples::take(const Moment& moment) {
    Target& target = moment.target();
    for (ThreadId thread : target.threads()) {
        std::vector<Sample> frames;
        bool waits = stands_in_system_call(target, thread);
        Unwinder walk(target, thread);
        for (unsigned level = 0; level < kFramesOfHang; ++level) {
            const Frame* frame = walk.frame(level);
            if (!frame) break;
            bool is_users = frame->line && frame->module && frame->call_frame_address &&
                            !moment.libraries().is_library(*frame->module);
            if (!is_users) continue;
            constexpr std::size_t kOwnFrames = 8;
            if (frames.size() == kOwnFrames) break;
            frames.push_back({frame_function_name(*frame), frame->line->file, frame->line->line,
                              *frame->call_frame_address, numbers_in(moment, thread, *frame),
                              waits});
        }
        by_thread_[target.thread_number(thread)].push_back(std::move(frames));
    }
}

std::vector<HangLoop> HangSamples::loops() const {
    std::vector<HangLoop> loops;
    for (const auto& [thread, samples] : by_thread_) {
        if (samples.size() < 2) continue;
        bool always_waits = std::ranges::all_of(samples, [](const std::vector<Sample>& frames) {
            return !frames.empty() && frames.front().waits;
        });
        if (always_waits) continue;
        // The innermost call that was there each time.
        for (const Sample& frame : samples.back()) {
            std::vector<const Sample*> seen;
            for (const std::vector<Sample>& frames : samples)
                for (const Sample& each : frames)
                    if (each.frame == frame.frame && each.function == frame.function) {
                        seen.push_back(&each);
                        break;
                    }
            if (seen.size() != samples.size()) continue;
            HangLoop loop{thread, frame.function, frame.file, frame.line, frame.line, {}, {}};
            for (const Sample* each : seen) {
                loop.first_line = std::min(loop.first_line, each->line);
                loop.last_line = std::max(loop.last_line, each->line);
            }
            for (const auto& variable : frame.variables) {
                const std::string& name = variable.first;
                bool is_known = std::ranges::all_of(
                    seen, [&](const Sample* each) { return each->variables.count(name) != 0; });
                if (!is_known) continue;
                bool changes = std::ranges::any_of(seen, [&](const Sample* each) {
                    return each->variables.at(name) != variable.second;
                });
                (changes ? loop.changing : loop.steady).push_back(name);
            }
            loops.push_back(std::move(loop));
            break;
        }
    }
    return loops;
}

}  // namespace lantern
