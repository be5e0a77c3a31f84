#include "cli/log.h"

#include <fmt/format.h>
#include <spdlog/sinks/basic_file_sink.h>
#include <spdlog/spdlog.h>

#include "core/support/error.h"

namespace lantern::cli {

void start_log(const std::string& file) {
    spdlog::set_level(spdlog::level::off);
    if (file.empty()) return;
    try {
        spdlog::set_default_logger(spdlog::basic_logger_mt("lantern", file, true));
        spdlog::set_level(spdlog::level::debug);
        spdlog::flush_on(spdlog::level::debug);
    } catch (const spdlog::spdlog_ex& error) {
        throw FileError(fmt::format("the log {} cannot be written: {}", file, error.what()),
                        "choose another file with --log");
    }
}

void log_line(const std::string& text) {
    spdlog::debug("{}", text);
}

}  // namespace lantern::cli
