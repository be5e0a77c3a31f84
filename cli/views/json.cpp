#include "cli/views/json.h"

#include <fmt/format.h>

#include <nlohmann/json.hpp>

#include "cli/views/descriptions.h"

namespace lantern::cli {
namespace {

using Json = nlohmann::ordered_json;

constexpr std::size_t kLongestText = 4000;  // of a value in one line

template <class T>
Json json_from(const T& described);

Json json_of_value(const std::string& text) {
    return text;
}
Json json_of_value(bool yes) {
    return yes;
}
Json json_of_value(Address address) {
    return fmt::format("{:#x}", address.value);
}
Json json_of_value(HexBytes bytes) {
    std::string text;
    for (std::byte each : *bytes.bytes) text += fmt::format("{:02x}", static_cast<unsigned>(each));
    return text;
}
Json json_of_value(const NotedValue& noted) {
    struct Plain {
        Json operator()(std::monostate) const { return nullptr; }
        Json operator()(const std::string& text) const { return text; }
        Json operator()(double number) const { return number; }
        Json operator()(std::int64_t number) const { return number; }
        Json operator()(std::uint64_t number) const { return number; }
    };
    return std::visit(Plain{}, noted);
}
template <class T>
Json json_of_value(const T& value) {
    if constexpr (std::is_enum_v<T>)
        return std::string(Words<T>::of(value));
    else if constexpr (std::is_arithmetic_v<T>)
        return value;
    else
        return json_from(value);
}
template <class T>
Json json_of_value(const std::optional<T>& value) {
    return json_of_value(*value);
}
template <class T>
Json json_of_value(const std::vector<T>& values) {
    Json all = Json::array();
    for (const T& each : values) all.push_back(json_of_value(each));
    return all;
}

template <class T>
bool is_nothing(const T& value) {
    return value == T{};
}
template <class T>
bool is_nothing(const std::optional<T>& value) {
    return !value;
}
template <class T>
bool is_nothing(const std::vector<T>& values) {
    return values.empty();
}
bool is_nothing(HexBytes bytes) {
    return bytes.bytes->empty();
}

// Writes what a description tells of (see described.h).
class JsonForm {
  public:
    explicit JsonForm(Json& out) : out_(out) {}

    void kind(const char* word) { out_["kind"] = word; }
    template <class T>
    void field(const char* name, const T& value) {
        out_[name] = json_of_value(value);
    }
    template <class T>
    void optional(const char* name, const T& value) {
        if (!is_nothing(value)) field(name, value);
    }
    template <class Fields>
    void if_so(bool is_so, Fields fields) {
        if (is_so) fields();
    }
    template <class Fields>
    void object(const char* name, Fields fields) {
        Json made = Json::object();
        JsonForm form(made);
        fields(form);
        out_[name] = std::move(made);
    }
    void one_of(const char*, const char*) {}
    static std::string text_of(const ValueView& view) { return one_line(view, kLongestText); }

  private:
    Json& out_;
};

template <class T>
Json json_from(const T& described) {
    Json made = Json::object();
    JsonForm form(made);
    describe(form, described);
    return made;
}

// Names and source text may hold any bytes; what is no UTF-8 is replaced, never an exception.
std::string line_of(const Json& json) {
    return json.dump(-1, ' ', false, Json::error_handler_t::replace);
}

template <class Report>
Json json_of_a(const View& view) {
    return json_from(*view.as<Report>());
}

template <class... Reports>
Json json_of_one(const View& view, ReportList<Reports...>) {
    using Render = Json (*)(const View&);
    static constexpr Render kRenders[] = {json_of_a<Reports>...};
    return kRenders[view.place()](view);
}

}  // namespace

std::string json_of(const View& view) {
    return line_of(json_of_one(view, AllReports{}));
}

std::string json_of_command(const std::string& line) {
    return line_of(json_from(RecordedCommand{line}));
}

std::string json_of_answer(unsigned number, const std::string& line, bool worked) {
    return line_of(json_from(RecordedAnswer{number, line, worked}));
}

}  // namespace lantern::cli
