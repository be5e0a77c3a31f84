#include "core/analysis/doubtful_names.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/analysis/value_report.h"
#include "core/expressions/evaluator.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern {
namespace {

constexpr std::size_t kMostTold = 2;

// "lock.level" of a tree that is such a path; empty: it is none.
std::string path_of(const Node& node) {
    if (node.kind == NodeKind::name)
        return node.chosen.empty() ? node.text : node.text + "#" + node.chosen;
    if (node.kind != NodeKind::member) return {};
    std::string whole = path_of(*node.children[0]);
    return whole.empty() ? whole : whole + "." + node.text;
}

bool reads_nothing(const Node& node) {
    switch (node.kind) {
        case NodeKind::size_of_value:
        case NodeKind::size_of_type:
        case NodeKind::align_of_value:
        case NodeKind::align_of_type: return true;
        case NodeKind::unary:
            return node.op == Operator::address && !path_of(*node.children[0]).empty();
        default: return false;
    }
}

void add_paths(const Node& node, std::vector<std::string>& paths) {
    if (reads_nothing(node)) return;
    std::string path = path_of(node);
    if (path.empty()) {
        for (const auto& child : node.children)
            if (child) add_paths(*child, paths);
    } else if (std::ranges::find(paths, path) == paths.end()) {
        paths.push_back(path);
    }
}

std::string doubt_about_path(const Moment& moment, const std::string& path) {
    EvaluationContext context = moment.context();
    context.call = nullptr;
    try {
        ValueView view = view_of_value(moment, path, evaluate(path, context), Form::natural,
                                       moment.view_limits());
        std::string doubt = first_doubt(view);
        if (doubt.empty()) doubt = remark_on_assignment(view.assignment);
        return doubt.empty() ? doubt : path + ": " + doubt;
    } catch (const Error&) {  // a function, a type, or what has no value
        return {};
    }
}

std::string doubt_about(const Moment& moment, const Node& tree) {
    std::vector<std::string> paths, told;
    add_paths(tree, paths);
    for (const std::string& path : paths)
        if (std::string doubt = told.size() < kMostTold ? doubt_about_path(moment, path) : "";
            !doubt.empty())
            told.push_back(std::move(doubt));
    return fmt::format("{}", fmt::join(told, "; "));
}

std::shared_ptr<const Expression> read_here(const Moment& moment, const std::string& expression) {
    const Frame* frame = moment.selected_frame();
    if (!frame || !frame->function) return nullptr;
    try {
        return std::make_shared<Expression>(expression, moment.context());
    } catch (const Error&) {
        return nullptr;
    }
}

}  // namespace

std::string doubt_of_what_is_read(const Moment& moment, const std::string& expression) {
    auto read = read_here(moment, expression);
    return read ? doubt_about(moment, read->tree()) : "";
}

std::string doubt_from_names(const Moment& moment, const std::string& expression) {
    auto read = read_here(moment, expression);
    bool is_name = read && path_of(read->tree()) == trimmed(expression);
    return read && !is_name ? doubt_about(moment, read->tree()) : "";
}

}  // namespace lantern
