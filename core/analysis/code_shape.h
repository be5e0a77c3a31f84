// The words, texts, numbers and comments of a source line of C, C++ or Rust: enough to colour it,
// no more.
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace lantern {

enum class CodeLanguage { none, c, cplusplus, rust };

// By the ending of the file's name; none for another language.
CodeLanguage code_language(std::string_view path);

enum class CodeKind { keyword, text, comment, number, directive };

struct CodePart {
    std::size_t begin = 0, end = 0;  // bytes of the line; what lies between two parts is plain
    CodeKind kind = CodeKind::keyword;
};

// Reads lines one after another: comments and texts may go on over several.
class CodeReader {
  public:
    explicit CodeReader(CodeLanguage language) : language_(language) {}
    std::vector<CodePart> parts(std::string_view line);

  private:
    std::size_t end_of_comment(std::string_view line, std::size_t at);
    std::size_t end_of_text(std::string_view line, std::size_t at);
    std::size_t end_of_raw_text(std::string_view line, std::size_t at);
    bool starts_raw_text(std::string_view line, std::size_t at, std::size_t& content);

    CodeLanguage language_;
    unsigned comment_depth_ = 0;  // Rust's nest
    bool in_text_ = false;        // of Rust, whose texts may hold line ends
    bool in_raw_ = false;
    std::string end_mark_;  // of a raw text
};

}  // namespace lantern
