// The words that stand for enumerations in JSON and in its schema: of each, all words by their
// value, the last one last.
#pragma once

#include <string_view>

#include "cli/views/reports.h"

namespace lantern::cli {

template <class Enum>
struct Words;  // `of(value)` is its word; `last` is the last value

template <class Enum, Enum kLast>
struct WordsTo {
    static constexpr Enum last = kLast;
};

template <>
struct Words<StopReason> : WordsTo<StopReason, StopReason::killed> {
    static std::string_view of(StopReason reason) {
        static constexpr std::string_view kWords[] = {
            "none",       "attached", "released",    "selected", "kept",     "launched",
            "breakpoint", "event",    "watch-ended", "stepped",  "diverted", "returned",
            "reached",    "signal",   "paused",      "replaced", "exited",   "killed"};
        static_assert(std::size(kWords) == static_cast<std::size_t>(last) + 1);
        return kWords[static_cast<std::size_t>(reason)];
    }
};

template <>
struct Words<Parting::Kind> : WordsTo<Parting::Kind, Parting::Kind::end> {
    static std::string_view of(Parting::Kind kind) {
        static constexpr std::string_view kWords[] = {"none", "value", "way", "written", "end"};
        static_assert(std::size(kWords) == static_cast<std::size_t>(last) + 1);
        return kWords[static_cast<std::size_t>(kind)];
    }
};

template <>
struct Words<PointerState> : WordsTo<PointerState, PointerState::cut> {
    static std::string_view of(PointerState state) {
        static constexpr std::string_view kWords[] = {"no-pointer", "leads",     "null", "nowhere",
                                                      "freed",      "too-small", "cut"};
        static_assert(std::size(kWords) == static_cast<std::size_t>(last) + 1);
        return kWords[static_cast<std::size_t>(state)];
    }
};

template <>
struct Words<BoxChange> : WordsTo<BoxChange, BoxChange::gone> {
    static std::string_view of(BoxChange change) {
        static constexpr std::string_view kWords[] = {"same", "new", "changed", "gone"};
        static_assert(std::size(kWords) == static_cast<std::size_t>(last) + 1);
        return kWords[static_cast<std::size_t>(change)];
    }
};

template <>
struct Words<StructureShape> : WordsTo<StructureShape, StructureShape::graph> {
    static std::string_view of(StructureShape shape) {
        static constexpr std::string_view kWords[] = {"single", "chain", "tree", "graph"};
        static_assert(std::size(kWords) == static_cast<std::size_t>(last) + 1);
        return kWords[static_cast<std::size_t>(shape)];
    }
};

template <>
struct Words<Certainty> : WordsTo<Certainty, Certainty::guess> {
    static std::string_view of(Certainty certainty) {
        static constexpr std::string_view kWords[] = {"certain", "likely", "guess"};
        static_assert(std::size(kWords) == static_cast<std::size_t>(last) + 1);
        return kWords[static_cast<std::size_t>(certainty)];
    }
};

template <>
struct Words<BecameFact::Ground> : WordsTo<BecameFact::Ground, BecameFact::Ground::possible> {
    static std::string_view of(BecameFact::Ground ground) {
        static constexpr std::string_view kWords[] = {"seen", "said", "possible"};
        static_assert(std::size(kWords) == static_cast<std::size_t>(last) + 1);
        return kWords[static_cast<std::size_t>(ground)];
    }
};

template <>
struct Words<FrameOrigin> : WordsTo<FrameOrigin, FrameOrigin::one_of_tail_calls> {
    static std::string_view of(FrameOrigin origin) {
        static constexpr std::string_view kWords[] = {"registers",     "call-frame-information",
                                                      "frame-pointer", "return-address",
                                                      "inlined",       "stack-scan",
                                                      "tail-call",     "one-of-tail-calls"};
        static_assert(std::size(kWords) == static_cast<std::size_t>(last) + 1);
        return kWords[static_cast<std::size_t>(origin)];
    }
};

template <>
struct Words<Assignment> : WordsTo<Assignment, Assignment::not_stored> {
    static std::string_view of(Assignment assignment) {
        static constexpr std::string_view kWords[] = {"unknown", "yes", "not-yet", "on-some-paths",
                                                      "not-stored"};
        static_assert(std::size(kWords) == static_cast<std::size_t>(last) + 1);
        return kWords[static_cast<std::size_t>(assignment)];
    }
};

template <>
struct Words<Arrangement> : WordsTo<Arrangement, Arrangement::target> {
    static std::string_view of(Arrangement arrangement) {
        static constexpr std::string_view kWords[] = {"fields", "elements", "pairs", "tuple",
                                                      "target"};
        static_assert(std::size(kWords) == static_cast<std::size_t>(last) + 1);
        return kWords[static_cast<std::size_t>(arrangement)];
    }
};

template <>
struct Words<LineState> : WordsTo<LineState, LineState::fails> {
    static std::string_view of(LineState state) {
        static constexpr std::string_view kWords[] = {"next", "begun", "waiting", "left", "fails"};
        static_assert(std::size(kWords) == static_cast<std::size_t>(last) + 1);
        return kWords[static_cast<std::size_t>(state)];
    }
};

template <>
struct Words<SignalRule> : WordsTo<SignalRule, SignalRule::pause> {
    static std::string_view of(SignalRule rule) {
        static constexpr std::string_view kWords[] = {"natural", "pass", "swallow", "pause"};
        static_assert(std::size(kWords) == static_cast<std::size_t>(last) + 1);
        return kWords[static_cast<std::size_t>(rule)];
    }
};

template <>
struct Words<TypeRow::Kind> : WordsTo<TypeRow::Kind, TypeRow::Kind::discriminant> {
    static std::string_view of(TypeRow::Kind kind) {
        static constexpr std::string_view kWords[] = {
            "member", "base",    "virtual-base", "vtable-pointer",
            "static", "padding", "variant",      "discriminant"};
        static_assert(std::size(kWords) == static_cast<std::size_t>(last) + 1);
        return kWords[static_cast<std::size_t>(kind)];
    }
};

template <>
struct Words<SourceState> : WordsTo<SourceState, SourceState::different> {
    static std::string_view of(SourceState state) {
        static constexpr std::string_view kWords[] = {"good", "missing", "newer", "different"};
        static_assert(std::size(kWords) == static_cast<std::size_t>(last) + 1);
        return kWords[static_cast<std::size_t>(state)];
    }
};

template <>
struct Words<BreakpointRow::Watch::By>
    : WordsTo<BreakpointRow::Watch::By, BreakpointRow::Watch::By::steps> {
    static std::string_view of(BreakpointRow::Watch::By by) {
        static constexpr std::string_view kWords[] = {"debug-registers", "pages", "steps"};
        static_assert(std::size(kWords) == static_cast<std::size_t>(last) + 1);
        return kWords[static_cast<std::size_t>(by)];
    }
};

template <>
struct Words<Notice::Kind> : WordsTo<Notice::Kind, Notice::Kind::warning> {
    static std::string_view of(Notice::Kind kind) {
        return kind == Notice::Kind::warning ? "warning" : "done";
    }
};

template <>
struct Words<Cause> : WordsTo<Cause, Cause::sanitizer> {
    static std::string_view of(Cause cause) { return cause_word(cause); }
};

template <>
struct Words<Touched> : WordsTo<Touched, Touched::unsure> {
    static std::string_view of(Touched touched) { return touched_word(touched); }
};

template <>
struct Words<RegisterGroup> : WordsTo<RegisterGroup, RegisterGroup::debug> {
    static std::string_view of(RegisterGroup group) { return group_word(group); }
};

template <>
struct Words<WordKind> : WordsTo<WordKind, WordKind::unreadable> {
    static std::string_view of(WordKind kind) { return word_of(kind); }
};

}  // namespace lantern::cli
