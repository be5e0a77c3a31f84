#include "core/session/block_counts.h"

#include <utility>

namespace lantern {
namespace {

void count(BlockCounts::Runs& runs) {
    ++runs.all;
    ++runs.on_the_way;
}

void roll(BlockCounts::Runs& runs) {
    runs.since_last_stop = std::exchange(runs.on_the_way, 0);
}

template <class Key>
BlockCounts::Runs found(const std::map<Key, BlockCounts::Runs>& all, const Key& key) {
    auto at = all.find(key);
    return at == all.end() ? BlockCounts::Runs{} : at->second;
}

}  // namespace

void BlockCounts::add(RunAddress block, ThreadId thread, RunAddress frame) {
    count(blocks_[block]);
    auto [last, is_first] = last_.try_emplace({thread, frame}, block);
    if (!is_first) count(ways_[{last->second, block}]);
    last->second = block;
}

void BlockCounts::stopped() {
    for (auto& [block, runs] : blocks_) roll(runs);
    for (auto& [way, runs] : ways_) roll(runs);
}

BlockCounts::Runs BlockCounts::of_block(RunAddress block) const {
    return found(blocks_, block);
}

BlockCounts::Runs BlockCounts::of_way(RunAddress from, RunAddress to) const {
    return found(ways_, std::pair(from, to));
}

}  // namespace lantern
