#include "cli/kept_report.h"

#include <fmt/format.h>

#include <filesystem>
#include <map>

#include "cli/saved_file.h"
#include "cli/views/json.h"
#include "cli/views/page.h"
#include "cli/views/text.h"
#include "core/support/text.h"

namespace lantern::cli {

void write_folder_index(const std::filesystem::path& folder) {
    std::map<std::string, std::uintmax_t> files;  // by name
    std::error_code problem;
    for (const auto& entry : std::filesystem::directory_iterator(folder, problem)) {
        std::string ending = entry.path().extension().string(),
                    name = entry.path().filename().string();
        bool is_ours =
            name != "index.html" && (ending == ".html" || ending == ".svg" || ending == ".png" ||
                                     ending == ".txt" || ending == ".json" || ending == ".jsonl");
        if (is_ours && entry.is_regular_file(problem)) files[name] = entry.file_size(problem);
    }
    std::string body = "<h1>Reports</h1>\n<table>";
    for (const auto& [name, size] : files)
        body += fmt::format(
            "<tr><td><a href=\"{0}\">{0}</a></td><td class=\"number\">{1} bytes</td></tr>\n",
            html(name), with_thousands(size));
    write_whole_file(folder / "index.html", page_of("Reports", body + "</table>\n"));
}

void keep_report(const View& report, const std::string& page, const std::string& folder,
                 const std::string& name, Output& output) {
    std::error_code problem;  // writing tells it
    std::filesystem::create_directories(folder, problem);
    std::string base = (std::filesystem::path(folder) / name).string();
    write_whole_file(base + ".txt", text_of(report, Style{}));
    write_whole_file(base + ".json", json_of(report) + "\n");
    write_whole_file(base + ".html", page);
    write_folder_index(folder);
    if (output.format() == Format::text)
        output.show(Notice{Notice::Kind::done,
                           fmt::format("kept as {0}.txt, {0}.json and {0}.html", base)});
}

}  // namespace lantern::cli
