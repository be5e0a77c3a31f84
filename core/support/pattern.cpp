#include "core/support/pattern.h"

#include <fmt/format.h>
#include <fnmatch.h>
#include <regex.h>

#include <algorithm>
#include <cctype>

#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern {

Pattern::Pattern(std::string_view text) : text_(text) {
    if (text.size() >= 2 && text.front() == '/' && text.back() == '/' &&
        text.find('/', 1) == text.size() - 1) {
        text_ = text.substr(1, text.size() - 2);
        auto compiled = std::shared_ptr<regex_t>(new regex_t{}, [](regex_t* regex) {
            regfree(regex);
            delete regex;
        });
        if (int problem = regcomp(compiled.get(), text_.c_str(), REG_EXTENDED | REG_NOSUB)) {
            char why[128];
            regerror(problem, compiled.get(), why, sizeof why);
            throw RequestError(
                fmt::format("the expression between the slashes does not parse: {}", why),
                "/^canal::.*toll$/, for example");
        }
        regex_ = compiled;
        return;
    }
    is_glob_ = text.find_first_of("*?[") != std::string_view::npos;
    if (!is_glob_) text_ = lower_case(text);
}

bool Pattern::matches(const std::string& name) const {
    if (regex_)
        return regexec(static_cast<const regex_t*>(regex_.get()), name.c_str(), 0, nullptr, 0) == 0;
    if (is_glob_) return fnmatch(text_.c_str(), name.c_str(), 0) == 0;
    return std::search(name.begin(), name.end(), text_.begin(), text_.end(),
                       [](char a, char b) {
                           return std::tolower(static_cast<unsigned char>(a)) == b;
                       }) != name.end() ||
           text_.empty();
}

}  // namespace lantern
