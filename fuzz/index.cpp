// The index that a session leaves in a file: damaged after its fingerprint was found right.
#include "core/symbols/index_file.h"
#include "fuzz/fuzzing.h"

using namespace lantern;

int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    // A fixed small program to look things up in; the input stands for the file.
    static const std::vector<std::uint8_t> units = [] {
        std::vector<std::uint8_t> bytes;
        for (int i = 0; i < fuzzing::kIndexUnits; ++i)
            bytes.insert(bytes.end(), {8, 0, 0, 0, 4, 0, 0, 0, 0, 0, 8, 0});
        return bytes;
    }();
    static const char text[] = "\0chamber\0fill<int>\0canal";
    dwarf::DebugInfoInput input;
    input.sections.info = fuzzing::as_bytes(units.data(), units.size());
    input.sections.str =
        fuzzing::as_bytes(reinterpret_cast<const std::uint8_t*>(text), sizeof text);
    dwarf::DebugInfo info(input);
    ByteSpan bytes = fuzzing::as_bytes(data, size);
    std::uint64_t fingerprint = 0;
    if (size >= 24) std::memcpy(&fingerprint, data + 16, 8);
    auto copy = std::make_shared<std::vector<std::uint64_t>>((size + 7) /
                                                             8);  // aligned, as a mapped file is
    if (size) std::memcpy(copy->data(), bytes.data(), size);
    auto index = index_over(ByteSpan(reinterpret_cast<const std::byte*>(copy->data()), size),
                            fingerprint, info, copy);
    if (!index) return 0;
    for (const NameEntry& entry :
         index->names().first(std::min<std::size_t>(200, index->names().size())))
        index->qualified_name(entry);
    index->for_each_named("chamber", [&](const NameEntry& entry) { index->qualified_name(entry); });
    for (std::size_t unit = 0; unit < 4; ++unit) {
        scope_at(index->scopes_of(unit), 0x1234);
        index->code_of(unit);
    }
    return 0;
}
