// The flow graph of a function with the lines of its source.
#include <fmt/format.h>

#include <algorithm>

#include "core/analysis/became_report.h"
#include "core/analysis/figure_caption.h"
#include "core/analysis/process_drawing.h"
#include "core/code/blocks.h"
#include "core/support/text.h"

namespace lantern {
namespace {

class CodeDrawer {
  public:
    CodeDrawer(const Moment& moment, const CodeWanted& wanted)
        : moment_(moment),
          module_(*wanted.module),
          function_(*wanted.function),
          flow_(module_.symbols(), function_),
          blocks_(flow_) {}

    CodeDrawing draw() {
        CodeDrawing drawing;
        drawing.function = function_.name;
        drawing.caption = caption_of(moment_);
        find_counter();
        if (counter_) drawing.counted_by = counter_->number;
        number_blocks();
        leave_out_what_has_not_run(drawing);
        for (std::uint32_t block : shown_) drawing.blocks.push_back(block_of(block));
        for (std::size_t i = 0; i < shown_.size(); ++i) add_ways(i, drawing.ways);
        return drawing;
    }

  private:
    // What only fills the space between functions is left out.
    void number_blocks() {
        place_.assign(blocks_.all().size(), kNotShown);
        for (std::uint32_t i = 0; i < blocks_.all().size(); ++i) {
            const auto& block = blocks_.all()[i];
            bool is_filler = true;
            for (std::uint32_t node = block.first; node < block.end; ++node)
                is_filler = is_filler && flow_.nodes()[node].is_filler;
            if (is_filler && !block.is_reached) continue;
            place_[i] = shown_.size();
            shown_.push_back(i);
        }
    }

    void leave_out_what_has_not_run(CodeDrawing& drawing) {
        constexpr std::size_t kLarge = 150;
        if (!counter_ || shown_.size() <= kLarge) return;
        std::vector<std::uint32_t> ran;
        for (std::uint32_t block : shown_) {
            RunAddress begin = module_.to_run(flow_.nodes()[blocks_.all()[block].first].address);
            bool has_run = counter_->counts->blocks.of_block(begin).all > 0;
            place_[block] = has_run ? ran.size() : kNotShown;
            if (has_run) ran.push_back(block);
        }
        drawing.blocks_left_out = shown_.size() - ran.size();
        shown_ = std::move(ran);
    }

    CodeDrawing::Block block_of(std::uint32_t number) {
        const auto& block = blocks_.all()[number];
        CodeDrawing::Block drawn;
        FileAddress begin = flow_.nodes()[block.first].address,
                    end = flow_.nodes()[block.end - 1].behind();
        drawn.address = module_.to_run(begin).value;
        drawn.is_entry = begin == function_.low();
        drawn.is_apart = !function_.ranges.empty() && !function_.ranges.front().contains(begin);
        const Frame* frame = moment_.has_stack() ? moment_.selected_frame() : nullptr;
        drawn.is_here = frame && frame->module == &module_ && frame->file_address() >= begin &&
                        frame->file_address() < end;
        for (std::uint32_t loop = blocks_.innermost_loop(number); loop != Blocks::kNone;
             loop = blocks_.loops()[loop].outer)
            ++drawn.loop_depth;
        const FunctionPositions& positions = module_.symbols().positions_of(function_);
        for (std::uint32_t node = block.first; node < block.end; ++node) {
            if (flow_.nodes()[node].is_filler) continue;
            ++drawn.instructions;
            add_line(positions.within(flow_.nodes()[node].address, nullptr), drawn);
        }
        add_count(begin, end, drawn);
        if (counter_) {
            BlockCounts::Runs runs = counter_->counts->blocks.of_block(RunAddress(drawn.address));
            drawn.runs = runs.all;
            drawn.runs_since_stop = runs.since_last_stop;
            drawn.counted_by = counter_->number;
        }
        drawn.ending = ending_of(flow_.nodes()[block.end - 1]);
        return drawn;
    }

    void add_line(const CodePosition& at, CodeDrawing::Block& block) {
        if (!at.line || !at.file) return;
        bool is_known = std::ranges::any_of(
            block.lines, [&](const CodeDrawing::Line& line) { return line.line == at.line; });
        if (is_known) return;
        auto text = moment_.sources().line(*at.file, at.line);
        block.lines.push_back({at.line, std::string(trimmed(text.value_or("")))});
    }

    // The note that counts this function's blocks, where there is one.
    void find_counter() {
        for (const Breakpoint& breakpoint : moment_.breakpoints()) {
            if (!breakpoint.counts_blocks() || !breakpoint.is_on) continue;
            bool is_of_this = std::ranges::any_of(breakpoint.sites, [&](const auto& site) {
                return site.module == module_.path() && site.code.address == function_.low();
            });
            if (is_of_this) counter_ = &breakpoint;
        }
    }

    // What stopped there and what went on has passed there.
    void add_count(FileAddress begin, FileAddress end, CodeDrawing::Block& block) const {
        for (const Breakpoint& breakpoint : moment_.breakpoints()) {
            bool counts_one_place = breakpoint.cause == Cause::place &&
                                    !breakpoint.counts_blocks() && breakpoint.is_on &&
                                    !breakpoint.thread && breakpoint.sites.size() == 1;
            if (!counts_one_place ||
                moment_.target().module_at(breakpoint.sites[0].address) != &module_)
                continue;
            FileAddress at = module_.to_file(breakpoint.sites[0].address);
            if (at < begin || at >= end) continue;
            block.runs = breakpoint.counts->hits + breakpoint.counts->passes;
            block.counted_by = breakpoint.number;
        }
    }

    std::string ending_of(const FlowGraph::Node& last) {
        if (last.kind == Instruction::Kind::returns) return "returns";
        if (last.leaves()) return "goes on in " + name_at(*last.target);
        if (last.kind == Instruction::Kind::call && last.next == FlowGraph::kNone)
            return fmt::format("calls {} and does not come back",
                               last.target ? name_at(*last.target) : "a function");
        if (last.goes_out) return "goes on in a function whose address it computes";
        if (last.is_jump() && last.is_computed) return "jumps by a table";
        return {};
    }

    std::string name_at(FileAddress address) {
        if (const Function* function = module_.symbols().function_at(address))
            return function->name;
        auto nearest = module_.symbols().nearest_name(address);
        return nearest ? nearest->name : "code without a name";
    }

    void add_ways(std::size_t from, std::vector<CodeDrawing::Way>& ways) {
        const auto& block = blocks_.all()[shown_[from]];
        const FlowGraph::Node& last = flow_.nodes()[block.end - 1];
        for (std::uint32_t to : block.to) {
            if (place_[to] == kNotShown) continue;
            std::uint32_t first = blocks_.all()[to].first;
            bool falls = last.next == first;
            CodeDrawing::Way way{from, place_[to], !falls, blocks_.dominates(to, shown_[from])};
            if (counter_) {
                auto begin = [&](std::uint32_t node) {
                    return module_.to_run(flow_.nodes()[node].address);
                };
                BlockCounts::Runs runs =
                    counter_->counts->blocks.of_way(begin(block.first), begin(first));
                way.runs = runs.all;
                way.runs_since_stop = runs.since_last_stop;
            }
            ways.push_back(way);
        }
    }

    static constexpr std::size_t kNotShown = ~std::size_t{0};
    const Moment& moment_;
    const Module& module_;
    const Function& function_;
    FlowGraph flow_;
    Blocks blocks_;
    const Breakpoint* counter_ = nullptr;
    std::vector<std::size_t> place_;
    std::vector<std::uint32_t> shown_;
};

}  // namespace

CodeDrawing report_code_drawing(const Moment& moment, const std::optional<Place>& place) {
    return CodeDrawer(moment, wanted_function(moment, place)).draw();
}

}  // namespace lantern
