#include "core/object/sanitizer.h"

#include <string>

#include "core/object/elf_file.h"

namespace lantern {
namespace {

struct Known {
    std::string_view asks;  // the beginning of the name of a function
    Sanitizer sanitizer;
};

// The libraries of the first ones bring the checks of the last one too.
constexpr Known kKnown[] = {
    {"__asan_init", {"AddressSanitizer", "ASAN_OPTIONS", true, true}},
    {"__hwasan_init", {"HWAddressSanitizer", "HWASAN_OPTIONS", true, true}},
    {"__tsan_init", {"ThreadSanitizer", "TSAN_OPTIONS", true, false}},
    {"__msan_init", {"MemorySanitizer", "MSAN_OPTIONS", true, false}},
    {"__lsan_init", {"LeakSanitizer", "LSAN_OPTIONS", true, true}},
    {"__ubsan_handle_", {"UndefinedBehaviorSanitizer", "UBSAN_OPTIONS", false, false}},
};

}  // namespace

const Sanitizer* sanitizer_of(const ElfFile& elf) {
    ByteSpan bytes = elf.bytes(".dynstr");
    std::string_view names(reinterpret_cast<const char*>(bytes.data()), bytes.size());
    for (const Known& known : kKnown)
        if (names.find(std::string(1, '\0') + std::string(known.asks)) != names.npos)
            return &known.sanitizer;
    return nullptr;
}

}  // namespace lantern
