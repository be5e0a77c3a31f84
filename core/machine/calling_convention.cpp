#include "core/machine/calling_convention.h"

#include <algorithm>

#include "core/machine/registers.h"

namespace lantern {
namespace {

constexpr unsigned kIntegerReturn[] = {0, 1};                                              // rax, rdx
constexpr unsigned kVectorReturn[] = {kFirstVectorRegister, kFirstVectorRegister + 1};  // xmm0, xmm1

}  // namespace

ReturnLocation returned_in_memory() {
    return {ReturnLocation::Kind::memory, {{kIntegerReturn[0], 0, 0}}};
}

ReturnLocation return_location(std::span<const ScalarPart> parts, std::uint64_t size) {
    using Kind = ScalarPart::Kind;
    if (size == 0) return {};
    if (std::any_of(parts.begin(), parts.end(), [](const ScalarPart& p) { return p.kind == Kind::other; }))
        return {ReturnLocation::Kind::unknown, {}};
    if (parts.size() == 1 && parts[0].kind == Kind::extended && size <= 16)
        return {ReturnLocation::Kind::registers, {{kFirstStackRegister, 0, 10}}};
    if (size > 16) return returned_in_memory();

    // Each eightbyte goes to an integer register unless everything in it is floating.
    ReturnLocation location{ReturnLocation::Kind::registers, {}};
    unsigned integers = 0, vectors = 0;
    for (std::uint64_t start = 0; start < size; start += 8) {
        bool any = false, integer = false;
        for (const ScalarPart& part : parts) {
            if (part.offset + part.size <= start || part.offset >= start + 8) continue;
            if (part.offset % std::max<std::uint64_t>(1, std::min<std::uint64_t>(part.size, 8)) != 0) return returned_in_memory();
            if (part.kind == Kind::extended) return returned_in_memory();
            any = true;
            integer |= part.kind == Kind::integer;
        }
        if (!any) continue;
        unsigned reg = integer ? kIntegerReturn[integers++] : kVectorReturn[vectors++];
        location.pieces.push_back({reg, start, std::min<std::uint64_t>(8, size - start)});
    }
    return location;
}

}  // namespace lantern
