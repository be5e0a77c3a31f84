#include "heap/shared.h"

namespace lantern::heap_library {
namespace {

std::uint32_t hash_of(const std::uint64_t* calls, std::size_t count) {
    std::uint64_t hash = count;
    for (std::size_t i = 0; i < count; ++i) {
        hash = (hash ^ calls[i]) * 0x9e3779b97f4a7c15;
        hash ^= hash >> 32;
    }
    return static_cast<std::uint32_t>(hash);
}

}  // namespace

bool Stacks::begin() {
    std::uint64_t table = reserve(kPlaces * sizeof(std::uint32_t));
    if (!table || !make_usable(table, kPlaces * sizeof(std::uint32_t))) return false;
    table_ = reinterpret_cast<std::uint32_t*>(table);
    if (!memory_.take(kBytes)) return false;
    return memory_.add(sizeof(heap_tables::Stack)) != 0;  // number 0 is for what is not known
}

std::uint32_t Stacks::find(std::uint32_t hash, const std::uint64_t* calls, std::size_t count,
                           std::size_t& place) const {
    for (;; place = (place + 1) % kPlaces) {
        std::uint32_t number = __atomic_load_n(&table_[place], __ATOMIC_ACQUIRE);
        if (!number) return 0;
        const auto& stack = *reinterpret_cast<const heap_tables::Stack*>(memory_.begin + number);
        if (stack.hash == hash && stack.depth == count &&
            __builtin_memcmp(&stack + 1, calls, count * sizeof *calls) == 0)
            return number;
    }
}

std::uint32_t LastWays::find(const Caller& caller) const {
    const Kept& kept = kept_[place(caller)];
    if (kept.back != caller.back || kept.stack != caller.stack ||
        (kept.needs_base && kept.base != caller.base) || kept.generation != rules_generation())
        return 0;
    for (std::size_t i = 0; i < kept.words_count; ++i)
        if (*reinterpret_cast<const std::uint64_t*>(kept.words[i].address) != kept.words[i].value)
            return 0;
    return kept.number;
}

void LastWays::keep(const Caller& caller, const WayUp& way, std::uint32_t number) {
    if (way.words_count > kWords) return;
    Kept& kept = kept_[place(caller)];
    kept.back = caller.back;
    kept.stack = caller.stack;
    kept.base = caller.base;
    kept.number = number;
    kept.generation = rules_generation();
    kept.words_count = static_cast<std::uint32_t>(way.words_count);
    kept.needs_base = way.needs_base;
    __builtin_memcpy(kept.words, way.words, way.words_count * sizeof(WayUp::Word));
}

std::uint32_t Stacks::number_of(const Caller& caller, LastWays& last) {
    if (std::uint32_t number = last.find(caller)) return number;
    WayUp way;
    find_way_up(caller, way);
    std::uint32_t number = number_of(way.calls, way.count);
    if (number) last.keep(caller, way, number);
    return number;
}

namespace {

bool is_named(std::uint64_t call) {
    for (std::uint32_t i = 0; i < head.named.count && i < heap_tables::NamedPlaces::kMost; ++i)
        if (call >= head.named.code[i].begin && call < head.named.code[i].end) return true;
    return false;
}

}  // namespace

// Judged once for each stack, and again when the session names others. (Two threads that judge at
// once write the same.)
bool Stacks::is_of_named_place(std::uint32_t number) {
    std::uint32_t round = head.named.round;
    if (!number || !round) return false;
    heap_tables::Stack& stack = at(number);
    std::uint32_t judged = __atomic_load_n(&stack.judged, __ATOMIC_RELAXED);
    if (judged >> 1 == round) return judged & 1;
    bool is_of_one = false;
    auto* backs = reinterpret_cast<const std::uint64_t*>(&stack + 1);
    for (std::uint32_t i = 0; i < stack.depth && !is_of_one; ++i)
        is_of_one = is_named(backs[i] - 1);
    __atomic_store_n(&stack.judged, round << 1 | (is_of_one ? 1u : 0u), __ATOMIC_RELAXED);
    return is_of_one;
}

std::uint32_t Stacks::number_of(const std::uint64_t* calls, std::size_t count) {
    std::uint32_t hash = hash_of(calls, count);
    std::size_t place = hash % kPlaces;
    if (std::uint32_t number = find(hash, calls, count, place)) return number;
    Holding holding(lock_);
    if (std::uint32_t number = find(hash, calls, count, place)) return number;
    if (held_ > kPlaces / 4 * 3) return 0;
    std::uint32_t number = add(hash, calls, count);
    if (number) {
        ++held_;
        __atomic_store_n(&table_[place], number, __ATOMIC_RELEASE);
    }
    return number;
}

std::uint32_t Stacks::add(std::uint32_t hash, const std::uint64_t* calls, std::size_t count) {
    std::uint64_t at = memory_.add(sizeof(heap_tables::Stack) + count * sizeof *calls);
    if (!at) return 0;
    auto& stack = *reinterpret_cast<heap_tables::Stack*>(at);
    stack = {0, hash, static_cast<std::uint32_t>(count), 0, 0};
    __builtin_memcpy(&stack + 1, calls, count * sizeof *calls);
    return static_cast<std::uint32_t>(at - memory_.begin);
}

}  // namespace lantern::heap_library
