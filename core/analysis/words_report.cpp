#include "core/analysis/words_report.h"

#include <fmt/format.h>

#include "core/analysis/frame_words.h"
#include "core/support/error.h"

namespace lantern {

std::string_view word_of(WordKind kind) {
    static constexpr std::string_view kWords[] = {
        "return address", "saved register", "variable", "canary",   "parameter",
        "red zone",       "leftover",       "spill",    "nameless", "unreadable"};
    return kWords[static_cast<std::size_t>(kind)];
}

WordsReport report_words(const Moment& moment, const WordsQuery& query) {
    Unwinder& stack = moment.stack();
    const Frame* frame = moment.selected_frame();
    if (!frame) throw RequestError("no frame is selected");
    if (frame->has_left)
        throw RequestError(fmt::format("{} has left by a jump: nothing of it is on the stack",
                                       frame_function_name(*frame)),
                           "callee goes to the function that it jumped to");
    WordsReport report;
    report.thread = moment.thread();
    // Inlined calls lie in the frame of the function that holds them: from its innermost part on.
    unsigned level = frame->level;
    while (level > 0 && stack.frame(level)->origin == FrameOrigin::inlined) --level;
    for (unsigned count = 0; count <= query.callers; ++count) {
        std::vector<const Frame*> inner;
        const Frame* physical = stack.frame(level);
        if (!physical) break;
        inner.push_back(physical);
        while (const Frame* next = stack.frame(level + 1)) {
            if (next->origin != FrameOrigin::inlined) break;
            inner.push_back(next);
            physical = next;
            ++level;
        }
        while (stack.frame(level + 1) && stack.frame(level + 1)->has_left) ++level;
        const Frame* caller = stack.frame(level + 1);
        report.frames.push_back(FrameWords(moment, *physical, std::move(inner), caller, query)
                                    .make(report.damage, report.is_cut));
        ++level;
    }
    if (!stack.why_it_ended().empty() && report.damage.empty())
        report.damage.push_back(stack.why_it_ended());
    return report;
}

}  // namespace lantern
