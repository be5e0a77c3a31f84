#include "core/unwind/frame_context.h"

namespace lantern {

std::uint64_t FrameContext::read_memory(std::uint64_t address, unsigned size) {
    std::uint64_t value = 0;
    target_.read_memory(RunAddress(address), std::as_writable_bytes(std::span(&value, 1)).first(size));
    return value;
}

std::optional<std::uint64_t> FrameContext::frame_base() {
    if (!frame_.function || !frame_.module) return std::nullopt;
    const FunctionBody& body = frame_.module->symbols().body_of(*frame_.function);
    auto expression = dwarf::expression_at(body.frame_base, frame_.file_address());
    if (!expression) return std::nullopt;
    return dwarf::evaluate_number(*expression, frame_.function->unit, *this);
}

std::optional<std::uint64_t> FrameContext::call_frame_address() {
    if (!frame_.call_frame_address) return std::nullopt;
    return frame_.call_frame_address->value;
}

std::uint64_t FrameContext::run_address(FileAddress address) {
    return frame_.module ? frame_.module->to_run(address).value : address.value;
}

// The main program's block lies directly below the thread base ("variant II", ELF Handling for Thread-Local Storage §3.4.6).
std::optional<std::uint64_t> FrameContext::thread_local_address(std::uint64_t offset) {
    const auto& modules = target_.modules();
    if (modules.empty() || frame_.module != &modules.front() || !frame_.registers.thread_base) return std::nullopt;
    auto image = frame_.module->symbols().elf().thread_local_image();
    if (!image) return std::nullopt;
    std::uint64_t size = (image->size + image->alignment - 1) / image->alignment * image->alignment;
    return frame_.registers.thread_base - size + offset;
}

}  // namespace lantern
