#include "core/expressions/evaluator.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstring>

#include "core/expressions/arithmetic.h"
#include "core/expressions/scope_names.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/symbols/places.h"
#include "core/values/builtin_types.h"
#include "core/values/variable_value.h"

namespace lantern {

unsigned Results::add(const Value& value) {
    numbered_.push_back(value);
    return static_cast<unsigned>(numbered_.size());
}

void Results::keep(const std::string& name, const Value& value) {
    named_[name] = value;
}

const Value* Results::find(const std::string& name) const {
    if (name.empty()) return numbered_.empty() ? nullptr : &numbered_.back();
    if (std::all_of(name.begin(), name.end(), [](unsigned char c) { return std::isdigit(c); })) {
        if (name.size() > 9) return nullptr;
        std::size_t number = std::stoul(name);
        return number >= 1 && number <= numbered_.size() ? &numbered_[number - 1] : nullptr;
    }
    auto found = named_.find(name);
    return found == named_.end() ? nullptr : &found->second;
}

void Results::clear() {
    numbered_.clear();
    named_.clear();
}

namespace {

constexpr std::uint64_t kLargestPart = 100'000;  // elements of one [a..b]

class Evaluator {
  public:
    explicit Evaluator(const EvaluationContext& context) : context_(context), reader_(*context.target) {}

    Value value(const Node& node) {
        try {
            return compute(node);
        } catch (const ExpressionError&) {
            throw;
        } catch (const MemoryError& error) {
            throw ExpressionError(error.what(), node.column, error.advice());
        } catch (const RequestError& error) {
            throw ExpressionError(error.what(), node.column, error.advice());
        }
    }

    Value converted(const Value& from, const Type& to, unsigned column) {
        const Type& target = plain(to);
        switch (target.kind) {
            case TypeKind::boolean: return value_of_integer(to, reader_.truth(from));
            case TypeKind::floating: return value_of_floating(to, reader_.floating(from));
            case TypeKind::integer: case TypeKind::character: case TypeKind::enumeration: case TypeKind::pointer:
            case TypeKind::reference:
                if (is_number_like(*from.type)) {
                    Value result = value_of_integer(to, reader_.integer(from));
                    return result;
                }
                break;
            default: break;
        }
        if (plain(*from.type).size == target.size && target.size != 0 && is_aggregate(to)) {
            Value result = from;
            result.type = &to;
            return result;
        }
        throw ExpressionError(fmt::format("a value of type {} cannot become {}", type_text(*from.type), type_text(to)), column);
    }

  private:
    static bool is_number_like(const Type& type) {
        return is_scalar(type) || plain(type).kind == TypeKind::array || plain(type).kind == TypeKind::function;
    }
    [[noreturn]] static void fail(const Node& node, const std::string& what, std::string advice = {}) {
        throw ExpressionError(what, node.column, std::move(advice));
    }

    Value compute(const Node& node) {
        switch (node.kind) {
            case NodeKind::integer: return value_of_integer(*node.type, node.number);
            case NodeKind::character: return value_of_integer(*node.type, node.number);
            case NodeKind::floating: return value_of_floating(*node.type, node.real);
            case NodeKind::string: {
                auto text = std::as_bytes(std::span(node.text.c_str(), node.text.size() + 1));
                return value_of_bytes(array_of(char_type(), text.size()), {text.begin(), text.end()});
            }
            case NodeKind::name: return name(node);
            case NodeKind::cpu_register: return cpu_register(node);
            case NodeKind::result: return result(node);
            case NodeKind::unary: return unary(node);
            case NodeKind::binary: return binary(node);
            case NodeKind::conditional: return value(*node.children[reader_.truth(value(*node.children[0])) ? 1 : 2]);
            case NodeKind::member: return member_of(node, value(*node.children[0]));
            case NodeKind::arrow: return arrow(node);
            case NodeKind::index: return index(node);
            case NodeKind::range: return range(node);
            case NodeKind::cast: return cast(node);
            case NodeKind::size_of_value: return value_of_integer(unsigned_long_type(), plain(*value(*node.children[0]).type).size);
            case NodeKind::size_of_type: return value_of_integer(unsigned_long_type(), plain(*node.type).size);
        }
        return {};
    }

    // ---- names ----

    Value name(const Node& node) {
        if (context_.frame) {
            for (const VisibleVariable& visible : visible_variables(*context_.frame)) {
                const Variable& variable = *visible.variable;
                if (variable.name != node.text || !is_chosen(variable, node)) continue;
                if (!node.chosen.empty() || !visible.is_shadowed)
                    return value_of_variable(*context_.target, context_.thread, *context_.frame, variable);
            }
        }
        const Module* module = nullptr;
        std::string chosen = context_.frame && frame_function_name(*context_.frame) == node.chosen ? "" : node.chosen;
        if (auto global = find_global(*context_.target, context_.frame, node.text, module, chosen)) return global_value(*global, *module);
        if (node.chosen.empty()) {
            if (auto enumerator = find_enumerator(*context_.target, node.text))
                return value_of_integer(*enumerator->type, static_cast<std::uint64_t>(enumerator->value));
            if (auto function = function_value(node.text)) return *function;
            if (auto symbol = symbol_value(node.text)) return *symbol;
        }
        unknown_name(node);
    }

    bool is_chosen(const Variable& variable, const Node& node) const {
        if (node.chosen.empty()) return true;
        return std::to_string(variable.declared_line) == node.chosen || path_matches(variable.declared_in, node.chosen) ||
               frame_function_name(*context_.frame) == node.chosen;
    }

    Value global_value(const Variable& variable, const Module& module) {
        Frame outside;
        outside.module = &module;
        if (context_.frame) outside.registers = context_.frame->registers;
        return value_of_variable(*context_.target, context_.thread, outside, variable);
    }

    std::optional<Value> function_value(const std::string& name) {
        for (const Module& module : context_.target->modules()) {
            for (const Function* function : module.symbols().functions_named(name)) {
                if (!function->has_code()) continue;
                return value_in_memory(type_of_function(module.symbols(), *function), module.to_run(function->low()));
            }
        }
        return std::nullopt;
    }

    // What it returns and takes, as far as its debug information says. Made once for each function.
    static const Type& type_of_function(const ModuleSymbols& symbols, const Function& function) {
        static std::map<const Function*, Type> made;
        auto [slot, is_new] = made.try_emplace(&function);
        if (is_new) {
            const FunctionBody& body = symbols.body_of(function);
            slot->second.kind = TypeKind::function;
            slot->second.target = body.returned;
            for (const Variable& variable : body.outermost.variables)
                if (variable.is_parameter) slot->second.parameters.push_back(variable.type);
        }
        return slot->second;
    }

    // A name that only the linker knows: its address is all there is.
    std::optional<Value> symbol_value(const std::string& name) {
        for (const Module& module : context_.target->modules()) {
            const ElfSymbol* symbol = module.symbols().symbol_table().named(name);
            if (!symbol) continue;
            static const Type unknown_data = [] {
                Type made;
                made.kind = TypeKind::function;
                return made;
            }();
            return value_in_memory(unknown_data, module.to_run(symbol->address));
        }
        return std::nullopt;
    }

    [[noreturn]] void unknown_name(const Node& node) {
        std::vector<std::string> near = nearest_names(node.text, known_names(*context_.target, context_.frame));
        std::string what = node.chosen.empty() ? fmt::format("nothing here is called {}", node.text)
                                               : fmt::format("no {} here is the one of {}", node.text, node.chosen);
        std::string advice = near.empty() ? "locals lists what this frame has" : fmt::format("did you mean {}?", join_with(near, "or"));
        fail(node, what, advice);
    }

    Value cpu_register(const Node& node) {
        auto found = find_register(node.text);
        if (!found) {
            auto near = nearest_names(node.text, register_names());
            fail(node, fmt::format("the processor has no register {}", node.text),
                 near.empty() ? "" : fmt::format("did you mean %{}?", join_with(near, "or %")));
        }
        if (!context_.frame) fail(node, "there are no registers: the program is not running", "launch starts it");
        const Type& type = found->size == 16 ? array_of(double_type(), 2) : found->size == 8 ? unsigned_long_type()
                           : found->size == 4 ? unsigned_type() : found->size == 2 ? *base_type_from_words({"unsigned", "short"})
                                                                 : *base_type_from_words({"unsigned", "char"});
        return value_of_register(*context_.target, context_.thread, *context_.frame, *found, type);
    }

    Value result(const Node& node) {
        const Value* found = context_.results ? context_.results->find(node.text) : nullptr;
        if (!found) {
            fail(node, node.text.empty() ? "there is no result yet" : fmt::format("there is no result @{}", node.text),
                 "value EXPR makes one");
        }
        return *found;
    }

    // ---- pointers and members ----

    Value unary(const Node& node) {
        const Node& inner = *node.children[0];
        if (node.text == "&") return address_of(node, value(inner));
        Value operand = value(inner);
        if (node.text == "*") {
            const Type& type = plain(*operand.type);
            if (type.kind == TypeKind::array) return reader_.element(operand, 0);
            if (type.kind != TypeKind::pointer && type.kind != TypeKind::reference)
                fail(node, fmt::format("* needs a pointer, and this is {}", type_text(*operand.type)));
            if (plain(target_of(type)).kind == TypeKind::nothing)
                fail(node, "what a void pointer points at has no type", "cast it first: *(TYPE *)…");
            refuse_null(inner, operand);
            return reader_.dereference(operand);
        }
        if (node.text == "!") return value_of_integer(int_type(), !reader_.truth(operand));
        require_number(node, operand);
        const Type& type = promoted(*operand.type);
        if (plain(type).kind == TypeKind::floating) {
            if (node.text == "~") fail(node, "~ needs a whole number");
            long double number = reader_.floating(operand);
            return value_of_floating(type, node.text == "-" ? -number : number);
        }
        std::uint64_t number = reader_.integer(operand);
        if (node.text == "-") number = 0 - number;
        if (node.text == "~") number = ~number;
        return value_of_integer(type, number);
    }

    void refuse_null(const Node& node, const Value& pointer) {
        if (pointer.is_available() && reader_.pointed_at(pointer).value == 0)
            fail(node, "the pointer is null: it points at nothing", "stack and caller show where it came from");
    }

    Value address_of(const Node& node, const Value& operand) {
        if (!operand.is_available()) fail(node, fmt::format("it has no address: {}", operand.unavailable));
        if (operand.is_bit_field()) fail(node, "a bit-field has no address");
        if (!operand.address) {
            fail(node, operand.in_register ? fmt::format("it has no address: it is in {}", register_name(operand.in_register->number))
                                           : "it has no address: it is only a computed value");
        }
        return value_of_integer(pointer_to(*operand.type), operand.address->value);
    }

    Value arrow(const Node& node) {
        Value pointer = value(*node.children[0]);
        const Type& type = plain(*pointer.type);
        bool leads_somewhere = type.kind == TypeKind::pointer || type.kind == TypeKind::reference || type.kind == TypeKind::array;
        if (!leads_somewhere) {
            bool structure = type.kind == TypeKind::structure || type.kind == TypeKind::union_;
            fail(node, fmt::format("-> needs a pointer, and this is {}", type_text(*pointer.type)), structure ? "use . here" : "");
        }
        refuse_null(*node.children[0], pointer);
        return member_of(node, type.kind == TypeKind::array ? reader_.element(pointer, 0) : reader_.dereference(pointer));
    }

    Value member_of(const Node& node, Value structure) {
        const Type* type = &plain(*structure.type);
        // Rust goes through references and boxes by itself.
        bool is_rust = context_.frame && context_.frame->function && context_.frame->function->unit->is_rust();
        bool reaches_through = type->kind == TypeKind::reference || (is_rust && type->kind == TypeKind::pointer);
        if (reaches_through) {
            refuse_null(*node.children[0], structure);
            structure = reader_.dereference(structure);
            type = &plain(*structure.type);
        }
        if (type->kind != TypeKind::structure && type->kind != TypeKind::union_) {
            bool pointer = type->kind == TypeKind::pointer;
            fail(node, fmt::format("{} has no members", type_text(*structure.type)), pointer ? "use -> here" : "");
        }
        if (auto found = find_member(structure, *type, node.text, 0)) return *found;
        std::vector<std::string> names;
        for (const Member& member : type->members()) names.push_back(member.name);
        auto near = nearest_names(node.text, names);
        if (near.empty()) near = names.size() <= 12 ? names : std::vector<std::string>{};
        fail(node, fmt::format("{} has no member {}", type_text(*structure.type), node.text),
             near.empty() ? "" : fmt::format("it has {}", join_with(near, "and")));
    }

    // Members of anonymous structures and of base classes count as the outer one's own.
    std::optional<Value> find_member(const Value& structure, const Type& type, const std::string& name, int depth) {
        if (depth > 20) return std::nullopt;
        for (const Member& member : type.members())
            if (member.name == name && !member.is_base_class) return reader_.member(structure, member);
        for (const Member& member : type.members()) {
            if (!member.name.empty() && !member.is_base_class) continue;
            const Type& inner = plain(*member.type);
            if (inner.kind != TypeKind::structure && inner.kind != TypeKind::union_) continue;
            if (auto found = find_member(reader_.member(structure, member), inner, name, depth + 1)) return found;
        }
        return std::nullopt;
    }

    const Type& require_indexable(const Node& node, const Value& base) {
        const Type& type = plain(*base.type);
        if (type.kind != TypeKind::array && type.kind != TypeKind::pointer)
            fail(node, fmt::format("[] needs an array or a pointer, and this is {}", type_text(*base.type)));
        if (plain(target_of(type)).size == 0) fail(node, fmt::format("the elements of {} have no size", type_text(*base.type)), "cast it first");
        return type;
    }

    Value index(const Node& node) {
        Value base = value(*node.children[0]);
        require_indexable(node, base);
        Value position = value(*node.children[1]);
        require_number(*node.children[1], position);
        return reader_.element(base, static_cast<std::int64_t>(reader_.integer(position)));
    }

    Value range(const Node& node) {
        Value base = value(*node.children[0]);
        const Type& element = target_of(require_indexable(node, base));
        std::int64_t first = static_cast<std::int64_t>(reader_.integer(value(*node.children[1])));
        std::int64_t last = static_cast<std::int64_t>(reader_.integer(value(*node.children[2])));
        if (last < first) fail(node, fmt::format("[{}..{}] ends before it begins", first, last));
        std::uint64_t count = static_cast<std::uint64_t>(last) - static_cast<std::uint64_t>(first);
        if (count > kLargestPart) fail(node, fmt::format("[{}..{}] asks for more than {} elements", first, last, kLargestPart));
        Value start = reader_.element(base, first);
        if (!start.address) fail(node, "a part can be taken only of what lives in memory");
        Value part = value_in_memory(array_of(element, count), *start.address);
        part.first_index = first;
        return part;
    }

    Value cast(const Node& node) {
        Value operand = value(*node.children[0]);
        if (plain(*node.type).kind == TypeKind::nothing) fail(node, "void has no value");
        if (!operand.is_available()) fail(node, fmt::format("there is no value: {}", operand.unavailable));
        return converted(operand, *node.type, node.column);
    }

    // ---- arithmetic ----

    void require_number(const Node& node, const Value& operand) {
        if (!is_scalar(*operand.type) && plain(*operand.type).kind != TypeKind::array)
            fail(node, fmt::format("this needs a number, and it is {}", type_text(*operand.type)));
        if (!operand.is_available()) fail(node, fmt::format("there is no value: {}", operand.unavailable));
    }

    Value binary(const Node& node) {
        const std::string& op = node.text;
        if (op == "&&" || op == "||") {
            bool left = reader_.truth(number_operand(*node.children[0]));
            bool decided = op == "&&" ? !left : left;
            return value_of_integer(int_type(), decided ? left : reader_.truth(number_operand(*node.children[1])));
        }
        Value left = value(*node.children[0]), right = value(*node.children[1]);
        if (compares_text(node, left, right)) return compare_text(node, left, right);
        require_number(*node.children[0], left);
        require_number(*node.children[1], right);
        if (is_pointer_like(left) || is_pointer_like(right)) return pointer_arithmetic(op, reader_, left, right);
        const Type& type = op == "<<" || op == ">>" ? promoted(*left.type) : common(*left.type, *right.type);
        if (plain(type).kind == TypeKind::floating) return real_arithmetic(op, type, reader_.floating(left), reader_.floating(right));
        return whole_arithmetic(op, type, reader_.integer(converted(left, type, node.column)),
                                reader_.integer(op == "<<" || op == ">>" ? right : converted(right, type, node.column)));
    }

    Value number_operand(const Node& node) {
        Value operand = value(node);
        require_number(node, operand);
        return operand;
    }

    // name == "Wren" compares the text, which is what anybody who types it means.
    static bool compares_text(const Node& node, const Value& left, const Value& right) {
        bool literal = node.children[0]->kind == NodeKind::string || node.children[1]->kind == NodeKind::string;
        auto is_text = [](const Value& v) {
            const Type& type = plain(*v.type);
            return (type.kind == TypeKind::array || type.kind == TypeKind::pointer) && is_character(target_of(type));
        };
        return literal && (node.text == "==" || node.text == "!=") && is_text(left) && is_text(right);
    }

    std::string text_of(const Value& v) {
        if (plain(*v.type).kind == TypeKind::pointer) {
            auto text = reader_.text_at(reader_.pointed_at(v), 64 * 1024);
            if (!text.readable) throw MemoryError(fmt::format("nothing can be read at address {:#x}", reader_.pointed_at(v).value));
            return text.bytes;
        }
        auto bytes = reader_.content(v);
        const char* start = reinterpret_cast<const char*>(bytes.data());
        return std::string(start, strnlen(start, bytes.size()));
    }

    Value compare_text(const Node& node, const Value& left, const Value& right) {
        bool same = text_of(left) == text_of(right);
        return value_of_integer(int_type(), node.text == "==" ? same : !same);
    }

    const EvaluationContext& context_;
    ValueReader reader_;
};

TypeFinder type_finder(const EvaluationContext& context) {
    return [&context](const std::string& name) -> const Type* {
        // A variable of that name wins over a type: `(level)` is brackets around a variable.
        if (context.frame)
            for (const VisibleVariable& visible : visible_variables(*context.frame))
                if (visible.variable->name == name) return nullptr;
        return find_type(*context.target, name);
    };
}

}  // namespace

Value evaluate(std::string_view text, const EvaluationContext& context) {
    auto tree = parse_expression(text, type_finder(context));
    return Evaluator(context).value(*tree);
}

Value assign(std::string_view left, std::string_view right, const EvaluationContext& context) {
    auto finder = type_finder(context);
    auto place_tree = parse_expression(left, finder);
    auto value_tree = parse_expression(right, finder);
    Evaluator evaluator(context);
    Value place = evaluator.value(*place_tree);
    if (!place.is_available()) throw ExpressionError(fmt::format("it cannot be changed: {}", place.unavailable), 1);
    if (!place.address && !place.in_register)
        throw ExpressionError("only something that lives in memory or in a register can be changed", 1, "name a variable, an element, a member or *POINTER");
    ValueReader reader(*context.target);
    Value given = evaluator.value(*value_tree);
    if (!given.is_available()) throw ExpressionError(fmt::format("the new value is not available: {}", given.unavailable), 1);
    bool text = value_tree->kind == NodeKind::string && is_character_array(*place.type);
    if (text) {
        // Text goes into a character array with its terminator; what lies behind stays.
        std::vector<std::byte> bytes = reader.content(given);
        if (bytes.size() > plain(*place.type).size)
            throw ExpressionError(fmt::format("the text and its terminator need {} bytes, and {} has {}", bytes.size(),
                                              std::string(trimmed(left)), plain(*place.type).size), 1);
        write_value(*context.target, context.thread, place, bytes);
        return place;
    }
    Value converted = evaluator.converted(given, *place.type, 1);
    write_value(*context.target, context.thread, place, reader.content(converted));
    if (place.in_register) {
        place.bytes = reader.content(converted);
    }
    return place;
}

}  // namespace lantern
