#include "core/analysis/statement_parts.h"

#include <algorithm>
#include <cctype>
#include <vector>

#include "core/analysis/culprit.h"
#include "core/support/error.h"

namespace lantern {
namespace {

// A name and what follows it, such as `ms->capture[level].init`.
struct Chain {
    enum class Step { arrow, dot, index };
    struct Part {
        Step step;
        std::size_t begin = 0, end = 0;  // of its text in the chain's
    };
    std::string text;
    std::vector<Part> parts;
    bool is_called = false;        // the last of it is a function
    bool has_star_before = false;  // `*p`

    std::string up_to(std::size_t part) const {  // its first `part` parts
        return text.substr(0, part ? parts[part - 1].end : name_end());
    }
    std::size_t name_end() const { return parts.empty() ? text.size() : parts.front().begin; }
    std::string index_text(std::size_t part) const {
        return text.substr(parts[part].begin + 1, parts[part].end - parts[part].begin - 2);
    }
};

bool begins_name(char c) {
    return std::isalpha(static_cast<unsigned char>(c)) || c == '_';
}
bool is_of_name(char c) {
    return begins_name(c) || std::isdigit(static_cast<unsigned char>(c));
}

class Reader {
  public:
    explicit Reader(const std::string& text) : text_(text) {}

    std::vector<Chain> chains() {
        std::vector<Chain> found;
        while (at_ < text_.size()) {
            char c = text_[at_];
            if (c == '"' || c == '\'') {
                skip_quoted(c);
            } else if (text_.compare(at_, 2, "//") == 0 || text_.compare(at_, 2, "/*") == 0) {
                break;  // what stands behind a comment is not read
            } else if (std::isdigit(static_cast<unsigned char>(c))) {
                while (at_ < text_.size() && is_of_name(text_[at_])) ++at_;
            } else if (begins_name(c)) {
                add_chain(found);
            } else {
                ++at_;
            }
        }
        return found;
    }

  private:
    void skip_quoted(char quote) {
        for (++at_; at_ < text_.size() && text_[at_] != quote; ++at_)
            if (text_[at_] == '\\') ++at_;
        ++at_;
    }

    std::size_t end_of_name(std::size_t at) const {
        while (at < text_.size() &&
               (is_of_name(text_[at]) || (text_.compare(at, 2, "::") == 0 &&
                                          at + 2 < text_.size() && begins_name(text_[at + 2]))))
            at += text_[at] == ':' ? 2 : 1;
        return at;
    }
    std::size_t behind_blanks(std::size_t at) const {
        while (at < text_.size() && text_[at] == ' ') ++at;
        return at;
    }

    // What is in brackets has chains of its own: it is read once more from there.
    void add_chain(std::vector<Chain>& found) {
        std::size_t begin = at_, end = end_of_name(at_);
        Chain chain;
        for (;;) {
            std::size_t at = behind_blanks(end);
            if (text_.compare(at, 2, "->") == 0 || (at < text_.size() && text_[at] == '.')) {
                std::size_t name = behind_blanks(at + (text_[at] == '.' ? 1 : 2));
                if (name >= text_.size() || !begins_name(text_[name])) break;
                std::size_t name_end = end_of_name(name);
                chain.parts.push_back({text_[at] == '.' ? Chain::Step::dot : Chain::Step::arrow,
                                       at - begin, name_end - begin});
                end = name_end;
            } else if (at < text_.size() && text_[at] == '[') {
                std::size_t close = closing(at);
                if (close == std::string::npos) break;
                chain.parts.push_back({Chain::Step::index, at - begin, close + 1 - begin});
                end = close + 1;
            } else {
                chain.is_called = at < text_.size() && text_[at] == '(';
                break;
            }
        }
        chain.text = text_.substr(begin, end - begin);
        chain.has_star_before = has_star(begin);
        at_ = end;
        if (!follows_operand(begin)) found.push_back(chain);
        for (std::size_t i = 0; i < chain.parts.size(); ++i)
            if (chain.parts[i].step == Chain::Step::index) {
                std::string inside = chain.index_text(i);
                for (Chain& each : Reader(inside).chains()) found.push_back(std::move(each));
            }
    }

    std::size_t closing(std::size_t open) const {
        unsigned depth = 0;
        for (std::size_t at = open; at < text_.size(); ++at) {
            if (text_[at] == '[') ++depth;
            if (text_[at] == ']' && --depth == 0) return at;
        }
        return std::string::npos;
    }

    // A member of what stands in parentheses before it: `(*p).level`, `f()->next`.
    bool follows_operand(std::size_t begin) const {
        if (begin == 0) return false;
        return text_[begin - 1] == '.' || (begin > 1 && text_.compare(begin - 2, 2, "->") == 0);
    }

    // A star that follows an operand multiplies.
    bool has_star(std::size_t begin) const {
        std::size_t at = begin;
        auto back = [&] {
            while (at > 0 && text_[at - 1] == ' ') --at;
        };
        back();
        if (at == 0 || text_[at - 1] != '*') return false;
        --at;
        back();
        return at == 0 ||
               (!is_of_name(text_[at - 1]) && text_[at - 1] != ')' && text_[at - 1] != ']');
    }

    const std::string& text_;
    std::size_t at_ = 0;
};

class Blame {
  public:
    Blame(const Moment& moment, const Frame& frame, std::uint64_t address)
        : moment_(moment), context_(context_in(moment, frame)), address_(address) {}

    std::optional<StatementPart> of(const std::string& statement) {
        for (const Chain& chain : Reader(statement).chains()) consider(chain);
        return found_.size() == 1 ? std::optional(found_.front()) : std::nullopt;
    }

  private:
    void consider(const Chain& chain) {
        for (std::size_t i = 1; i <= chain.parts.size(); ++i) {
            // A function that is called through its object's table: the object is read first.
            bool is_method = chain.is_called && i == chain.parts.size();
            if (is_method ? leads_to(chain.up_to(i - 1)) : lies_there(chain.up_to(i)))
                add(blamed(chain, i));
            else if (chain.parts[i - 1].step == Chain::Step::index)
                add(far_element(chain.up_to(i - 1), chain.index_text(i - 1)));
        }
        if (chain.has_star_before && !chain.is_called && leads_to(chain.text))
            add(pointer(chain.text));
        std::string name = chain.up_to(0);
        bool may_be_own_member = name != "this" && !(chain.is_called && chain.parts.empty());
        if (may_be_own_member && lies_there(name))
            if (auto object = pointer("this"); object && leads_nowhere(object->value)) add(object);
    }

    void add(const std::optional<StatementPart>& part) {
        if (part && std::ranges::find(found_, *part) == found_.end()) found_.push_back(*part);
    }

    // The last step that follows a pointer or counts elements.
    std::optional<StatementPart> blamed(const Chain& chain, std::size_t parts) {
        for (std::size_t i = parts; i > 0; --i) {
            std::string before = chain.up_to(i - 1);
            switch (chain.parts[i - 1].step) {
                case Chain::Step::arrow: return pointer(before);
                case Chain::Step::dot:
                    if (auto part = pointer(before)) return part;  // a reference
                    continue;
                case Chain::Step::index: {
                    auto base = value_of(before);
                    if (!base) return std::nullopt;
                    bool is_array = plain(*base->type).kind == TypeKind::array;
                    if (!is_array)
                        if (auto part = pointer(before); part && leads_nowhere(part->value))
                            return part;
                    if (is_array && base->address && leads_nowhere(base->address->value)) continue;
                    // A number in the source is what was meant.
                    std::string text = chain.index_text(i - 1);
                    bool is_number = std::isdigit(static_cast<unsigned char>(text[0]));
                    if (!is_number) return index(text, before);
                    if (is_array) continue;
                    return pointer(before);
                }
            }
        }
        return std::nullopt;
    }

    // Of a container, which has no element of so high a number: where it would lie.
    std::optional<StatementPart> far_element(const std::string& container,
                                             const std::string& number) {
        auto whole = value_of(container);
        const Type* type = whole ? &plain(*whole->type) : nullptr;
        if (type && type->kind == TypeKind::reference) type = &plain(target_of(*type));
        if (!type || type->kind != TypeKind::structure) return std::nullopt;
        auto first = value_of(container + "[0]");
        auto counted = index(number, container);
        if (!first || !first->address || !counted) return std::nullopt;
        std::uint64_t size = plain(*first->type).size;
        return holds(first->address->value + counted->value * size, *first->type) ? counted
                                                                                  : std::nullopt;
    }

    std::optional<StatementPart> pointer(const std::string& text) {
        auto value = value_of(text);
        if (!value) return std::nullopt;
        TypeKind kind = plain(*value->type).kind;
        if (kind != TypeKind::pointer && kind != TypeKind::reference) return std::nullopt;
        return part(text, {}, *value);
    }

    std::optional<StatementPart> index(const std::string& text, const std::string& of) {
        auto value = value_of(text);
        return value && is_scalar(*value->type) ? part(text, of, *value) : std::nullopt;
    }

    std::optional<StatementPart> part(const std::string& text, const std::string& index_of,
                                      const Value& value) {
        try {
            return StatementPart{text, index_of, value.type,
                                 ValueReader(moment_.target()).integer(value)};
        } catch (const Error&) {  // it cannot be read
            return std::nullopt;
        }
    }

    bool lies_there(const std::string& text) {
        auto value = value_of(text);
        return value && value->address && holds(value->address->value, *value->type);
    }
    bool leads_to(const std::string& text) {
        auto value = value_of(text);
        if (!value || plain(*value->type).kind != TypeKind::pointer) return false;
        auto leads = part(text, {}, *value);
        return leads && holds(leads->value, target_of(plain(*value->type)));
    }
    bool holds(std::uint64_t begin, const Type& type) const {
        return address_ - begin < std::max<std::uint64_t>(plain(type).size, 1);
    }

    bool leads_nowhere(std::uint64_t value) const {
        if (!can_be_an_address(value)) return true;
        const MemoryRegion* region = moment_.target().region_at(RunAddress(value));
        return !region || !region->permissions.starts_with('r');
    }

    std::optional<Value> value_of(const std::string& text) {
        try {
            Value value = evaluate(text, context_);
            return value.is_available() ? std::optional(value) : std::nullopt;
        } catch (const Error&) {  // it has no meaning, or no value here
            return std::nullopt;
        }
    }

    const Moment& moment_;
    EvaluationContext context_;
    std::uint64_t address_;
    std::vector<StatementPart> found_;
};

}  // namespace

EvaluationContext context_in(const Moment& moment, const Frame& frame) {
    EvaluationContext context = moment.context();
    context.frame = &frame;
    context.call = {};
    return context;
}

std::optional<StatementPart> part_that_leads_to(const Moment& moment, const Frame& frame,
                                                const std::string& statement,
                                                std::uint64_t address) {
    return Blame(moment, frame, address).of(statement);
}

std::vector<std::string> pointers_followed_in(const std::string& statement) {
    std::vector<std::string> found;
    for (const Chain& chain : Reader(statement).chains()) {
        for (std::size_t i = 0; i < chain.parts.size(); ++i)
            if (chain.parts[i].step == Chain::Step::arrow) found.push_back(chain.up_to(i));
        if (chain.has_star_before && !chain.is_called) found.push_back(chain.text);
    }
    return found;
}

std::vector<std::string> names_in(const std::string& statement) {
    std::vector<std::string> found;
    for (const Chain& chain : Reader(statement).chains())
        if (!(chain.is_called && chain.parts.empty()) && chain.up_to(0) != "nullptr")
            found.push_back(chain.up_to(0));
    return found;
}

}  // namespace lantern
