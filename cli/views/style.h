// How text may look on this output: colours or none, and how wide.
#pragma once

#include <string>
#include <string_view>

namespace lantern::cli {

struct Style {
    bool colour = false;
    unsigned width = 100;
    bool folds = false;  // a window: lines that are longer go on below, between words

    // Roles, not colours: what stands out is decided here alone.
    std::string strong(std::string_view text) const { return wrap("1", text); }
    std::string faint(std::string_view text) const { return wrap("38;5;245", text); }
    std::string next_line(std::string_view text) const { return wrap("38;5;222", text); }
    std::string heading(std::string_view text) const { return wrap("1;38;5;109", text); }
    std::string mark(std::string_view text) const { return wrap("38;5;174", text); }
    std::string changed(std::string_view text) const { return wrap("38;5;150", text); }
    std::string warning(std::string_view text) const { return wrap("38;5;215", text); }
    // Of source code, quieter than the rest.
    std::string code_keyword(std::string_view text) const { return wrap("38;5;109", text); }
    std::string code_text(std::string_view text) const { return wrap("38;5;144", text); }
    std::string code_number(std::string_view text) const { return wrap("38;5;139", text); }
    std::string code_comment(std::string_view text) const { return wrap("38;5;242", text); }

  private:
    std::string wrap(const char* code, std::string_view text) const {
        if (!colour || text.empty()) return std::string(text);
        return std::string("\x1b[") + code + "m" + std::string(text) + "\x1b[0m";
    }
};

// Our signs in plain ASCII, for locales that have nothing else.
std::string to_ascii(std::string_view utf8);

}  // namespace lantern::cli
