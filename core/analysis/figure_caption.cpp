#include "core/analysis/figure_caption.h"

#include <fmt/chrono.h>
#include <fmt/format.h>

#include <chrono>
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
    std::time_t now = std::chrono::system_clock::to_time_t(std::chrono::system_clock::now());
    std::tm local{};
    localtime_r(&now, &local);
    parts.push_back(fmt::format("{:%Y-%m-%d %H:%M:%S}", local));
    return fmt::format("{}", fmt::join(parts, " · "));
}

}  // namespace lantern
