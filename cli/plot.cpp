#include "cli/plot.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <signal.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cerrno>
#include <cstdio>
#include <fstream>

#include "cli/saved_file.h"
#include "core/support/error.h"

extern char** environ;

namespace lantern::cli {
namespace {

// gnuplot reads escapes in single quotes only where one is doubled.
std::string quoted(const std::string& text) {
    std::string out = "'";
    for (char c : text)
        out += c == '\'' ? "''" : std::string(1, static_cast<unsigned char>(c) < ' ' ? ' ' : c);
    return out + "'";
}

// A folder for the script and the drawing, gone when we are done.
class WorkFolder {
  public:
    WorkFolder() {
        std::string pattern =
            (std::filesystem::temp_directory_path() / "lantern-plot-XXXXXX").string();
        if (!mkdtemp(pattern.data()))
            throw FileError("no folder for the plot can be made under " +
                            std::filesystem::temp_directory_path().string());
        path_ = pattern;
    }
    ~WorkFolder() {
        std::error_code ignored;
        std::filesystem::remove_all(path_, ignored);
    }
    const std::filesystem::path& path() const { return path_; }

  private:
    std::filesystem::path path_;
};

std::string script_of(const Plot& plot, const std::filesystem::path& drawing, bool svg) {
    // Colours that stay apart for colour-blind eyes and in print (Okabe and Ito).
    static constexpr const char* kColours[] = {"#0072b2", "#d55e00", "#009e73",
                                               "#cc79a7", "#e69f00", "#56b4e9"};
    std::string script = svg ? "set terminal svg size 1100,620 dynamic enhanced font 'DejaVu "
                               "Sans,15' background '#ffffff'\n"
                             : "set terminal pngcairo size 1100,620 noenhanced font 'DejaVu "
                               "Sans,12' background '#ffffff'\n";
    script += fmt::format(
        "set output {}\nset encoding utf8\nset title {} noenhanced\nset xlabel {} noenhanced\nset "
        "ylabel {} noenhanced\n",
        quoted(drawing.string()), quoted(plot.title), quoted(plot.across), quoted(plot.up));
    script +=
        "set grid lc rgb '#c4ccd4' lw 1\nset border 3 lc rgb '#606870'\nset tics nomirror "
        "textcolor rgb '#303840'\nset key outside bottom center horizontal noenhanced\nset bmargin "
        "5\nset autoscale xfix\nset offsets 0, 0, graph 0.06, graph 0.06\n";
    for (std::size_t i = 0; i < plot.series.size(); ++i) {
        script += fmt::format("$series{} << END\n", i);
        for (const auto& [x, y] : plot.series[i].points) script += fmt::format("{} {}\n", x, y);
        script += "END\n";
    }
    script += "plot ";
    for (std::size_t i = 0; i < plot.series.size(); ++i) {
        const PlotSeries& series = plot.series[i];
        bool sparse = series.points.size() <= 60;
        std::string style = series.is_whole ? "steps"
                            : sparse        ? "linespoints pt 7 ps 0.6"
                                            : "lines";
        script +=
            fmt::format("{}$series{} using 1:2 with {} lw 2 lc rgb '{}' title {}", i ? ", " : "", i,
                        style, kColours[i % std::size(kColours)], quoted(series.name));
    }
    return script + "\n";
}

}  // namespace

void draw_plot(const Plot& plot, const std::filesystem::path& file) {
    bool svg = file.extension() == ".svg";
    if (!svg && file.extension() != ".png")
        throw RequestError(fmt::format("{} has no ending that picks a form", file.string()),
                           "end it in .svg or .png");
    WorkFolder work;
    std::filesystem::path script = work.path() / "plot",
                          drawing = work.path() / ("drawing" + file.extension().string());
    write_whole_file(script, script_of(plot, drawing, svg));
    std::string name = "gnuplot", no_start_up_file = "-d", argument = script.string();
    char* words[] = {name.data(), no_start_up_file.data(), argument.data(), nullptr};
    pid_t child = 0;
    posix_spawnattr_t attributes;  // it starts with no signal blocked, as from a shell
    posix_spawnattr_init(&attributes);
    sigset_t none;
    sigemptyset(&none);
    posix_spawnattr_setsigmask(&attributes, &none);
    posix_spawnattr_setflags(&attributes, POSIX_SPAWN_SETSIGMASK);
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    std::string errors = (work.path() / "errors").string();
    posix_spawn_file_actions_addopen(&actions, 2, errors.c_str(),
                                     O_WRONLY | O_CREAT | O_EXCL | O_NOFOLLOW, 0600);
    int failed = posix_spawnp(&child, "gnuplot", &actions, &attributes, words, environ);
    posix_spawnattr_destroy(&attributes);
    posix_spawn_file_actions_destroy(&actions);
    if (failed)
        throw RequestError("gnuplot, which draws plots, is not installed",
                           "apt install gnuplot-nox; save notes as FILE.csv keeps the numbers");
    int status = 0;
    while (waitpid(child, &status, 0) < 0 && errno == EINTR) continue;
    std::ifstream in(drawing, std::ios::binary);
    std::string bytes((std::istreambuf_iterator<char>(in)), {});
    if (status != 0 || bytes.empty()) {
        std::ifstream said(errors);
        std::string first;
        while (std::getline(said, first) && first.empty()) continue;
        throw FileError(fmt::format("gnuplot could not draw the plot: {}",
                                    first.empty() ? "it gave no reason" : first));
    }
    write_whole_file(file, bytes);
}

}  // namespace lantern::cli
