// elm-lantern: reads the arguments and does what they ask for.
#include <signal.h>

#include <clocale>
#include <cstdio>

#include "cli/options.h"
#include "cli/work.h"
#include "core/target/event_loop.h"

int main(int count, char** arguments) {
    std::setlocale(LC_ALL, "");
    std::setlocale(LC_NUMERIC, "C");
    lantern::cli::Options options;
    if (auto answer = lantern::cli::read_options(count, arguments, options)) {
        std::fputs(answer->text.c_str(), answer->exit_status ? stderr : stdout);
        return answer->exit_status;
    }
    signal(SIGPIPE, SIG_IGN);  // a reader that goes away is found out when we write
    try {
        return lantern::cli::work_by(options);
    } catch (const lantern::EndRequested& end) {
        // As if the signal had ended us: but in order.
        signal(end.signal, SIG_DFL);
        sigset_t all;
        sigfillset(&all);
        sigprocmask(SIG_UNBLOCK, &all, nullptr);
        raise(end.signal);
        return 128 + end.signal;
    }
}
