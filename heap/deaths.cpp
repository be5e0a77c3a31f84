// Blocks die, or what is no block is handed in.
#include "heap/shared.h"

#include <x86intrin.h>

namespace lantern::heap_library {

Meant meant_by(std::uint64_t address) {
    const Span* span = spans.holding(address);
    if (!span) return {};
    std::uint32_t slot = 0;
    if (!span->is_alone) {
        slot = span->slot_at(address);
        if (slot && span->slot_begin(slot) > address) --slot;
        if (slot >= span->slots) return {};
    }
    std::uint32_t number = span->first + slot;
    return {number, &spans.record(number), span};
}

namespace {

bool are_partners(Way birth, Way death) {
    if (death == Way::delete_object) return birth == Way::new_object;
    if (death == Way::delete_array) return birth == Way::new_array;
    return birth != Way::new_object && birth != Way::new_array;
}

// False: it cannot be freed, and somebody was told. Of two threads that free one block at once one
// gets true. The block is dying from then on.
bool may_die(const Meant& meant, std::uint64_t address, Way way, std::uint64_t given) {
    if (!meant.block || meant.block->address == 0) {
        tell(Fault::Kind::no_block, 0, address, {}, given, way);
        return false;
    }
    Block& block = *meant.block;
    State state = State::live;
    bool is_it = block.address == address &&
                 __atomic_compare_exchange_n(&block.state, &state, State::dying, false,
                                             __ATOMIC_ACQ_REL, __ATOMIC_ACQUIRE);
    if (is_it) {
        if (!are_partners(block.born_way, way))
            tell(Fault::Kind::wrong_partner, meant.number, address, {}, given, way);
        else if (given != kNoSize && given != block.size)
            tell(Fault::Kind::wrong_size, meant.number, address, {}, given, way);
        return true;
    }
    bool is_inside = address != block.address;
    if (is_inside) state = __atomic_load_n(&block.state, __ATOMIC_ACQUIRE);
    if (state == State::empty)
        // Its history is gone: it was given back some time ago, or never was.
        tell(Fault::Kind::no_block, 0, address, {}, given, way);
    else
        tell(is_inside ? Fault::Kind::inside : Fault::Kind::freed_twice, meant.number, address, {},
             given, way);
    return false;
}

void die(Thread& thread, const Meant& meant, Way way, const Caller& caller) {
    Block& block = *meant.block;
    check_margins(meant.number, block, *meant.span, way);
    block.died = __rdtsc();
    block.died_stack = stacks.number_of(caller, thread.ways);
    block.died_thread = thread.number;
    block.died_way = way;
    count_death(thread, block);
    if (head.asked_count) answer_asked(meant.number, true);
    if (meant.span->is_alone) {
        __atomic_store_n(&block.state, State::kept, __ATOMIC_RELEASE);
        return keep_back_alone(meant.number, *meant.span);
    }
    fill(reinterpret_cast<void*>(block.address), filled_at_death(block), heap_tables::kDeathFill);
    __atomic_store_n(&block.state, State::kept, __ATOMIC_RELEASE);
    keep_back(thread, meant.number, block);
}

}  // namespace

void died(void* address, Way way, std::uint64_t given, const Caller& caller) {
    if (!address) return;
    Thread* thread = this_thread();
    if (!thread) return;
    auto at = reinterpret_cast<std::uint64_t>(address);
    Meant meant = meant_by(at);
    if (may_die(meant, at, way, given)) die(*thread, meant, way, caller);
}

// It always moves: a pointer to the old place that is used afterwards is a fault, and shall show.
void* reborn(void* address, std::uint64_t size, const Caller& caller) {
    if (!address) return born(size, kMargin, Way::realloc, caller);
    Thread* thread = this_thread();
    if (!thread) return no_memory();
    auto at = reinterpret_cast<std::uint64_t>(address);
    Meant meant = meant_by(at);
    if (!may_die(meant, at, Way::realloc, kNoSize)) return no_memory();
    if (size == 0) {
        die(*thread, meant, Way::realloc, caller);
        return nullptr;
    }
    std::uint64_t old_size = meant.block->size;
    void* moved = born(size, kMargin, Way::realloc, caller);
    if (!moved) {
        __atomic_store_n(&meant.block->state, State::live, __ATOMIC_RELEASE);
        return nullptr;
    }
    __builtin_memcpy(moved, address, old_size < size ? old_size : size);
    die(*thread, meant, Way::realloc, caller);
    return moved;
}

std::uint64_t size_of(const void* address) {
    auto at = reinterpret_cast<std::uint64_t>(address);
    Meant meant = at && has_begun() ? meant_by(at) : Meant{};
    bool is_one = meant.block && meant.block->address == at && meant.block->state == State::live;
    return is_one ? meant.block->size : 0;
}

}  // namespace lantern::heap_library
