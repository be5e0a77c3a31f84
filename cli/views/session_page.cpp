#include "cli/views/session_page.h"

#include <fmt/format.h>

#include <filesystem>
#include <fstream>

#include "cli/views/page.h"
#include "cli/views/text.h"
#include "core/analysis/stack_report.h"
#include "core/analysis/stop_report.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

constexpr Style kPageStyle{true, 100, false};
constexpr std::size_t kMostOutput = 1 << 16;  // bytes of the program's at one stop

constexpr const char* kSessionStyle = R"(
body { display: grid; grid-template-columns: minmax(170px, 260px) minmax(0, 1fr); grid-template-areas: "side main"; }
main { grid-area: main; max-width: none; margin: 0; }
nav { grid-area: side; position: sticky; top: 0; align-self: start; max-height: 100vh; overflow-y: auto; box-sizing: border-box;
  padding: 18px 10px 18px 16px; border-right: 1px solid var(--line); background: var(--sheet); }
nav h2 { margin: 0 0 8px; } nav ol { list-style: none; margin: 0; padding: 0; }
nav a { display: block; padding: 4px 6px; text-decoration: none; color: var(--ink); border-left: 3px solid var(--line); overflow-wrap: anywhere; }
nav a:hover, nav a:focus { background: var(--nextground); border-color: var(--next); } nav .quiet { display: block; font-size: 13px; }
nav label { display: block; margin: 0 0 10px; font-size: 13px; color: var(--quiet); }
nav input { width: 100%; box-sizing: border-box; font: inherit; padding: 4px 6px; color: var(--ink); background: var(--ground); border: 1px solid var(--quiet); border-radius: 3px; }
section { border-top: 1px solid var(--line); padding: 6px 0 14px; content-visibility: auto; contain-intrinsic-size: auto 300px; }
section h2 { margin: 10px 0 6px; } section h2 a { text-decoration: none; } section:target { outline: 2px solid var(--next); outline-offset: 6px; }
summary { cursor: pointer; font: 13px/1.4 "DejaVu Sans Mono", ui-monospace, monospace; color: var(--head); padding: 3px 0; }
summary .quiet { margin-right: 6px; } .output { border-left: 5px solid var(--changed); }
@media (max-width: 720px) { body { display: block; } nav { position: static; max-height: 40vh; border: 0; border-top: 1px solid var(--line); } }
@media print { body { display: block; } nav { display: none; } section { content-visibility: visible; } }
)";

// Adds a field that searches all stops, and keys that go from one to the next; without it nothing
// is missing but these.
constexpr const char* kScript = R"(<script>
(() => {
  const nav = document.querySelector("nav"), sections = [...document.querySelectorAll("main > section")];
  const label = document.createElement("label"), field = document.createElement("input"), told = document.createElement("span");
  label.textContent = "search this session "; field.type = "search"; label.append(field, told);
  nav.insertBefore(label, nav.querySelector("ol"));
  const links = new Map([...nav.querySelectorAll("a")].map(a => [a.getAttribute("href").slice(1), a.parentElement]));
  field.addEventListener("input", () => {
    const wanted = field.value.toLowerCase(); let count = 0;
    for (const each of sections) {
      const fits = !wanted || each.textContent.toLowerCase().includes(wanted);
      each.hidden = !fits; count += fits;
      if (links.has(each.id)) links.get(each.id).hidden = !fits;
    }
    told.textContent = wanted ? count + " of " + sections.length : "";
  });
  document.addEventListener("keydown", event => {
    if (event.target === field || event.altKey || event.ctrlKey || event.metaKey) return;
    const step = event.key === "ArrowRight" ? 1 : event.key === "ArrowLeft" ? -1 : 0;
    if (!step) return;
    const shown = sections.filter(each => !each.hidden && each.id);
    const now = shown.findIndex(each => each.getBoundingClientRect().bottom > 60);
    const next = shown[Math.max(0, Math.min(shown.length - 1, now + step))];
    if (next) { next.scrollIntoView(); history.replaceState(null, "", "#" + next.id); }
  });
})();
</script>
)";

std::string file_content(const std::string& path) {
    std::ifstream in(path, std::ios::binary);
    return std::string(std::istreambuf_iterator<char>(in), {});
}

std::string base64(std::string_view bytes) {
    constexpr const char* kLetters =
        "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    std::string out;
    for (std::size_t i = 0; i < bytes.size(); i += 3) {
        unsigned word = 0;
        for (std::size_t j = 0; j < 3; ++j)
            word =
                word << 8 | (i + j < bytes.size() ? static_cast<unsigned char>(bytes[i + j]) : 0);
        for (std::size_t j = 0; j < 4; ++j)
            out += i + j <= bytes.size() ? kLetters[word >> (18 - 6 * j) & 63] : '=';
    }
    return out;
}

// The picture itself, in the page.
std::string figure_html(const std::string& file) {
    std::string ending = std::filesystem::path(file).extension().string();
    std::string content = ending == ".svg" || ending == ".png" ? file_content(file) : "";
    if (content.empty()) return {};
    if (ending == ".svg") return "<figure>" + content + "</figure>\n";
    return fmt::format("<figure><img alt=\"{}\" src=\"data:image/png;base64,{}\"></figure>\n",
                       html(file), base64(content));
}

std::string place_of(const StopReport& report) {
    if (report.function.empty()) return {};
    std::string place = name_text(report.function);
    return report.line ? place + ", " + place_text(report.file, report.line) : place;
}

}  // namespace

std::string SessionPage::begin() {
    return page_begin(title_, kSessionStyle) +
           fmt::format("<main>\n<h1>{}</h1>\n<section>\n", html(title_));
}

std::string SessionPage::close_answer() {
    if (!is_in_answer_) return {};
    is_in_answer_ = false;
    return "</details>\n";
}

std::string SessionPage::open_answer() {
    if (is_in_answer_ || command_.empty()) return {};
    is_in_answer_ = true;
    return fmt::format("<details open><summary>{}</summary>\n", std::exchange(command_, {}));
}

std::string SessionPage::command(const std::string& prompt, const std::string& line) {
    std::string unanswered = open_answer();  // of the command before, which said nothing
    std::string out = unanswered + close_answer();
    command_ = fmt::format("<span class=quiet>{}</span>{}", html(prompt), html(line));
    return out;
}

std::string SessionPage::stop(const StopReport& report) {
    std::string out = close_answer();
    stops_.push_back({report.headline.empty() ? report.why : report.headline, place_of(report)});
    std::string after = command_.empty() ? ""
                                         : fmt::format("<p class=quiet>after {}</p>\n",
                                                       std::exchange(command_, {}));
    return out +
           fmt::format("</section>\n<section id=s{0}>\n<h2><a href=#s{0}>{0}</a> {1}{2}</h2>\n{3}",
                       stops_.size(), html(stops_.back().headline),
                       stops_.back().place.empty() ? "" : " · " + html(stops_.back().place), after);
}

std::string SessionPage::view(const View& view) {
    std::string out;
    const auto* report = view.as<StopReport>();
    out = report ? stop(*report) : open_answer();
    std::string styled = text_of(view, kPageStyle);
    if (!styled.empty() && styled.back() == '\n') styled.pop_back();
    out += "<pre tabindex=0>" + html_of_styled(styled) + "</pre>\n";
    if (const auto* notice = view.as<Notice>(); notice && !notice->figure.empty())
        out += figure_html(notice->figure);
    return out;
}

std::string SessionPage::stack(const StackReport& report) {
    std::string styled = stack_text(report, kPageStyle);
    if (!styled.empty() && styled.back() == '\n') styled.pop_back();
    return fmt::format(
        "<details><summary><span class=quiet>call stack</span></summary>\n<pre "
        "tabindex=0>{}</pre>\n</details>\n",
        html_of_styled(styled));
}

std::string SessionPage::program_output(std::string_view bytes) {
    if (bytes.empty()) return {};
    std::string cut =
        bytes.size() > kMostOutput
            ? fmt::format("… {} bytes before\n", with_thousands(bytes.size() - kMostOutput))
            : "";
    std::string_view last =
        bytes.size() > kMostOutput ? bytes.substr(bytes.size() - kMostOutput) : bytes;
    std::string text;
    while (!last.empty()) {  // lines stay lines, all else is made safe
        std::size_t end = std::min(last.find('\n'), last.size());
        text += html(last.substr(0, end > 0 && last[end - 1] == '\r' ? end - 1 : end)) + "\n";
        last.remove_prefix(std::min(end + 1, last.size()));
    }
    return open_answer() + fmt::format(
                               "<details open class=output><summary><span class=quiet>the program "
                               "wrote</span></summary>\n"
                               "<pre tabindex=0>{}{}</pre>\n</details>\n",
                               cut, text);
}

std::string SessionPage::end() const {
    std::string out = is_in_answer_ ? "</details>\n" : "";
    if (!command_.empty())
        out += fmt::format("<details open><summary>{}</summary></details>\n", command_);
    out +=
        "</section>\n<p class=quiet>Made by Elm Lantern.</p></main>\n<nav "
        "aria-label=\"stops\"><h2>Stops</h2>\n<ol>\n";
    for (std::size_t i = 0; i < stops_.size(); ++i)
        out += fmt::format("<li><a href=#s{0}>{0} {1}<span class=quiet>{2}</span></a></li>\n",
                           i + 1, html(stops_[i].headline), html(stops_[i].place));
    if (stops_.empty()) out += "<li class=quiet>it has not stopped anywhere</li>\n";
    return out + "</ol></nav>\n" + kScript + page_end();
}

}  // namespace lantern::cli
