// A value's tree in one line, and what differs between two of them (see value_view.h).
#include <fmt/format.h>

#include <algorithm>

#include "core/values/value_view.h"

namespace lantern {
namespace {

bool same_content(const ValueView& a, const ValueView& b) {
    return a.text == b.text && a.unavailable == b.unavailable && a.broken == b.broken &&
           a.more == b.more && a.children.size() == b.children.size() &&
           std::equal(a.children.begin(), a.children.end(), b.children.begin(),
                      [](const ValueView& x, const ValueView& y) {
                          return x.name == y.name && same_content(x, y);
                      });
}

// Where only some of the ways here set a part that was not set, the same bytes most likely mean
// that none of them was taken.
bool is_no_change(const ValueView& before, const ValueView& after) {
    if (is_unset(before.assignment) && after.assignment == Assignment::assigned) return false;
    return same_content(before, after);
}

bool is_named(Arrangement arrangement) {
    return arrangement == Arrangement::fields || arrangement == Arrangement::pairs;
}

void append_line(const ValueView& view, std::size_t longest, std::string& out);

void append_children(const ValueView& view, std::size_t longest, std::string& out) {
    bool named = is_named(view.arrangement);
    if (view.first) out += fmt::format("{} before …, ", view.first);
    for (std::size_t i = 0; i < view.children.size();) {
        if (i) out += ", ";
        if (out.size() > longest) {
            out += "…";
            return;
        }
        const ValueView& child = view.children[i];
        std::size_t same = i + 1;
        while (view.is_list() && same < view.children.size() &&
               same_content(child, view.children[same]))
            ++same;
        if (named && !child.name.empty()) out += child.name + " = ";
        if (is_unset(child.assignment))
            out += word_for_unset(child);
        else
            append_line(child, longest, out);
        bool fold = same - i >= 4;
        if (fold) out += fmt::format(" × {}", same - i);
        i = fold ? same : i + 1;
    }
    if (view.more) out += fmt::format("{}… {} more", view.children.empty() ? "" : ", ", view.more);
}

void append_line(const ValueView& view, std::size_t longest, std::string& out) {
    if (out.size() > longest) {
        out += "…";
        return;
    }
    if (!view.unavailable.empty()) {
        out += "(" + view.unavailable + ")";
        return;
    }
    out += view.text;
    if (view.has_children() && view.arrangement == Arrangement::target) {
        out += view.text.empty() ? "→ " : " → ";
        if (view.children.empty())
            out += "…";
        else
            append_line(view.children[0], longest, out);
    } else if (view.has_children()) {
        bool tuple = view.arrangement == Arrangement::tuple;
        out += tuple ? "(" : view.text.empty() ? "{" : " {";
        append_children(view, longest, out);
        out += tuple ? ")" : "}";
    }
    if (!view.broken.empty())
        out += fmt::format("{}(broken: {})", out.empty() ? "" : " ", view.broken);
}

void collect_changes(const std::string& path, const ValueView& before, const ValueView& after,
                     std::size_t limit, std::vector<ViewChange>& out) {
    // What is not set may hold other garbage each time.
    if (out.size() > limit || is_unset(after.assignment)) return;
    bool comparable =
        !is_unset(before.assignment) && before.text == after.text &&
        before.broken == after.broken && before.has_children() && after.has_children() &&
        before.children.size() == after.children.size() &&
        std::equal(before.children.begin(), before.children.end(), after.children.begin(),
                   [](const ValueView& a, const ValueView& b) { return a.name == b.name; });
    auto shown = [](const ValueView& view) {
        return is_unset(view.assignment) ? word_for_unset(view) : one_line(view, 80);
    };
    if (!comparable) {
        if (is_no_change(before, after)) return;
        out.push_back({path, shown(before), shown(after)});
        return;
    }
    for (std::size_t i = 0; i < after.children.size(); ++i) {
        const std::string& name = after.children[i].name;
        std::string inner = name.empty() || name.starts_with("[") ? path + name : path + "." + name;
        collect_changes(inner, before.children[i], after.children[i], limit, out);
    }
}

}  // namespace

std::string word_for_unset(const ValueView& part) {
    return part.assignment == Assignment::not_yet ? "(not set)" : "(not stored)";
}

std::string one_line(const ValueView& view, std::size_t longest) {
    std::string out;
    append_line(view, longest, out);
    return out;
}

std::vector<ViewChange> changes_between(const ValueView& before, const ValueView& after,
                                        std::size_t limit) {
    std::vector<ViewChange> out;
    collect_changes(after.name, before, after, limit, out);
    return out;
}

}  // namespace lantern
