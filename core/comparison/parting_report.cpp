#include "core/comparison/parting_report.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/analysis/survey.h"
#include "core/session/signal_rules.h"
#include "core/support/text.h"

namespace lantern {
namespace {

constexpr std::size_t kLongestValue = 120;  // characters

std::string short_text(std::string text) {
    if (text.size() <= kLongestValue) return text;
    std::size_t end = kLongestValue;
    while (end && (static_cast<unsigned char>(text[end]) & 0xc0) == 0x80) --end;
    return text.substr(0, end) + "…";
}

class PartingReporter {
  public:
    // `names`: what the two sides are called.
    PartingReporter(const PairedRun& run, std::array<std::string, 2> names)
        : run_(run), names_(std::move(names)) {}

    PartingReport parting(const Parting& found) const {
        PartingReport report;
        report.kind = found.kind;
        report.heals = found.heals;
        report.inside = calls_around(found);
        for (unsigned side : {0u, 1u}) {
            report.sides[side].does = does(found, side);
            place_call(found, side, report.sides[side]);
        }
        const WalkEvent& event = run_.walks[0].events[found.event[0]];
        if (event.is_call()) report.function = name_of(event);
        report.what = what(found);
        if (found.unsteady == Unsteadiness::unset)
            report.why = fmt::format(
                "{} by itself gives something else here when memory that nothing has set, or that "
                "was "
                "freed, holds something else: it reads such memory",
                side_word(found.unsteady_side));
        report.descriptor = found.descriptor;
        report.line = found.line;
        report.written = found.lines;
        return report;
    }

    std::string ended(unsigned side) const {
        const Walk& walk = run_.walks[side];
        if (!walk.is_whole || walk.events.empty()) return "";
        const WalkEvent& end = walk.events.back();
        if (end.function)
            return fmt::format("{} ended it", signal_name(static_cast<int>(end.function)));
        return fmt::format("it ended with the status {}", walk.values_of(end)[0].bits);
    }

    std::vector<std::string> notes() const {
        std::vector<std::string> notes;
        const ParallelCounts& counts = run_.partings.first.counts;
        auto note = [&](std::uint64_t count, const char* one, const char* many) {
            if (count) notes.push_back(count == 1 ? one : fmt::format(fmt::runtime(many), count));
        };
        note(counts.by_run,
             "one value differs from run to run by itself: time, chance, another process",
             "{} values differ from run to run by themselves: time, chance, other processes");
        note(counts.by_address, "one value is made of an address, and differs by itself",
             "{} values are made of addresses, and differ by themselves");
        note(counts.by_unset,
             "one value lies in memory that was handed over unset, and was not compared",
             "{} values lie in memory that was handed over unset, and were not compared");
        note(counts.lines, "one line that is written differs from run to run by itself",
             "{} lines that are written differ from run to run by themselves");
        note(counts.other_ways,
             "inside of one call a build goes another way by itself: it was not compared",
             "inside of {} calls a build goes another way by itself: they were not compared");
        note(counts.other_order, "two calls follow each other the other way round",
             "{} times two calls follow each other the other way round");
        if (counts.first_other_order)
            notes.back() += fmt::format(
                ", first {} and {}", name_of(run_.walks[0].events[(*counts.first_other_order)[0]]),
                name_of(run_.walks[1].events[(*counts.first_other_order)[1]]));
        note(counts.lonely_threads, "one thread has no like in the other run: it was not compared",
             "{} threads have no like in the other run: they were not compared");
        note(counts.fewer, "one call of a function without effect is made in one build only",
             "{} calls of functions without effect are made in one build only");
        if (counts.threads_in_other_order)
            notes.push_back("threads began in another order, and were paired by how they begin");
        return notes;
    }

  private:
    const std::string& side_word(unsigned side) const { return names_[side]; }
    const WalkEvent& event(const Parting& found, unsigned side) const {
        return run_.walks[side].events[found.event[side]];
    }
    const std::string& name_of(const WalkEvent& event) const {
        return run_.pairs.pairs[event.function].name;
    }

    std::string call_text(unsigned side, const WalkEvent& entry) const {
        const Walk& walk = run_.walks[side];
        const auto& names = run_.pairs.pairs[entry.function].parameters;
        std::string text;
        auto values = walk.values_of(entry);
        for (std::size_t i = 0; i < values.size() && i < names.size(); ++i)
            text += fmt::format("{}{} = {}", text.empty() ? "" : ", ", names[i],
                                short_text(walk.text_of(values[i])));
        return fmt::format("{}({})", name_of(entry), text);
    }

    std::string value_text(const Parting& found, unsigned side) const {
        const Walk& walk = run_.walks[side];
        auto values = walk.values_of(event(found, side));
        return found.value < values.size() ? short_text(walk.text_of(values[found.value]))
                                           : "not known";
    }

    std::string does(const Parting& found, unsigned side) const {
        const WalkEvent& here = event(found, side);
        const Walk& walk = run_.walks[side];
        switch (here.kind) {
            case WalkEvent::Kind::entry: return "enters " + call_text(side, here);
            case WalkEvent::Kind::returned: {
                std::string value = walk.text_of(walk.values_of(here)[0]);
                bool is_known = walk.values_of(here)[0].kind != WalkValue::Kind::none;
                return fmt::format("{} returns{}", name_of(here),
                                   is_known ? " " + short_text(value) : "");
            }
            case WalkEvent::Kind::left:
                return fmt::format(
                    "{} is left without returning: by an exception, a panic or a jump",
                    name_of(here));
            case WalkEvent::Kind::signal:
                return fmt::format("gets {}", signal_name(static_cast<int>(here.function)));
            case WalkEvent::Kind::end:
                return here.function
                           ? fmt::format("is ended by {}",
                                         signal_name(static_cast<int>(here.function)))
                           : fmt::format("ends with the status {}", walk.values_of(here)[0].bits);
            case WalkEvent::Kind::written:
            case WalkEvent::Kind::named: break;
        }
        return found.lines[side].empty() ? "writes nothing more"
                                         : "writes " + quote(short_text(found.lines[side]));
    }

    // Of a return the call that comes back.
    void place_call(const Parting& found, unsigned side, PartedSide& parted) const {
        const WalkEvent* here = &event(found, side);
        if (!here->is_call()) return;
        if (here->kind != WalkEvent::Kind::entry) here = &run_.walks[side].events[here->call];
        if (!here->caller) return;
        auto line = run_.symbols[side]->line_at(FileAddress(here->caller - 1));
        if (!line) return;
        parted.call_file = line->file;
        parted.call_line = line->line;
    }

    // How many calls of its function a call of A is.
    static std::string ordinal(std::uint32_t number) {
        bool is_teen = number % 100 / 10 == 1;
        const char* end = is_teen            ? "th"
                          : number % 10 == 1 ? "st"
                          : number % 10 == 2 ? "nd"
                          : number % 10 == 3 ? "rd"
                                             : "th";
        return fmt::format("{}{}", number, end);
    }

    std::string what(const Parting& found) const {
        const WalkEvent& here = event(found, 0);
        switch (found.kind) {
            case Parting::Kind::value: {
                bool is_entry = here.kind == WalkEvent::Kind::entry;
                const WalkEvent& entry = is_entry ? here : run_.walks[0].events[here.call];
                std::string call = fmt::format("{} call of {}{}", ordinal(entry.hit), name_of(here),
                                               entry.thread > 1 ? " in its thread" : "");
                const auto& names = run_.pairs.pairs[here.function].parameters;
                if (is_entry)
                    return fmt::format("in the {} the argument {} is {} in {} and {} in {}", call,
                                       names[found.value], value_text(found, 0), side_word(0),
                                       value_text(found, 1), side_word(1));
                return fmt::format("the {} returns {} in {} and {} in {}", call,
                                   value_text(found, 0), side_word(0), value_text(found, 1),
                                   side_word(1));
            }
            case Parting::Kind::path:
                return fmt::format("they go another way: {} {}, {} {}", side_word(0),
                                   does(found, 0), side_word(1), does(found, 1));
            case Parting::Kind::written:
                return fmt::format("line {} of what is written to {} differs", found.line,
                                   found.descriptor == 1 ? "the standard output"
                                   : found.descriptor == 2
                                       ? "the standard error"
                                       : fmt::format("descriptor {}", found.descriptor));
            case Parting::Kind::end:
                return fmt::format("A {}, B {}", does(found, 0), does(found, 1));
            case Parting::Kind::none: break;
        }
        return "";
    }

    // Those that A is in when it comes to the event, and that were the same in B.
    std::vector<std::string> calls_around(const Parting& found) const {
        const Walk& walk = run_.walks[0];
        const WalkEvent& event = walk.events[found.event[0]];
        const WalkEvent& here =
            event.kind == WalkEvent::Kind::end ? walk.events[found.before[0]] : event;
        std::vector<std::uint32_t> open;
        for (std::uint32_t i = 0; i < found.event[0]; ++i) {
            const WalkEvent& each = walk.events[i];
            if (each.thread != here.thread) continue;
            if (each.kind == WalkEvent::Kind::entry) open.push_back(i);
            if (each.kind == WalkEvent::Kind::returned || each.kind == WalkEvent::Kind::left)
                std::erase_if(open, [&](std::uint32_t entry) { return entry >= each.call; });
        }
        constexpr std::size_t kShown = 3;  // of the outermost, and of the innermost
        std::vector<std::string> calls;
        for (std::size_t i = 0; i < open.size(); ++i) {
            bool is_shown = i < kShown || i + kShown >= open.size();
            if (is_shown)
                calls.push_back(call_text(0, walk.events[open[i]]));
            else if (i == kShown)
                calls.push_back(fmt::format("… {} more", open.size() - 2 * kShown));
        }
        return calls;
    }

    const PairedRun& run_;
    std::array<std::string, 2> names_;
};

}  // namespace

std::optional<UnsetLead> lead_of(const PairedRun& filled, unsigned side) {
    const Parting& first = filled.partings.first;
    bool is_of_code = first.kind == Parting::Kind::value || first.kind == Parting::Kind::path;
    if (!is_of_code) return std::nullopt;
    PartingReport found =
        PartingReporter(filled, {"this run", "a run where it is filled"}).parting(first);
    UnsetLead lead;
    lead.side = side;
    lead.what = found.what;
    lead.call_file = found.sides[0].call_file;
    lead.call_line = found.sides[0].call_line;
    lead.inside = found.inside;
    return lead;
}

WalkReport report_walk(const PairedRunRequest& request, const PairedRun& run) {
    WalkReport report;
    PartingReporter reporter(run, {"A", "B"});
    for (unsigned side : {0u, 1u}) {
        report.programs[side] = request.launch[side].program;
        report.compilers[side] = compiler_of(*run.symbols[side]);
        report.ended[side] = reporter.ended(side);
    }
    report.runs = run.runs;
    report.functions = run.pairs.pairs.size();
    report.matched = run.partings.first.counts.matched;
    report.left_out = run.pairs.left_out;
    report.notes = reporter.notes();
    const ParallelCounts& counts = run.partings.first.counts;
    report.differs_by_itself =
        counts.by_run || counts.by_address || counts.lines || counts.other_ways;
    report.has_lonely_threads = counts.lonely_threads != 0;
    report.is_interrupted = run.is_interrupted;
    const Partings& partings = run.partings;
    if (partings.first.kind == Parting::Kind::none) return report;
    if (!run.is_checked)
        report.notes.push_back(
            "neither was run again: whether the difference is one of a build with itself is not "
            "known");
    report.first = reporter.parting(partings.main());
    if (partings.is_way_an_aside()) {
        report.notes.push_back("before that another way was taken, and they met again: " +
                               reporter.parting(partings.first).what);
        return report;
    }
    bool has_another = partings.first.kind == Parting::Kind::path && !partings.first.heals &&
                       partings.first_value.kind != Parting::Kind::none;
    if (has_another) report.then = reporter.parting(partings.first_value);
    return report;
}

}  // namespace lantern
