// Addresses have a kind. A FileAddress is what an object file says (a virtual address before
// loading); a RunAddress is where that landed in a process. Only a Module converts one into the
// other; a mix-up does not compile.
#pragma once

#include <compare>
#include <cstdint>
#include <functional>
#include <vector>

namespace lantern {

template <class Kind>
struct Address {
    std::uint64_t value = 0;

    constexpr Address() = default;
    constexpr explicit Address(std::uint64_t v) : value(v) {}
    constexpr auto operator<=>(const Address&) const = default;
    constexpr Address operator+(std::uint64_t n) const { return Address(value + n); }
    constexpr Address operator-(std::uint64_t n) const { return Address(value - n); }
    constexpr std::uint64_t operator-(Address other) const { return value - other.value; }
};

using FileAddress = Address<struct FileKind>;
using RunAddress = Address<struct RunKind>;

// Half-open: `low` belongs to it, `high` does not.
template <class A>
struct AddressRange {
    A low, high;

    constexpr bool contains(A a) const { return low <= a && a < high; }
    constexpr std::uint64_t size() const { return high.value - low.value; }
    constexpr bool operator==(const AddressRange&) const = default;
};

using FileRange = AddressRange<FileAddress>;
using RunRange = AddressRange<RunAddress>;

template <class A>
bool any_contains(const std::vector<AddressRange<A>>& ranges, A address) {
    for (const auto& range : ranges)
        if (range.contains(address)) return true;
    return false;
}

}  // namespace lantern

template <class Kind>
struct std::hash<lantern::Address<Kind>> {
    std::size_t operator()(lantern::Address<Kind> a) const noexcept {
        return std::hash<std::uint64_t>{}(a.value);
    }
};
