#include "core/expressions/questions.h"

#include <algorithm>
#include <span>

#include "core/expressions/asked.h"
#include "core/symbols/type_table.h"

namespace lantern {
namespace {

using namespace answers;

using Answer = std::optional<Value> (*)(const Asked&);

struct Question {
    std::string_view name;
    unsigned arguments;
    Answer answer;
};

constexpr Question kOfCpp[] = {
    {"size", 0, size},
    {"length", 0, size},
    {"empty", 0, is_empty},
    {"front", 0, front},
    {"back", 0, back},
    {"top", 0, top},
    {"at", 1, at},
    {"count", 1, count},
    {"contains", 1, contains},
    {"find", 1, find},
    {"starts_with", 1, begins_with},
    {"ends_with", 1, ends_with},
    {"begin", 0, first_place},
    {"cbegin", 0, first_place},
    {"end", 0, end_place},
    {"cend", 0, end_place},
    {"data", 0, data},
    {"c_str", 0, data},
    {"get", 0, bare_pointer},
    {"base", 0, bare_pointer},
    {"use_count", 0, owners},
    {"expired", 0, has_expired},
    {"has_value", 0, has_value},
    {"value", 0, held},
    {"value_or", 1, held_or},
    {"error", 0, error_held},
    {"load", 0, wrapped},
    {"count", 0, wrapped},
};

constexpr Question kOfRust[] = {
    {"len", 0, size},
    {"is_empty", 0, is_empty},
    {"first", 0, perhaps_first},
    {"last", 0, perhaps_last},
    {"front", 0, perhaps_first},
    {"back", 0, perhaps_last},
    {"get", 1, perhaps_at},
    {"contains", 1, contains},
    {"contains_key", 1, contains},
    {"starts_with", 1, begins_with},
    {"ends_with", 1, ends_with},
    {"is_some", 0, is_case<'S'>},
    {"is_none", 0, is_case<'N'>},
    {"is_ok", 0, is_case<'O'>},
    {"is_err", 0, is_case<'E'>},
    {"unwrap", 0, unwrapped},
    {"expect", 1, unwrapped},
    {"unwrap_err", 0, unwrapped_error},
    {"unwrap_or", 1, unwrapped_or},
    {"get", 0, wrapped},
    {"borrow", 0, wrapped},
    {"load", 1, wrapped},
    {"as_ref", 0, itself},
    {"as_str", 0, itself},
    {"as_slice", 0, itself},
    {"as_deref", 0, itself},
    {"clone", 0, itself},
    {"to_string", 0, own_text},
    {"to_owned", 0, itself},
    {"into", 0, itself},
    {"as_bytes", 0, itself},
};

std::span<const Question> questions_of(Language language) {
    return language == Language::rust ? std::span<const Question>(kOfRust)
                                      : std::span<const Question>(kOfCpp);
}

bool has_function_of_its_own(const Type& type, const std::string& name) {
    return type.table && std::ranges::count(type.table->read_methods(type), name) != 0;
}

}  // namespace

std::optional<Value> answer_to(const ValueReader& reader, const Value& object,
                               const std::string& name, const std::vector<Value>& arguments,
                               Language language) {
    if (!object.is_available()) return std::nullopt;
    Asked asked{reader, object, arguments, language};
    for (const Question& question : questions_of(language))
        if (question.name == name && question.arguments == arguments.size())
            if (auto answer = question.answer(asked)) return answer;
    // A class that is a container by its base, and does not answer by itself.
    bool has_such_base = std::ranges::any_of(
        plain(*object.type).members(),
        [](const Member& member) { return member.is_base_class && library_view(*member.type); });
    if (!has_such_base || has_function_of_its_own(plain(*object.type), name)) return std::nullopt;
    for (const Member& member : plain(*object.type).members()) {
        if (!member.is_base_class || member.is_virtual_base || !library_view(*member.type))
            continue;
        if (auto answer =
                answer_to(reader, reader.member(object, member), name, arguments, language))
            return answer;
    }
    return std::nullopt;
}

std::vector<std::string> questions_for(const Type& type, Language language) {
    bool is_enum = language == Language::rust && !plain(type).variants().empty();
    if (!library_view(type) && !is_enum) return {};
    std::vector<std::string> names;
    for (const Question& question : questions_of(language)) names.emplace_back(question.name);
    std::ranges::sort(names);
    names.erase(std::unique(names.begin(), names.end()), names.end());
    return names;
}

}  // namespace lantern
