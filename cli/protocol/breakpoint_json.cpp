#include "cli/protocol/breakpoint_json.h"

#include <fmt/format.h>

#include <algorithm>
#include <ctime>
#include <filesystem>

#include "cli/protocol/request.h"

namespace lantern::cli {
namespace {

const Breakpoint* in_session(const Session& session, unsigned number) {
    auto found = std::ranges::find(session.breakpoints(), number, &Breakpoint::number);
    return found == session.breakpoints().end() ? nullptr : &*found;
}

// Where it stands, as far as that is one place.
void add_place(Conversation& conversation, const Breakpoint& set, Json& json) {
    if (set.sites.empty()) return;
    const Breakpoint::Site& first = set.sites.front();
    if (!first.code.file.empty()) {
        json["source"] = source_json(conversation, first.code.file);
        json["line"] = conversation.client.line_out(first.code.line);
    }
    json["instructionReference"] = reference_to(first.address);
}

std::string remark(const KeptBreakpoint& kept, const Breakpoint* set, bool verified) {
    if (!verified && !kept.problem.empty()) return kept.problem;
    std::string text;
    if (kept.asked_line && kept.asked_line != kept.wish.place.line)
        text = fmt::format("line {} has no code; line {} is the next that has", kept.asked_line,
                           kept.wish.place.line);
    if (set && set->sites.size() > 1)
        text += fmt::format("{}it stands at {} places in the code", text.empty() ? "" : "; ",
                            set->sites.size());
    if (set && !set->counts->problem.empty())
        text += (text.empty() ? "" : "; ") + set->counts->problem;
    return text;
}

}  // namespace

bool is_verified(const Session& session, const KeptBreakpoint& kept) {
    const Breakpoint* set = kept.number ? in_session(session, kept.number) : nullptr;
    return set && (!set->has_sites() || !set->sites.empty());
}

Json breakpoint_json(Conversation& conversation, const KeptBreakpoint& kept) {
    const Breakpoint* set = nullptr;
    bool verified = false;
    if (conversation.has_session()) {
        set = kept.number ? in_session(conversation.session(), kept.number) : nullptr;
        verified = is_verified(conversation.session(), kept);
    }
    Json json{{"id", kept.id}, {"verified", verified}};
    if (set) add_place(conversation, *set, json);
    if (!json.contains("line") && kept.asked_line)
        json["line"] = conversation.client.line_out(kept.asked_line);
    std::string text = remark(kept, set, verified);
    if (!verified) {
        bool may_be_later =
            kept.is_place_known && (!conversation.has_session() || set || kept.may_come);
        if (text.empty() && !conversation.has_session()) text = "nothing is debugged yet";
        json["reason"] = may_be_later ? "pending" : "failed";
    }
    if (!text.empty()) json["message"] = text;
    return json;
}

Json module_json(Conversation& conversation, const Module& module) {
    const ModuleSymbols& symbols = module.symbols();
    bool has_symbols = symbols.has_debug_information();
    Json json{{"id", module.path()},
              {"name", std::filesystem::path(module.path()).filename().string()},
              {"path", module.path()},
              {"isUserCode", !conversation.session().libraries().is_library(module)},
              {"symbolStatus", has_symbols ? "debug information" : "no debug information"}};
    if (has_symbols) {
        std::string from = symbols.files().dwarf_file().path().string();
        json["symbolFilePath"] = from;
    }
    std::uint64_t low = ~std::uint64_t{0}, high = 0;
    for (const Segment& segment : symbols.elf().segments()) {
        low = std::min(low, module.to_run(segment.range.low).value);
        high = std::max(high, module.to_run(segment.range.low).value + segment.range.size());
    }
    if (low < high) json["addressRange"] = fmt::format("{:#x}-{:#x}", low, high);
    return json;
}

}  // namespace lantern::cli
