#include "cli/protocol/kept_breakpoints.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>

#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

// The frame that a watched expression was asked for in is selected, where it still is there.
void select_frame_of(Session& session, const FrameMeant& meant) {
    constexpr unsigned kDeepest = 200;
    if (!meant.address || session.is_moving() || !session.is_running()) return;
    if (session.thread_number() != meant.thread) session.select_thread(meant.thread);
    for (unsigned level = 0; level < kDeepest; ++level) {
        const Frame* frame = session.stack().frame(level);
        if (!frame) break;
        if (frame_meant(session, *frame) == meant) return session.select_frame(level);
    }
    throw RequestError("the frame that it is of has been left");
}

void add_to_session(Session& session, KeptBreakpoint& kept) {
    kept.problem.clear();
    kept.may_come = false;
    if (!kept.is_place_known) return;
    unsigned thread = session.has_threads() ? session.thread_number() : 0;
    unsigned level = session.selected_level();
    try {
        select_frame_of(session, kept.frame);
        kept.number = session.add_breakpoint(kept.wish).number;
    } catch (const ExpressionError& error) {  // of the condition, or of what is watched
        kept.problem = error.what();
        kept.may_come = kept.wish.is_watch();
    } catch (const Error& error) {
        kept.problem = error.what();
        kept.may_come = kept.wish.is_watch();
        // A library that is still to come may bring the place.
        if (!kept.wish.is_watch()) kept.number = session.add_breakpoint(kept.wish, true).number;
    }
    if (!kept.frame.address || session.is_moving() || !session.is_running()) return;
    if (session.thread_number() != thread) session.select_thread(thread);
    session.select_frame(level);
}

void try_to_add(Session& session, KeptBreakpoint& kept) {
    try {
        add_to_session(session, kept);
    } catch (const Error& error) {
        kept.problem = error.what();
    }
}

bool is_set_in(const Session& session, unsigned number) {
    return std::ranges::any_of(session.breakpoints(),
                               [&](const Breakpoint& each) { return each.number == number; });
}

void drop_from(Session& session, unsigned number) {
    if (number && is_set_in(session, number)) session.drop_breakpoint(number);
}

}  // namespace

FrameMeant frame_meant(Session& session, const Frame& frame) {
    FrameMeant meant;
    meant.thread = session.thread_number();
    if (!frame.call_frame_address) return meant;
    meant.address = frame.call_frame_address->value;
    if (frame.function && frame.function->has_code()) meant.function = frame.function->low().value;
    for (unsigned level = frame.level + 1; const Frame* outer = session.stack().frame(level);
         ++level) {
        if (outer->call_frame_address != frame.call_frame_address) break;
        ++meant.inside;
    }
    return meant;
}

const std::vector<KeptBreakpoint>& KeptBreakpoints::replace(const std::string& group,
                                                            std::vector<KeptBreakpoint> wanted,
                                                            Session* session) {
    std::vector<KeptBreakpoint> before = std::exchange(groups_[group], {});
    for (KeptBreakpoint& each : wanted) {
        auto same = std::ranges::find_if(before, [&](const KeptBreakpoint& old) {
            return old.id && old.asked == each.asked && (old.number || !session);
        });
        if (same == before.end()) continue;
        each = std::move(*same);
        same->id = 0;
        same->number = 0;
    }
    if (session)
        for (const KeptBreakpoint& old : before) drop_from(*session, old.number);
    for (KeptBreakpoint& each : wanted) {
        if (!each.id) each.id = next_id_++;
        if (session && !each.number) try_to_add(*session, each);
    }
    return groups_[group] = std::move(wanted);
}

void KeptBreakpoints::set_up(Session& session) {
    for (auto& [group, all] : groups_)
        for (KeptBreakpoint& each : all) {
            if (each.number && !is_set_in(session, each.number)) each.number = 0;
            bool is_new = !each.number && each.problem.empty();
            if (is_new || (!each.number && each.may_come)) try_to_add(session, each);
        }
}

const KeptBreakpoint& KeptBreakpoints::adopt(const std::string& group, KeptBreakpoint kept) {
    kept.id = next_id_++;
    return groups_[group].emplace_back(std::move(kept));
}

std::vector<int> KeptBreakpoints::forget_dropped(const Session& session) {
    std::vector<int> ids;
    for (auto& [group, all] : groups_)
        std::erase_if(all, [&](const KeptBreakpoint& each) {
            bool is_dropped = each.number && !is_set_in(session, each.number);
            if (is_dropped) ids.push_back(each.id);
            return is_dropped;
        });
    return ids;
}

const KeptBreakpoint* KeptBreakpoints::numbered(unsigned number) const {
    for (const auto& [group, all] : groups_)
        for (const KeptBreakpoint& each : all)
            if (each.number == number) return &each;
    return nullptr;
}

void take_hit_condition(const std::string& text, BreakpointWish& wish) {
    std::string_view rest = trimmed(text);
    if (rest.empty()) return;
    std::string_view sign;
    for (std::string_view each : {">=", "==", ">", "%", "="})
        if (rest.starts_with(each)) {
            sign = each;
            rest = trimmed(rest.substr(each.size()));
            break;
        }
    std::uint64_t number = 0;
    auto [end, error] = std::from_chars(rest.data(), rest.data() + rest.size(), number);
    bool is_number = !rest.empty() && error == std::errc() && end == rest.data() + rest.size();
    if (!is_number || (number == 0 && sign != ">"))
        throw RequestError(fmt::format("the hit condition {} is none", quote(text)),
                           "5 or >= 5: from the fifth hit on; == 5: only the fifth; > 5: from the "
                           "sixth on; % 5: each fifth");
    if (sign == "%")
        wish.every = number;
    else
        wish.after = sign == ">" ? number : number - 1;
    wish.once = sign == "==" || sign == "=";
}

std::string take_message(const std::string& text, BreakpointWish& wish) {
    std::string message;
    for (std::size_t i = 0; i < text.size(); ++i) {
        bool is_double = i + 1 < text.size() && text[i + 1] == text[i];
        bool is_brace = text[i] == '{' || text[i] == '}';
        if (is_brace && is_double) {
            message += text[i++];
            message += message.back();
            continue;
        }
        if (text[i] != '{') {
            message += text[i];
            if (text[i] == '}') message += '}';
            continue;
        }
        // Braces may stand in the expression too: a structure of Rust.
        int depth = 1;
        std::size_t end = i + 1;
        while (end < text.size() && (depth += text[end] == '{' ? 1 : text[end] == '}' ? -1 : 0))
            ++end;
        std::string expression(trimmed(std::string_view(text).substr(i + 1, end - i - 1)));
        if (end == text.size() || expression.empty())
            throw RequestError("a brace of the message has no expression in it, or does not end",
                               "level is {level_cm}; {{ stands for a brace");
        wish.noted.push_back(std::move(expression));
        message += "{}";
        i = end;
    }
    if (wish.noted.empty()) wish.noted.emplace_back("1");  // it is met, and that is all
    return message;
}

std::string message_with(const KeptBreakpoint& kept, const NoteRow& row) {
    std::string out;
    std::size_t next = 0;
    const std::string& text = kept.message;
    for (std::size_t i = 0; i < text.size(); ++i) {
        std::string_view two = std::string_view(text).substr(i, 2);
        if (two == "{{" || two == "}}") {
            out += text[i++];
        } else if (two == "{}") {
            bool has_value =
                next < row.values.size() && row.values[next] != NotedValue(std::monostate{});
            out += has_value ? noted_text(row.values[next]) : "(no value)";
            ++next;
            ++i;
        } else {
            out += text[i];
        }
    }
    return out;
}

}  // namespace lantern::cli
