#include "cli/compare_run.h"

#include <fmt/format.h>
#include <unistd.h>

#include <csignal>

#include "cli/progress.h"
#include "core/comparison/parted_stop.h"
#include "core/comparison/parting_report.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

// Ctrl-C ends the walk, and what is known is told.
bool is_interrupted() {
    sigset_t interrupt;
    sigemptyset(&interrupt);
    sigaddset(&interrupt, SIGINT);
    timespec none{};
    return sigtimedwait(&interrupt, nullptr, &none) == SIGINT;
}

void hold_interrupts() {
    sigset_t interrupt;
    sigemptyset(&interrupt);
    sigaddset(&interrupt, SIGINT);
    sigprocmask(SIG_BLOCK, &interrupt, nullptr);
}

void show_events(std::uint64_t events, unsigned round) {
    if (!isatty(2)) return;
    std::fputs(
        fmt::format("\rwalking, round {}: {} events  ", round, with_thousands(events)).c_str(),
        stderr);
    std::fflush(stderr);
}

}  // namespace

Compared compare_programs(const BuildComparisonRequest& builds,
                          const std::optional<PairedRunRequest>& runs,
                          const std::vector<SourceMapping>& mappings) {
    Compared compared;
    if (builds.programs[0] != builds.programs[1]) {
        compared.report.builds = compare_builds(builds);
        clear_progress();
    }
    if (!runs) return compared;
    hold_interrupts();
    compared.request = *runs;
    compared.request.progress = [](std::uint64_t events, unsigned round) {
        show_events(events, round);
        return is_interrupted();
    };
    compared.run = run_paired(compared.request);
    if (isatty(2)) std::fputs("\r                                                \r", stderr);
    WalkReport walk = report_walk(compared.request, compared.run);
    const Partings& partings = compared.run.partings;
    if (walk.first && !walk.is_interrupted)
        add_stops(compared.request, compared.run, partings.main(), mappings, *walk.first);
    if (walk.then && !walk.is_interrupted)
        add_stops(compared.request, compared.run, partings.first_value, mappings, *walk.then);
    compared.report.walk = std::move(walk);
    return compared;
}

}  // namespace lantern::cli
