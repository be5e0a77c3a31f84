#include "core/session/value_context.h"

#include <fmt/format.h>

#include "core/expressions/scope_names.h"
#include "core/machine/calling_convention.h"
#include "core/symbols/demangle.h"
#include "core/values/object_part.h"
#include "core/values/variable_value.h"

namespace lantern {
namespace {

constexpr unsigned kMostFramesOfAnAddress = 200;  // frames an address on the stack is looked for in

// The frame whose part of the stack holds the address.
std::optional<unsigned> frame_holding(Unwinder& stack, RunAddress address) {
    for (unsigned level = 0; level < kMostFramesOfAnAddress; ++level) {
        const Frame* frame = stack.frame(level);
        if (!frame) break;
        if (frame->origin == FrameOrigin::inlined) continue;
        if (frame->call_frame_address && address < *frame->call_frame_address) return level;
    }
    return std::nullopt;
}

// The object whose symbol covers the address; or, where no other begins there, the one that ends
// right before it.
std::string global_at(const Moment& moment, const Module& module, RunAddress address,
                      const Type& pointee) {
    const ModuleSymbols& symbols = module.symbols();
    if (module.is_system_library() && !symbols.index_is_ready())
        return {};  // its names are not worth a pass over all of it
    FileAddress at = module.to_file(address);
    const ElfSymbol* symbol = symbols.symbol_table().covering(at);
    bool is_behind = !symbol || (symbol->size && at >= symbol->address + symbol->size);
    if (is_behind) symbol = symbols.symbol_table().covering(at - 1);
    if (!symbol || symbol->is_function || !symbol->size) return {};
    std::string name = demangled(symbol->name);
    if (is_behind)
        return at == symbol->address + symbol->size ? fmt::format("one past the end of {}", name)
                                                    : "";
    const Module* holder = nullptr;
    Frame inside;  // what the module keeps to itself, too
    inside.module = &module;
    auto variable = find_global(moment.target(), &inside, name, holder);
    if (!variable)
        variable = find_global(moment.target(), &inside, std::string(last_component(name)),
                               holder);  // in a namespace without a name
    if (!variable || holder != &module) return {};
    Value value = value_of_global(moment.target(), moment.thread(), nullptr, module, *variable);
    bool is_it = value.address && *value.address <= address &&
                 address < *value.address + plain(*value.type).size;
    if (!is_it) return {};
    std::string found =
        variable->name + part_at_offset(*value.type, address - *value.address, pointee);
    if (address != *value.address || has_part_at(*value.type, 0, pointee)) return found;
    // Of another type than the pointer is for: it may have come from the object before.
    const ElfSymbol* before = symbols.symbol_table().covering(at - 1);
    bool ends_here =
        before && before->size && !before->is_function && before->address + before->size == at;
    return ends_here ? fmt::format("{}; one past the end of {}", found, demangled(before->name))
                     : found;
}

std::string local_at(const Moment& moment, RunAddress address, const Type& pointee) {
    Unwinder& stack = moment.stack();
    auto level = frame_holding(stack, address);
    if (!level) return {};
    std::string behind, found;
    bool is_of_type = false;
    // Inlined calls share the part of the stack of the function that holds them.
    for (unsigned each = *level;; ++each) {
        const Frame* frame = stack.frame(each);
        if (!frame) break;
        std::string of = each == moment.selected_level() ? "" : fmt::format(" of frame {}", each);
        for (const VisibleVariable& visible : visible_variables(*frame)) {
            Value value =
                value_of_variable(moment.target(), moment.thread(), *frame, *visible.variable);
            std::uint64_t size = plain(*value.type).size;
            if (!value.is_available() || !value.address || size == 0 || address < *value.address)
                continue;
            if (address < *value.address + size) {
                found = visible.variable->name +
                        part_at_offset(*value.type, address - *value.address, pointee) + of;
                is_of_type = address != *value.address || has_part_at(*value.type, 0, pointee);
            }
            if (address == *value.address + size && is_aggregate(*value.type))
                behind = fmt::format("one past the end of {}{}", visible.variable->name, of);
        }
        if (!frame->is_inlined()) break;
    }
    // Of another type than the pointer is for: it may have come from the object before.
    if (found.empty() || is_of_type) return found.empty() ? behind : found;
    return behind.empty() ? found : found + "; " + behind;
}

}  // namespace

std::string MomentValueContext::describe(RunAddress address) const {
    Moment moment = now_();
    if (!moment.has_stack()) return {};
    const auto& regions = moment.target().regions();
    auto after = std::upper_bound(regions.begin(), regions.end(), address,
                                  [](RunAddress a, const MemoryRegion& r) { return a < r.begin; });
    if (after == regions.begin()) return {};
    const MemoryRegion& region = *std::prev(after);
    if (address >= region.end) return {};
    RunAddress top = moment.target().registers(moment.thread()).stack_pointer();
    bool own_stack = top >= region.begin && top < region.end;
    if (own_stack) {
        if (address < RunAddress(top.value - kRedZone))
            return "below the stack: no function's any more";
        if (address < top) return "stack of frame 0";
        auto level = frame_holding(moment.stack(), address);
        return level ? fmt::format("stack of frame {}", *level) : "stack";
    }
    if (region.name == "[heap]") {
        std::string block = block_at(address);
        return block.empty() ? "heap" : block;
    }
    if (region.name == "[stack]") return "stack of another thread";
    for (ThreadId id : moment.target().threads()) {
        RunAddress pointer = moment.target().registers(id).stack_pointer();
        if (region.contains(pointer))
            return fmt::format("stack of thread {}", moment.target().thread_number(id));
        if (region.permissions.starts_with("---") && after != regions.end() &&
            after->begin == region.end && after->contains(pointer))
            return fmt::format("guard of the stack of thread {}",
                               moment.target().thread_number(id));
    }
    if (region.name.starts_with('[')) return region.name.substr(1, region.name.size() - 2);
    if (region.name.empty()) {
        if (region.permissions.starts_with("---")) return "memory that is kept free";
        std::string block = block_at(address);
        return block.empty() ? "anonymous memory" : block;
    }
    return "in " + region.name.substr(region.name.rfind('/') + 1);
}

std::string MomentValueContext::block_at(RunAddress address) const {
    const Heap* heap = heap_();
    return heap ? block_note(*heap, address) : "";
}

std::string MomentValueContext::object_at(RunAddress address, const Type& pointee) const {
    Moment moment = now_();
    if (const Module* module = moment.target().module_at(address))
        return global_at(moment, *module, address, pointee);
    if (!moment.has_stack()) return {};
    RunAddress top = moment.target().registers(moment.thread()).stack_pointer();
    const MemoryRegion* region = moment.target().region_at(address);
    bool is_on_own_stack = region && address >= top && region->contains(top);
    return is_on_own_stack ? local_at(moment, address, pointee) : "";
}

}  // namespace lantern
