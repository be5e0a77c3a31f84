#include "cli/kept_report.h"

#include <fmt/format.h>

#include <filesystem>

#include "cli/saved_file.h"
#include "cli/views/json.h"
#include "cli/views/text.h"

namespace lantern::cli {

void keep_report(const View& report, const std::string& page, const std::string& folder,
                 const std::string& name, Output& output) {
    std::error_code problem;  // writing tells it
    std::filesystem::create_directories(folder, problem);
    std::string base = (std::filesystem::path(folder) / name).string();
    write_whole_file(base + ".txt", text_of(report, Style{}));
    write_whole_file(base + ".json", json_of(report) + "\n");
    write_whole_file(base + ".html", page);
    if (output.format() == Format::text)
        output.show(Notice{Notice::Kind::done,
                           fmt::format("kept as {0}.txt, {0}.json and {0}.html", base)});
}

}  // namespace lantern::cli
