#include "cli/completion.h"

#include <algorithm>
#include <filesystem>
#include <set>

#include "cli/commands/command.h"
#include "core/expressions/questions.h"
#include "core/expressions/scope_names.h"
#include "core/session/system_calls.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

bool is_name_character(char c) {
    return std::isalnum(static_cast<unsigned char>(c)) || c == '_';
}

class Completer {
  public:
    explicit Completer(Shell& shell) : shell_(shell) {}

    Completion run(std::string_view text) {
        std::string_view rest = text;
        while (!rest.empty() && rest.front() == ' ') rest.remove_prefix(1);
        if (rest.starts_with('=')) return expression(rest.substr(1));
        std::size_t space = rest.find(' ');
        if (space == std::string_view::npos) {
            for (const Command& command : commands()) offer(std::string(command.word), rest);
            for (const auto& [own, command] : shell_.own_words) offer(own, rest);
            return done(rest);
        }
        std::string_view arguments = rest.substr(space + 1);
        std::string whole = written_out(rest.substr(0, space), shell_.own_words);
        const Command& command = find_command(std::string_view(whole).substr(0, whole.find(' ')));
        usage_ = command.usage;
        // A short word may stand for more than a command's own: "pa" for "pause at".
        if (whole == "pause at" || whole == "note at")
            return completed(command.completes,
                             whole.substr(whole.find(' ') + 1) + " " + std::string(arguments));
        return completed(command.completes, arguments);
    }

  private:
    Completion completed(Completes kind, std::string_view arguments) {
        switch (kind) {
            case Completes::nothing:
                offer_usage_words(last_word(arguments));
                return done(last_word(arguments));
            case Completes::place: return place(arguments);
            case Completes::pause: return pause(arguments);
            case Completes::note: return note(arguments);
            case Completes::signal:
                return arguments.find(' ') == std::string_view::npos
                           ? signals(arguments)
                           : one_of({"natural", "pass", "swallow", "pause"}, last_word(arguments));
            case Completes::expression: return expression(arguments);
            case Completes::command:
                for (const Command& command : commands())
                    offer(std::string(command.word), arguments);
                return done(arguments);
            case Completes::number: return numbers(arguments);
            case Completes::find: return find(arguments);
            case Completes::save: return save(arguments);
            case Completes::file: return file(last_word(arguments));
        }
        return {};
    }

    static std::string_view last_word(std::string_view text) {
        std::size_t space = text.rfind(' ');
        return space == std::string_view::npos ? text : text.substr(space + 1);
    }

    void offer(const std::string& candidate, std::string_view beginning) {
        if (candidate.starts_with(beginning)) found_.insert(candidate);
    }
    // The words of the command's own that its usage has in small letters: "all" of "stack [all |
    // A..B]".
    void offer_usage_words(std::string_view beginning) {
        constexpr std::string_view kLetters = "abcdefghijklmnopqrstuvwxyz";
        std::string_view command = usage_.substr(0, usage_.find(' ')), rest = usage_;
        for (std::size_t start; (start = rest.find_first_of(kLetters)) != std::string_view::npos;) {
            std::size_t end = std::min(rest.find_first_not_of(kLetters, start), rest.size());
            if (std::string_view word = rest.substr(start, end - start); word != command)
                offer(std::string(word), beginning);
            rest = rest.substr(end);
        }
    }
    Completion done(std::string_view replaced) {
        return {replaced.size(), {found_.begin(), found_.end()}};
    }
    Completion one_of(std::initializer_list<const char*> words, std::string_view text) {
        for (const char* word : words) offer(word, text);
        return done(text);
    }

    Completion pause(std::string_view text) {
        if (text.starts_with("at ")) return limited(text.substr(3));
        if (!text.starts_with("on ")) return one_of({"at", "on"}, text);
        std::string_view event = text.substr(3);
        std::size_t space = event.find(' ');
        if (space == std::string_view::npos)
            return one_of(
                {"write", "read", "access", "throw", "catch", "panic", "signal", "load", "unload",
                 "fork", "exec", "exit", "syscall", "thread", "heap", "sanitizer"},
                event);
        std::string_view word = event.substr(0, space), rest = event.substr(space + 1);
        if (word == "write" || word == "access" || word == "read") return expression(rest);
        if (word == "thread") return one_of({"start", "end"}, rest);
        if (word == "syscall") return any_of(system_call_names(), rest);
        if (word == "signal") return signals(rest);
        return {};
    }
    // A place, and behind it when it stops there.
    Completion limited(std::string_view text) {
        std::size_t space = text.find(' ');
        if (space == std::string_view::npos) return place(text);
        if (text.find(" when ") != std::string_view::npos) return expression(text);
        return one_of({"when", "after", "every", "once", "thread", "later"}, last_word(text));
    }
    Completion find(std::string_view text) {
        if (text.find(' ') == std::string_view::npos)
            return one_of({"functions", "globals", "types", "files", "code", "address", "bytes",
                           "text", "value"},
                          text);
        if (text.starts_with("code ")) return place(text.substr(5));
        if (text.starts_with("address ") || text.starts_with("value "))
            return expression(text.substr(text.find(' ') + 1));
        return one_of({"in", "limit", "all"}, last_word(text));
    }
    Completion any_of(const std::vector<std::string>& words, std::string_view text) {
        for (const std::string& word : words) offer(word, text);
        return done(text);
    }
    Completion signals(std::string_view text) {
        for (int signal = 1; signal < 32; ++signal) offer(signal_name(signal), text);
        return done(text);
    }
    Completion note(std::string_view text) {
        if (!text.starts_with("at ")) return one_of({"at"}, text);
        std::string_view rest = text.substr(3);
        return rest.find(' ') == std::string_view::npos ? place(rest) : expression(rest);
    }

    Completion place(std::string_view text) {
        if (text.starts_with("address ")) return expression(text.substr(8));
        if (text.find(' ') != std::string_view::npos) offer_usage_words(last_word(text));
        if (!found_.empty()) return done(last_word(text));
        for (const Module& module : shell_.session().target().modules()) {
            if (module.is_system_library()) continue;
            const ModuleSymbols& symbols = module.symbols();
            const SymbolIndex& index = symbols.index();
            for (const NameEntry& entry : index.names())
                if (is_function(entry.kind)) offer(index.qualified_name(entry), text);
            for (const auto& unit : symbols.debug_info().units())
                for (const auto& file : symbols.files_of(*unit))
                    offer(std::filesystem::path(file.path).filename().string() + ":", text);
        }
        // The linker's names come in only where the source has none: a C library has thousands.
        if (found_.empty() && !text.empty()) symbols(text);
        return done(text);
    }

    void symbols(std::string_view text) {
        for (const Module& module : shell_.session().target().modules())
            for (const ElfSymbol& symbol : module.symbols().symbol_table().symbols())
                if (symbol.is_function)
                    offer(std::string(symbol.name.substr(0, symbol.name.find('@'))), text);
    }

    Completion numbers(std::string_view text) {
        std::string_view word = last_word(text);
        offer("all", word);
        for (const Breakpoint& breakpoint : shell_.session().breakpoints())
            offer(std::to_string(breakpoint.number), word);
        return done(word);
    }

    Completion save(std::string_view text) {
        std::size_t as = text.rfind(" as ");
        if (as != std::string_view::npos) return file(text.substr(as + 4));
        if (text.find(' ') == std::string_view::npos)
            return one_of({"locals", "globals", "stack", "source", "breakpoints", "value", "find",
                           "notes", "threads", "signals"},
                          text);
        return {};
    }

    Completion file(std::string_view text) {
        std::filesystem::path typed(text);
        std::filesystem::path folder = typed.has_parent_path() ? typed.parent_path() : ".";
        std::string prefix = typed.has_parent_path() ? typed.parent_path().string() +
                                                           (typed.parent_path() == "/" ? "" : "/")
                                                     : "";
        std::error_code ignored;
        for (const auto& entry : std::filesystem::directory_iterator(folder, ignored)) {
            std::string name = prefix + entry.path().filename().string();
            if (entry.is_directory(ignored)) name += "/";
            offer(name, text);
            if (found_.size() > 500) break;
        }
        return done(text);
    }

    // A name, or after '.' and '->' the members of what stands before.
    Completion expression(std::string_view text) {
        std::size_t start = text.size();
        while (start > 0 && is_name_character(text[start - 1])) --start;
        std::string_view name = text.substr(start), before = text.substr(0, start);
        if (before.ends_with('%')) {
            for (const std::string& reg : register_names()) offer(reg, name);
            return done(name);
        }
        if (before.ends_with(" as ")) {
            for (const std::string& form : form_names()) offer(form, name);
            if (!found_.empty() && !name.empty()) return done(name);
        }
        bool dot = before.ends_with('.'), arrow = before.ends_with("->");
        if (dot || arrow) {
            members(owner_of(before.substr(0, before.size() - (arrow ? 2 : 1))), name);
            return done(name);
        }
        if (ends_an_operand(before)) offer_usage_words(name);
        for (const std::string& known :
             known_names(shell_.session().target(), shell_.session().selected_frame()))
            offer(known, name);
        return done(name);
    }

    // "level + rate ", behind which only a word of the command's can stand.
    static bool ends_an_operand(std::string_view text) {
        std::string_view written = trimmed(text);
        return text.ends_with(' ') && !written.empty() &&
               (is_name_character(written.back()) || written.back() == ')' ||
                written.back() == ']');
    }

    // The operand right before '.' or '->': names, members and indexes, back to the operator before
    // them.
    static std::string_view owner_of(std::string_view text) {
        std::size_t at = text.size();
        int depth = 0;
        while (at > 0) {
            char c = text[at - 1];
            if (c == ']' || c == ')')
                ++depth;
            else if (c == '[' || c == '(') {
                if (--depth < 0) break;
            } else if (depth == 0 && !is_name_character(c) && c != '.' && c != '%' && c != '@' &&
                       c != '#') {
                bool arrow = c == '>' && at > 1 && text[at - 2] == '-';
                if (!arrow) break;
                --at;
            }
            --at;
        }
        return text.substr(at);
    }

    void members(std::string_view owner, std::string_view name) {
        Value value = evaluate(owner, shell_.session().context());
        for (const std::string& question :
             questions_for(*value.type, shell_.session().context().language()))
            offer(question + "(", name);
        const Type* type = &plain(*value.type);
        if (type->kind == TypeKind::pointer || type->kind == TypeKind::reference)
            type = &plain(target_of(*type));
        add_members(*type, name, 0);
    }

    void add_members(const Type& type, std::string_view name, int depth) {
        if (depth > 8) return;
        for (const Member& member : type.members()) {
            if (member.name.empty() || member.is_base_class)
                add_members(plain(*member.type), name, depth + 1);
            else
                offer(member.name, name);
        }
    }

    Shell& shell_;
    std::string_view usage_;  // of the command whose arguments are typed
    std::set<std::string> found_;
};

}  // namespace

Completion complete(Shell& shell, std::string_view before_cursor) {
    try {
        return Completer(shell).run(before_cursor);
    } catch (const std::exception&) {
        return {};  // what cannot be understood yet has no completion
    }
}

std::string common_beginning(const std::vector<std::string>& candidates) {
    if (candidates.empty()) return {};
    std::string common = candidates.front();
    for (const std::string& candidate : candidates) {
        auto end =
            std::mismatch(common.begin(), common.end(), candidate.begin(), candidate.end()).first;
        common.erase(end, common.end());
    }
    return common;
}

}  // namespace lantern::cli
