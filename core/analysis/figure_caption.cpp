#include "core/analysis/figure_caption.h"

#include <fmt/format.h>

#include <ctime>
#include <filesystem>

#include "core/analysis/stop_report.h"

namespace lantern {

std::string caption_of(const Moment& moment) {
    std::vector<std::string> parts;
    Target& target = moment.target();
    if (!target.modules().empty())
        parts.push_back(std::filesystem::path(target.modules().front().path()).filename().string());
    bool has_place = !target.threads().empty() && moment.has_stack();
    if (const Frame* frame = has_place ? moment.selected_frame() : nullptr) {
        std::string place = frame_function_name(*frame);
        if (frame->position && frame->position->line && frame->position->file)
            place += fmt::format(", {}:{}",
                                 std::filesystem::path(*frame->position->file).filename().string(),
                                 frame->position->line);
        parts.push_back(place);
    }
    std::string why = why_stopped(moment, moment.stop());
    if (!why.empty()) parts.push_back(why);
    std::time_t now = std::time(nullptr);
    std::tm local{};
    localtime_r(&now, &local);
    char when[sizeof "2026-06-21 18:30:00"];
    std::strftime(when, sizeof when, "%Y-%m-%d %H:%M:%S", &local);
    parts.emplace_back(when);
    return fmt::format("{}", fmt::join(parts, " · "));
}

}  // namespace lantern
