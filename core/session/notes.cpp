#include "core/session/notes.h"

#include <fmt/format.h>

#include <chrono>

namespace lantern {

double NoteTable::clock() {
    double now =
        std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count();
    if (started_ < 0) started_ = now;
    return now - started_;
}

void NoteTable::add(NoteRow row) {
    is_of_several_ |= row.process > 1;
    rows_.push_back(std::move(row));
}

std::string noted_text(const NotedValue& value) {
    struct Words {
        std::string operator()(std::monostate) const { return ""; }
        std::string operator()(const std::string& text) const { return text; }
        std::string operator()(double number) const { return fmt::format("{}", number); }
        std::string operator()(std::int64_t number) const { return std::to_string(number); }
        std::string operator()(std::uint64_t number) const { return std::to_string(number); }
    };
    return std::visit(Words{}, value);
}

}  // namespace lantern
