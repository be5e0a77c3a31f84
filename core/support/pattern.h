// What a person types to find names: a part of the name, a pattern with * and ?, or a /regular
// expression/.
#pragma once

#include <memory>
#include <string>
#include <string_view>

namespace lantern {

class Pattern {
  public:
    // "" matches everything. Throws RequestError for a regular expression that does not parse.
    explicit Pattern(std::string_view text);

    // A part matches anywhere, whatever the case; a pattern with * ? [ must match the whole; a
    // regular expression (POSIX, extended) matches anywhere.
    bool matches(const std::string& name) const;
    bool matches_all() const { return text_.empty(); }

  private:
    std::string text_;
    bool is_glob_ = false;
    std::shared_ptr<const void> regex_;
};

}  // namespace lantern
