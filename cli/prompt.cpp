#include "cli/prompt.h"
#include "cli/ending.h"

#include <fmt/format.h>
#include <histedit.h>
#include <poll.h>
#include <signal.h>
#include <unistd.h>

#include <cerrno>
#include <cstdlib>
#include <cwchar>
#include <filesystem>

#include "cli/completion.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

constexpr int kHistorySize = 2000;

std::filesystem::path history_file() {
    const char* state = std::getenv("XDG_STATE_HOME");
    const char* home = std::getenv("HOME");
    if (state && *state) return std::filesystem::path(state) / "elm-lantern" / "history";
    if (home && *home)
        return std::filesystem::path(home) / ".local" / "state" / "elm-lantern" / "history";
    return {};
}

volatile sig_atomic_t was_interrupted = 0;

// While a line is typed, Ctrl-C gives it up. (While the program runs it pauses that: see
// EventLoop.) The signal stays blocked but for the moment of waiting, so that it cannot slip in
// between and be lost. What runs meanwhile may stop while a line is typed: that is told above the
// line, which stays as it is.
class Prompt;
void tell_what_happened(EditLine* editor);
int descriptor_of_events(EditLine* editor);

int wait_for_key(EditLine* editor, wchar_t* key) {
    sigset_t waiting = mask_for_waiting();
    sigdelset(&waiting, SIGINT);
    std::mbstate_t state{};
    for (;;) {
        pollfd watch[] = {{0, POLLIN, 0}, {descriptor_of_events(editor), POLLIN, 0}};
        timespec moment{
            0,
            100'000'000};  // what the program writes to a terminal of its own is shown that often
        int ready = wait_for_input(watch, watch[1].fd >= 0 ? &moment : nullptr, waiting);
        if (is_asked_to_end()) return -1;
        if (ready < 0 && errno == EINTR && !was_interrupted) continue;
        if (ready < 0) return -1;
        if (watch[1].fd >= 0) tell_what_happened(editor);
        if (!watch[0].revents) continue;
        char byte;
        ssize_t got = read(0, &byte, 1);
        if (got <= 0) return static_cast<int>(got);
        std::size_t length = std::mbrtowc(key, &byte, 1, &state);
        if (length == static_cast<std::size_t>(-2))
            continue;                                  // more bytes of one character are to come
        if (length == static_cast<std::size_t>(-1)) {  // no character at all: left out
            state = std::mbstate_t{};
            continue;
        }
        return 1;
    }
}

class Prompt {
  public:
    explicit Prompt(Shell& shell) : shell_(shell), history_(history_init()), path_(history_file()) {
        HistEvent event;
        history(history_, &event, H_SETSIZE, kHistorySize);
        history(history_, &event, H_SETUNIQUE, 1);
        if (!path_.empty()) {
            std::error_code ignored;
            std::filesystem::create_directories(path_.parent_path(), ignored);
            history(history_, &event, H_LOAD, path_.c_str());
        }
        editor_ = el_init("elm-lantern", stdin, stdout, stderr);
        el_set(editor_, EL_CLIENTDATA, this);
        el_set(editor_, EL_EDITOR, "emacs");
        el_set(editor_, EL_GETCFN, wait_for_key);
        struct sigaction action {};
        action.sa_handler = [](int) { was_interrupted = 1; };
        sigaction(SIGINT, &action, nullptr);
        el_set(editor_, EL_PROMPT_ESC, prompt_text, '\1');
        el_set(editor_, EL_HIST, ::history, history_);
        el_set(editor_, EL_ADDFN, "lantern-complete", "complete the word", tab);
        el_set(editor_, EL_BIND, "^I", "lantern-complete", nullptr);
        el_set(editor_, EL_BIND, "^R", "em-inc-search-prev", nullptr);
    }
    ~Prompt() {
        HistEvent event;
        if (!path_.empty()) history(history_, &event, H_SAVE, path_.c_str());
        el_end(editor_);
        history_end(history_);
    }

    void run() {
        while (!shell_.wants_to_quit()) {
            auto line = read_line();
            if (!line) return;
            run_line(*line);
        }
    }

    // -1: nothing runs meanwhile, and news of children are nobody's business here.
    int event_descriptor() {
        return shell_.session().is_moving() ? shell_.session().event_descriptor() : -1;
    }
    void tell_what_happened() {
        shell_.hold_news();
        auto stop = shell_.session().meanwhile();
        auto news = shell_.take_news();
        if (!stop && news.empty()) return;
        std::fputs("\r\x1b[K", stdout);
        for (const Notice& each : news) shell_.show(each);
        if (stop) shell_.show_stop(*stop);
        set_prompt();
        el_set(editor_, EL_REFRESH);
    }

  private:
    static char* prompt_text(EditLine* editor) {
        void* self = nullptr;
        el_get(editor, EL_CLIENTDATA, &self);
        return static_cast<Prompt*>(self)->prompt_.data();
    }

    static unsigned char tab(EditLine* editor, int) {
        void* self = nullptr;
        el_get(editor, EL_CLIENTDATA, &self);
        return static_cast<Prompt*>(self)->complete_word();
    }

    unsigned char complete_word() {
        const LineInfo* line = el_line(editor_);
        std::string_view before(line->buffer,
                                static_cast<std::size_t>(line->cursor - line->buffer));
        Completion completion = complete(shell_, before);
        if (completion.candidates.empty()) return CC_REFRESH_BEEP;
        std::string common = common_beginning(completion.candidates);
        std::string addition = common.substr(std::min(common.size(), completion.replaces));
        bool alone = completion.candidates.size() == 1;
        bool goes_on = common.ends_with('/') || common.ends_with(':');
        if (alone && !goes_on && line->cursor == line->lastchar) addition += ' ';
        if (!addition.empty()) {
            el_insertstr(editor_, addition.c_str());
            return CC_REFRESH;
        }
        list(completion.candidates);
        return CC_REDISPLAY;
    }

    void list(const std::vector<std::string>& candidates) {
        constexpr std::size_t kMost = 60;
        std::size_t widest = 0;
        for (const std::string& candidate : candidates)
            widest = std::max(widest, display_width(candidate));
        std::size_t columns =
            std::max<std::size_t>(1, shell_.output().style().width / (widest + 2));
        std::string out = "\n";
        for (std::size_t i = 0; i < std::min(candidates.size(), kMost); ++i) {
            out += candidates[i];
            bool ends_row = (i + 1) % columns == 0 || i + 1 == std::min(candidates.size(), kMost);
            out += ends_row ? "\n" : std::string(widest + 2 - display_width(candidates[i]), ' ');
        }
        if (candidates.size() > kMost) out += fmt::format("… {} more\n", candidates.size() - kMost);
        std::fputs((shell_.output().is_ascii() ? to_ascii(out) : out).c_str(), stdout);
        std::fflush(stdout);
    }

    void set_prompt() {
        std::string plain = shell_.prompt();
        if (shell_.output().is_ascii()) plain = to_ascii(plain);
        // An escape at the very end would be swallowed by libedit: the last space stands behind it.
        std::string words = plain.substr(0, plain.size() - 1);
        prompt_ = shell_.output().style().colour ? "\1\x1b[1;38;5;109m\1" + words + "\1\x1b[0m\1 "
                                                 : plain;
    }

    // Nothing: the user leaves.
    std::optional<std::string> read_line() {
        for (;;) {
            set_prompt();
            int length = 0;
            was_interrupted = 0;
            // libedit shows the prompt before it prepares the terminal; a Ctrl-D typed in between
            // would be lost.
            el_set(editor_, EL_PREP_TERM, 1);
            const char* line = el_gets(editor_, &length);
            end_if_asked();
            if (line && length > 0 && !was_interrupted)
                return std::string(
                    trimmed(std::string_view(line, static_cast<std::size_t>(length))));
            if (was_interrupted) {
                std::fputs("\n", stdout);
                el_reset(editor_);
                continue;
            }
            std::fputs("\n", stdout);
            if (may_leave()) return std::nullopt;
        }
    }

    // Ctrl-D: a running program would be ended with us.
    bool may_leave() {
        if (!shell_.session().is_running() || !isatty(0)) return true;
        if (shell_.session().was_attached()) return true;  // it is released, and runs on
        std::string name = std::filesystem::path(shell_.session().program()).filename().string();
        fmt::print("{} has not ended. End it and leave? y or n: ", escape_for_display(name));
        std::fflush(stdout);
        std::string answer;
        char c = 0;
        while (read(0, &c, 1) == 1 && c != '\n') answer += c;
        if (c != '\n') {  // Ctrl-D again, or the terminal is gone: nobody will answer
            std::fputs("\n", stdout);
            return true;
        }
        return answer.starts_with('y') || answer.starts_with('Y');
    }

    void run_line(const std::string& typed) {
        std::string line = typed.empty() ? shell_.last_movement() : typed;
        if (line.empty()) return;
        if (!typed.empty()) {
            HistEvent event;
            history(history_, &event, H_ENTER, typed.c_str());
        }
        shell_.output().record_command(shell_.prompt(), line);
        shell_.execute(line);
    }

    Shell& shell_;
    History* history_;
    EditLine* editor_ = nullptr;
    std::filesystem::path path_;
    std::string prompt_;
};

Prompt* prompt_of(EditLine* editor) {
    void* self = nullptr;
    el_get(editor, EL_CLIENTDATA, &self);
    return static_cast<Prompt*>(self);
}

void tell_what_happened(EditLine* editor) {
    prompt_of(editor)->tell_what_happened();
}

int descriptor_of_events(EditLine* editor) {
    return prompt_of(editor)->event_descriptor();
}

}  // namespace

void run_prompt(Shell& shell) {
    Prompt(shell).run();
}

}  // namespace lantern::cli
