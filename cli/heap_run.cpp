#include "cli/heap_run.h"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <utility>

#include "cli/figures/places_figure.h"
#include "cli/kept_report.h"
#include "cli/progress.h"
#include "cli/views/heap_page.h"
#include "core/analysis/heap_report.h"
#include "core/session/heap_guards.h"
#include "core/session/heap_launch.h"
#include "core/session/signal_rules.h"
#include "core/support/error.h"

namespace lantern::cli {
namespace {

constexpr std::size_t kFindingsKept = 50, kPlacesShown = 12, kLeaksShown = 20;

void pause_on(Session& session, Cause cause) {
    Breakpoint wish;
    wish.cause = cause;
    session.add_breakpoint(wish, true);
}

void add(const Moment& moment, HeapFinding finding, HeapRunReport& report) {
    auto alike = std::ranges::find_if(
        report.findings, [&](const HeapFinding& each) { return are_alike(each, finding); });
    if (alike != report.findings.end()) {
        ++alike->times;
    } else if (report.findings.size() < kFindingsKept) {
        add_pointers(moment, finding);
        report.findings.push_back(std::move(finding));
    } else {
        ++report.more_findings;
    }
}

// What can be told at any stop.
void look_at_damage(Session& session, HeapRunReport& report) {
    Moment moment = session.moment();
    report.notes = heap_notes(moment);
    for (const std::string& note :
         guarded_places_not_met(moment.target(), session.guarded_births()))
        report.notes.push_back(note + ": no block was guarded for it");
    if (HeapHistory::in(moment.target()))
        report.check = report_heap_check(moment, work_progress("reading the heap"));
    clear_progress();
}

// Everything is freed that will be: what is there now was forgotten, or left to the system.
void look_at_end(Session& session, HeapRunReport& report) {
    look_at_damage(session, report);
    Moment moment = session.moment();
    if (!HeapHistory::in(moment.target())) return;
    Progress progress = work_progress("reading the heap");
    report.leaks = report_heap_leaks(moment, {}, kLeaksShown, progress);
    report.places = report_heap_places(moment, kPlacesShown, progress);
    report.has_end = true;
    clear_progress();
}

// A page that was guarded is opened, so that the program goes on and the next fault is found too.
// What a program that is killed still holds, it had no time to free.
void take_finding(Session& session, const Stop& stop, HeapRunReport& report) {
    auto finding = heap_finding(session.moment());
    // Before the page is opened: registers and stack are as they were.
    if (finding) add(session.moment(), *finding, report);
    bool is_fault = stop.reason == StopReason::signal && stop.is_fault;
    bool is_opened = finding && is_fault &&
                     open_guarded_page(session.process(), stop.thread, stop.fault_address);
    if (!is_opened && stop.reason == StopReason::signal && !stop.has_handler &&
        report.notes.empty())
        look_at_damage(session, report);
}

std::string running_name(const Session& session) {
    return std::filesystem::path(session.program()).filename().string();
}

std::string how_it_ended(const Stop& stop) {
    if (stop.reason == StopReason::killed)
        return fmt::format("{} ended the program", signal_name(stop.signal));
    return fmt::format("the program ended by itself, with the exit status {}", stop.exit_code);
}

// Another program is there: what was looked at was of the one before.
std::string take_on_next(const Session& session, HeapRunReport& report) {
    std::string before = std::exchange(report.program, running_name(session));
    report.notes.clear();
    report.check = {};
    return fmt::format("{} became {} (exec): of {} there is only what was found while it ran",
                       before, report.program, before);
}

void run_to_end(Session& session, HeapRunReport& report, std::vector<std::string>& became) {
    report.program = running_name(session);
    pause_on(session, Cause::heap);
    pause_on(session, Cause::exit);
    Stop stop = session.launch_again();
    while (!stop.is_end()) {
        if (stop.reason == StopReason::paused) {
            report.ended = "Ctrl-C paused the program: it was looked at as it stood";
            look_at_end(session, report);
            session.kill();
            return;
        }
        if (stop.reason == StopReason::replaced) became.push_back(take_on_next(session, report));
        bool is_at_end = stop.reason == StopReason::event && stop.cause == Cause::exit;
        if (is_at_end && report.notes.empty()) look_at_end(session, report);
        take_finding(session, stop, report);
        stop = session.continue_running();
    }
    report.ended = how_it_ended(stop);
}

}  // namespace

HeapRunReport heap_report_of_run(Session& session) {
    HeapRunReport report;
    std::vector<std::string> became;  // one note for each exec
    run_to_end(session, report, became);
    report.notes.insert(report.notes.begin(), became.begin(), became.end());
    return report;
}

void keep_heap_report(const HeapRunReport& report, const std::string& folder, Output& output) {
    std::error_code problem;  // writing tells it
    std::filesystem::create_directories(folder, problem);
    std::string picture;
    if (!report.places.over_time.empty()) {
        std::string file = (std::filesystem::path(folder) / "heap.svg").string();
        draw_places(report.places, report.program, file);
        std::ifstream drawn(file);
        picture.assign(std::istreambuf_iterator<char>(drawn), {});
        // In the page it is as wide as the text.
        std::size_t width = picture.find(" width="), view = picture.find(" viewBox=");
        if (width < view && view != std::string::npos)
            picture.replace(width, view - width, " style=\"width: 100%; height: auto\"");
    }
    keep_report(report, heap_page(report, picture), folder, "heap", output);
}

}  // namespace lantern::cli
