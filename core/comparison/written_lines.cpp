#include "core/comparison/written_lines.h"

namespace lantern {

std::map<std::uint64_t, std::vector<WrittenLine>> written_lines(const Walk& walk) {
    std::map<std::uint64_t, std::vector<WrittenLine>> lines;
    for (std::uint32_t i = 0; i < walk.events.size(); ++i) {
        if (walk.events[i].kind != WalkEvent::Kind::written) continue;
        auto values = walk.values_of(walk.events[i]);
        auto& of = lines[values[0].bits];
        for (char each : walk.texts[values[1].text]) {
            if (of.empty() || of.back().text.ends_with('\n')) of.push_back({"", i});
            of.back().text += each;
        }
    }
    return lines;
}

}  // namespace lantern
