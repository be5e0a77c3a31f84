#include "core/code/kept_code.h"

namespace lantern {

ByteSpan KeptCode::bytes_of(std::uint32_t node) const {
    const FlowGraph::Node& of = flow_.nodes()[node];
    return symbols_.elf().loaded_bytes(of.address, of.length);
}

const Ways& KeptCode::ways_back() {
    if (!ways_back_) ways_back_ = lantern::ways_back(flow_);
    return *ways_back_;
}

const Blocks& KeptCode::blocks() {
    if (!blocks_) blocks_.emplace(flow_);
    return *blocks_;
}

const JoinedRows& KeptCode::joined_rows() {
    if (!joined_rows_) joined_rows_.emplace(flow_, symbols_.positions_of(function_));
    return *joined_rows_;
}

const JumpedPast& KeptCode::jumped_past() {
    if (!jumped_past_)
        jumped_past_.emplace(flow_, symbols_.positions_of(function_), symbols_.body_of(function_));
    return *jumped_past_;
}

std::shared_ptr<const FrameSlots> KeptCode::slots() {
    constexpr std::size_t kLarge = 2000;  // instructions
    if (slots_) return slots_;
    auto made = std::make_shared<const FrameSlots>(blocks(), symbols_);
    if (flow_.nodes().size() > kLarge) slots_ = made;
    return made;
}

const std::vector<std::optional<RegisterEffects>>& KeptCode::effects() {
    if (effects_.size() == flow_.nodes().size()) return effects_;
    effects_.reserve(flow_.nodes().size());
    for (std::uint32_t node = 0; node < flow_.nodes().size(); ++node)
        effects_.push_back(register_effects_of(bytes_of(node)));
    return effects_;
}

KeptCode& kept_code(const ModuleSymbols& symbols, const Function& function) {
    std::shared_ptr<void>& kept = symbols.kept_with(function);
    if (!kept) kept = std::make_shared<KeptCode>(symbols, function);
    return *static_cast<KeptCode*>(kept.get());
}

}  // namespace lantern
