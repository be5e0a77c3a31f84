#include "cli/views/schema.h"

#include <nlohmann/json.hpp>

#include "cli/views/descriptions.h"

namespace lantern::cli {
namespace {

using Json = nlohmann::ordered_json;

class Schemas;

// Collects what a description tells of an object that holds nothing.
class SchemaForm {
  public:
    explicit SchemaForm(Schemas& all) : all_(all) {}

    void kind(const char* word) {
        kind_ = word;
        add("kind", Json{{"const", word}});
    }
    template <class T>
    void field(const char* name, const T&);
    template <class T>
    void optional(const char* name, const T&);
    template <class Fields>
    void if_so(bool, Fields fields) {
        bool was_optional = std::exchange(is_optional_, true);
        fields();
        is_optional_ = was_optional;
    }
    template <class Fields>
    void object(const char* name, Fields fields) {
        SchemaForm inner(all_);
        fields(inner);
        add(name, inner.made());
    }
    void one_of(const char* one, const char* other) {
        choice_ = Json::array(
            {Json{{"required", Json::array({one})}}, Json{{"required", Json::array({other})}}});
    }
    static std::string text_of(const ValueView&) { return {}; }

    const std::string& kind() const { return kind_; }
    Json made() const {
        Json object;
        object["type"] = "object";
        object["properties"] = properties_;
        object["required"] = required_;
        if (!choice_.is_null()) object["oneOf"] = choice_;
        object["additionalProperties"] = false;
        return object;
    }

  private:
    void add(const char* name, Json schema) {
        properties_[name] = std::move(schema);
        if (!is_optional_) required_.push_back(name);
    }

    Schemas& all_;
    std::string kind_;
    Json properties_ = Json::object(), required_ = Json::array(), choice_;
    bool is_optional_ = false;
};

// The structures that several views share, each once.
class Schemas {
  public:
    template <class T>
    Json object_of() {
        const char* name = shared_name(static_cast<const T*>(nullptr));
        if (!name) return form_of<T>().made();
        if (std::exchange(shared_[name], true)) return reference(name);
        Json made = form_of<T>().made();  // may refer to itself
        definitions[name] = std::move(made);
        return reference(name);
    }
    template <class T>
    SchemaForm form_of() {
        SchemaForm form(*this);
        describe(form, T{});
        return form;
    }
    static Json reference(const std::string& name) { return {{"$ref", "#/$defs/" + name}}; }

    Json definitions = Json::object();

  private:
    std::map<std::string, bool> shared_;
};

Json integer() {
    return {{"type", "integer"}};
}

template <class T>
struct SchemaOf {
    static Json of(Schemas& all) {
        if constexpr (std::is_enum_v<T>) {
            Json words = Json::array();
            for (int i = 0; i <= static_cast<int>(Words<T>::last); ++i)
                words.push_back(Words<T>::of(static_cast<T>(i)));
            return {{"enum", words}};
        } else if constexpr (std::is_same_v<T, bool>) {
            return {{"type", "boolean"}};
        } else if constexpr (std::is_floating_point_v<T>) {
            return {{"type", "number"}};
        } else if constexpr (std::is_unsigned_v<T>) {
            return {{"type", "integer"}, {"minimum", 0}};
        } else if constexpr (std::is_arithmetic_v<T>) {
            return integer();
        } else {
            return all.object_of<T>();
        }
    }
    // Of a field that is left out where there is nothing to tell.
    static Json of_something(Schemas& all) {
        if constexpr (std::is_same_v<T, bool>)
            return {{"const", true}};
        else if constexpr (std::is_unsigned_v<T>)
            return {{"type", "integer"}, {"minimum", 1}};
        else
            return of(all);
    }
};
template <>
struct SchemaOf<std::string> {
    static Json of(Schemas&) { return {{"type", "string"}}; }
    static Json of_something(Schemas&) { return {{"type", "string"}, {"minLength", 1}}; }
};
template <>
struct SchemaOf<Address> {
    static Json of(Schemas&) { return {{"type", "string"}, {"pattern", "^0x[0-9a-f]+$"}}; }
};
template <>
struct SchemaOf<HexBytes> {
    static Json of(Schemas&) { return {{"type", "string"}, {"pattern", "^([0-9a-f]{2})*$"}}; }
    static Json of_something(Schemas&) {
        return {{"type", "string"}, {"pattern", "^([0-9a-f]{2})+$"}};
    }
};
template <>
struct SchemaOf<NotedValue> {
    static Json of(Schemas&) { return {{"type", Json::array({"null", "string", "number"})}}; }
};
template <class T>
struct SchemaOf<std::optional<T>> {
    static Json of_something(Schemas& all) { return SchemaOf<T>::of(all); }
};
template <class T>
struct SchemaOf<std::vector<T>> {
    static Json of(Schemas& all) { return {{"type", "array"}, {"items", SchemaOf<T>::of(all)}}; }
    static Json of_something(Schemas& all) {
        return {{"type", "array"}, {"items", SchemaOf<T>::of(all)}, {"minItems", 1}};
    }
};

template <class T>
void SchemaForm::field(const char* name, const T&) {
    add(name, SchemaOf<T>::of(all_));
}

template <class T>
void SchemaForm::optional(const char* name, const T&) {
    bool was_optional = std::exchange(is_optional_, true);
    add(name, SchemaOf<T>::of_something(all_));
    is_optional_ = was_optional;
}

// "value" is a shared structure and a view.
std::string name_of_view(std::string kind) {
    std::replace(kind.begin(), kind.end(), '-', '_');
    return kind + "_view";
}

template <class... Reports>
Json schema_of(ReportList<Reports...>) {
    Schemas all;
    Json views = Json::object(), choices = Json::array();
    auto add = [&](const SchemaForm& form) {
        views[name_of_view(form.kind())] = form.made();
        choices.push_back(Schemas::reference(name_of_view(form.kind())));
    };
    (add(all.form_of<Reports>()), ...);
    add(all.form_of<RecordedCommand>());
    add(all.form_of<RecordedAnswer>());
    Json definitions = std::move(all.definitions);
    definitions.update(views);
    return {
        {"$schema", "https://json-schema.org/draft/2020-12/schema"},
        {"title",
         "One line of elm-lantern --format json, of session.jsonl, or of a view saved as .json"},
        {"oneOf", std::move(choices)},
        {"$defs", std::move(definitions)}};
}

}  // namespace

std::string json_schema() {
    return schema_of(AllReports{}).dump(2) + "\n";
}

}  // namespace lantern::cli
