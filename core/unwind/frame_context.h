// What a location expression may ask of a frame: its registers, its base, memory (see
// dwarf::ExpressionContext).
#pragma once

#include "core/dwarf/location_expression.h"
#include "core/unwind/frame.h"

namespace lantern {

class FrameContext : public dwarf::ExpressionContext {
  public:
    // Both are borrowed.
    FrameContext(Target& target, const Frame& frame) : target_(target), frame_(frame) {}

    std::optional<std::uint64_t> register_value(unsigned number) override {
        return frame_.registers.get(number);
    }
    std::uint64_t read_memory(std::uint64_t address, unsigned size) override;
    std::optional<std::uint64_t> frame_base() override;
    std::optional<std::uint64_t> call_frame_address() override;
    std::uint64_t run_address(FileAddress address) override;
    std::optional<std::uint64_t> thread_local_address(std::uint64_t given) override;
    std::optional<std::uint64_t> object_address() override { return object_; }
    // From what the caller's call site says (DWARF 5 §2.5.1.7, §3.4).
    std::optional<std::uint64_t> entry_value(ByteSpan location) override;

    void set_object_address(RunAddress address) { object_ = address.value; }

  private:
    const std::optional<CallSite>& call_into(const Frame& caller) const;
    bool calls_us(const CallSite& site, const Frame& caller, FrameContext& in_caller) const;

    std::optional<std::uint64_t> object_;
    bool has_given_up = false;  // a value on entry rests on more callers than are asked in one go
    Target& target_;
    const Frame& frame_;
};

}  // namespace lantern
