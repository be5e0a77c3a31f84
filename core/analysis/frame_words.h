// The words of one frame, each by what it is for.
#pragma once

#include "core/analysis/words_report.h"
#include "core/machine/effects.h"
#include "core/unwind/unwinder.h"

namespace lantern {

class FrameWords {
  public:
    // All are borrowed. `frame` is the physical one; `inner` all frames that share its part of the
    // stack, inlined ones included.
    FrameWords(const Moment& moment, const Frame& frame, std::vector<const Frame*> inner,
               const Frame* caller, const WordsQuery& query);
    // `damage` gets a sentence for each thing that is broken.
    StackFrameWords make(std::vector<std::string>& damage, bool& is_cut);

  private:
    static constexpr std::uint64_t kWord = 8;

    StackWord* word_at(RunAddress address);
    RunAddress lowest_variable(RunAddress lowest);

    // ---- the return address, and whether it can be one

    void name_return_address(std::vector<std::string>& damage);
    std::string symbol_or_number(RunAddress address);
    bool is_undefined_there();

    // ---- registers of the caller

    struct Rules {
        dwarf::FrameRow row;
        unsigned return_register = kProgramCounterNumber;
    };
    std::optional<Rules> row();
    void name_saved_registers();
    void check_frame_pointer(StackWord& word);
    static bool rules_use_frame_pointer(const Frame& frame);

    // ---- variables

    void name_variables();
    void name_arguments_of_callee();
    const Frame* callee_of_frame();
    void add_variable(StackWord& word, const std::string& name, const Value& value,
                      std::uint64_t size, bool is_parameter);

    struct Part {
        std::string name, content;
    };
    void add_parts(std::vector<Part>& parts, const std::string& name, const Type& whole,
                   RunAddress at, std::uint64_t low, std::uint64_t high, int depth);

    // ---- canary and the rest

    void name_canary(std::vector<std::string>& damage);
    void name_spills();
    void name_spill(const MemoryAccess& access, FileAddress at, const dwarf::FrameRow& now);
    std::string pointed_at(std::uint64_t value);
    void describe_rest();

    const Moment& moment_;
    Target& target_;
    const Frame& frame_;
    std::vector<const Frame*> inner_;
    const Frame* caller_;
    RunAddress begin_, end_;
    std::vector<std::uint64_t> words_;
    std::size_t readable_ = 0;
    StackFrameWords made_;
};

}  // namespace lantern
