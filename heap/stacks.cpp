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
    if (!memory_.take(kBytes) || !numbers_.take(kPlaces * sizeof(std::uint32_t))) return false;
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

bool LastWays::holds(const Words& words, const Caller& caller) {
    if (words.generation != rules_generation()) return false;
    if (words.needs_base && words.base != caller.base) return false;
    for (std::size_t i = 0; i < words.count; ++i)
        if (*reinterpret_cast<const std::uint64_t*>(caller.stack + words.offsets[i]) !=
            words.values[i])
            return false;
    return true;
}

std::uint32_t LastWays::find(const Caller& caller) const {
    std::size_t at = place(caller);
    const Set& set = sets_[at];
    for (std::size_t i = 0; i < kWays; ++i)
        if (set.stacks[i] == caller.stack && set.backs[i] == caller.back &&
            holds(words_[at][i], caller))
            return words_[at][i].number;
    return 0;
}

void LastWays::keep(const Caller& caller, const WayUp& way, std::uint32_t number) {
    if (way.words_count > kWords) return;
    // What a signal has interrupted may lie on another stack, at any distance.
    for (std::size_t i = 0; i < way.words_count; ++i)
        if (way.words[i].address - caller.stack > 0xffffffff) return;
    std::size_t at = place(caller);
    Set& set = sets_[at];
    std::size_t i = set.oldest++ % kWays;
    set.backs[i] = caller.back;
    set.stacks[i] = caller.stack;
    Words& words = words_[at][i];
    words.base = caller.base;
    words.number = number;
    words.generation = rules_generation();
    words.count = static_cast<std::uint32_t>(way.words_count);
    words.needs_base = way.needs_base;
    for (std::size_t k = 0; k < way.words_count; ++k) {
        words.offsets[k] = static_cast<std::uint32_t>(way.words[k].address - caller.stack);
        words.values[k] = way.words[k].value;
    }
}

std::uint32_t Stacks::number_of(const Caller& caller, LastWays* last) {
    if (last)
        if (std::uint32_t number = last->find(caller)) return number;
    WayUp way;
    find_way_up(caller, way);
    std::uint32_t number = number_of(way.calls, way.count);
    if (number && last) last->keep(caller, way, number);
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
    if (this->count() > kPlaces / 4 * 3) return 0;
    std::uint32_t number = add(hash, calls, count);
    if (number) __atomic_store_n(&table_[place], number, __ATOMIC_RELEASE);
    return number;
}

std::uint32_t Stacks::add(std::uint32_t hash, const std::uint64_t* calls, std::size_t count) {
    // Listed first: where the list is full, nothing is taken that nobody would fill in.
    auto* listed = reinterpret_cast<std::uint32_t*>(numbers_.add(sizeof(std::uint32_t)));
    std::uint64_t at = listed ? memory_.add(sizeof(heap_tables::Stack) + count * sizeof *calls) : 0;
    if (!at) return 0;
    *listed = static_cast<std::uint32_t>(at - memory_.begin);
    auto& stack = *reinterpret_cast<heap_tables::Stack*>(at);
    stack = {0, hash, static_cast<std::uint32_t>(count), 0, 0};
    __builtin_memcpy(&stack + 1, calls, count * sizeof *calls);
    return *listed;
}

}  // namespace lantern::heap_library
