// follow, processes, process
#include <fmt/format.h>

#include "cli/commands/command.h"
#include "cli/views/own_reports.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern::cli {

void run_follow(Shell& shell, std::string_view arguments) {
    struct Word {
        std::string_view word;
        Follow whom;
        std::string_view means;
    };
    static constexpr Word kWords[] = {
        {"parent", Follow::parent, "we stay with the parent; the child goes on alone"},
        {"child", Follow::child, "we stay with the child; the parent goes on alone"},
        {"both", Follow::both,
         "we stay with both: they go on and stand together, and process N looks at one of them; "
         "the child of a vfork (posix_spawn, system) joins where it has become another program"}};
    std::string_view wanted = trimmed(arguments);
    const Word* chosen = nullptr;
    for (const Word& word : kWords)
        if (wanted.empty() ? word.whom == shell.session().followed() : word.word == wanted)
            chosen = &word;
    if (!chosen)
        throw RequestError(
            fmt::format("whom to stay with is parent, child or both, not {}", quote(wanted)),
            "follow child");
    shell.session().follow(chosen->whom);
    shell.show(
        Notice{Notice::Kind::done, fmt::format("when the program forks, {}", chosen->means)});
}

void run_processes(Shell& shell, std::string_view arguments) {
    refuse_arguments(arguments, "processes");
    shell.show(ProcessesReport{shell.session().processes()});
}

void run_process(Shell& shell, std::string_view arguments) {
    Session& session = shell.session();
    auto number = whole_number(trimmed(arguments));
    if (!number)
        throw RequestError("process needs the number of a process", "processes lists them");
    session.select_process(static_cast<unsigned>(*number));
    shell.listed_file.clear();
    shell.show_stop(session.last_stop());
}

}  // namespace lantern::cli
