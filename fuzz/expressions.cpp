// The reader of expressions, in each language: whatever is typed gives a tree or an
// ExpressionError.
#include "core/expressions/syntax.h"
#include "core/support/error.h"
#include "core/values/builtin_types.h"
#include "fuzz/fuzzing.h"

using namespace lantern;

namespace {

// A few names are types and templates, so that casts and brackets are met.
class SomeNames final : public NameJudge {
  public:
    const Type* type(const std::string& name) const override {
        if (name == "T" || name == "struct T") return &int_type();
        return name == "P<int>" ? &pointer_to(int_type()) : nullptr;
    }
    bool is_template_id(const std::string& name) const override { return name.starts_with("f<"); }
};

}  // namespace

int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    std::string text(reinterpret_cast<const char*>(data), size);
    find_assignment(text);
    for (Language language : {Language::c, Language::cplusplus, Language::rust}) {
        try {
            parse_expression(text, SomeNames(), language);
        } catch (const ExpressionError&) {
        }
    }
    return 0;
}
