#include "core/code/loop_shape.h"

#include <map>
#include <set>

#include "core/machine/operation.h"

namespace lantern {
namespace {

class LoopReader {
  public:
    LoopReader(const FunctionCode& code, std::uint32_t number)
        : code_(code), loop_(code.blocks.loops()[number]) {
        shape_.loop = number;
    }

    LoopShape read() {
        find_steps();
        for_each_node([&](std::uint32_t node) { read_node(node); });
        for (const Blocks::Loop& other : code_.blocks.loops())
            if (other.outer == shape_.loop) shape_.is_innermost = false;
        if (lanes_.size() == 1) shape_.lane_size = *lanes_.begin();
        return std::move(shape_);
    }

  private:
    template <class Use>
    void for_each_node(const Use& use) {
        for (std::uint32_t number : loop_.blocks) {
            const Blocks::Block& block = code_.blocks.all()[number];
            for (std::uint32_t node = block.first; node < block.end; ++node) use(node);
        }
    }

    // Every way around the loop goes through the block.
    bool is_passed_each_time(std::uint32_t block) const {
        for (std::uint32_t before : code_.blocks.all()[loop_.head].from) {
            bool leads_back = code_.blocks.dominates(loop_.head, before);
            if (leads_back && !code_.blocks.dominates(block, before)) return false;
        }
        return true;
    }

    // Of each register that is written in the loop: how far it moves in a pass, where steps are all
    // that happens to it, and all of them happen in each pass.
    void find_steps() {
        for_each_node([&](std::uint32_t node) {
            auto operation = operation_of(code_.bytes(node));
            bool each_time = is_passed_each_time(code_.blocks.of_node(node));
            RegisterSet writes = code_.data.effects_of(node).writes;
            for (unsigned number = 0; number < kFirstVectorRegister; ++number) {
                if (!writes.has(number)) continue;
                bool steps = operation && operation->step && each_time &&
                             operation->step->dwarf_number == number;
                if (steps)
                    steps_[number] += operation->step->amount;
                else
                    otherwise_.insert(number);
            }
        });
    }

    // Nothing: it moves in a way that is not known.
    std::optional<std::int64_t> step_of(std::optional<unsigned> number) const {
        if (!number || *number == kProgramCounterNumber) return 0;
        if (otherwise_.count(*number)) return std::nullopt;
        auto found = steps_.find(*number);
        return found == steps_.end() ? 0 : found->second;
    }

    void read_node(std::uint32_t node) {
        if (code_.node(node).is_filler) return;
        if (auto operation = operation_of(code_.bytes(node)); operation && operation->vector_size) {
            shape_.vector_size = std::max(shape_.vector_size, operation->vector_size);
            if (operation->lane_size) lanes_.insert(operation->lane_size);
            shape_.of_whole_numbers |= operation->of_whole_numbers;
        }
        const Effects* effects = code_.slots.effects_of(node);
        if (!effects) return;
        for (const MemoryAccess& access : effects->memory) {
            if (access.is_implied) continue;
            auto base = step_of(access.base), index = step_of(access.index);
            std::int64_t step = base && index && !access.has_other_registers
                                    ? *base + *index * static_cast<std::int64_t>(access.scale)
                                    : 0;
            shape_.accesses.push_back({step, access.size});
        }
    }

    const FunctionCode& code_;
    const Blocks::Loop& loop_;
    LoopShape shape_;
    std::map<unsigned, std::int64_t> steps_;
    std::set<unsigned> otherwise_, lanes_;
};

}  // namespace

std::vector<LoopShape> shapes_of_loops(const FunctionCode& code) {
    std::vector<LoopShape> shapes;
    for (std::uint32_t i = 0; i < code.blocks.loops().size(); ++i)
        shapes.push_back(LoopReader(code, i).read());
    return shapes;
}

}  // namespace lantern
