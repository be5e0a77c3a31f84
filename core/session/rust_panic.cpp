#include "core/session/rust_panic.h"

#include <algorithm>

#include "core/machine/calling_convention.h"
#include "core/session/runtime_symbol.h"
#include "core/symbols/demangle.h"

namespace lantern {
namespace {

constexpr std::string_view kRecovers = "__rust_panic_cleanup";
constexpr std::uint64_t kLongestText = 4096, kLowestAddress = 4096;
constexpr std::size_t kMostWords = 5;  // of a payload that holds a text, whatever else it holds

using Words = std::vector<std::uint64_t>;

RunAddress handed(Target& target, ThreadId thread, unsigned index) {
    return RunAddress(target.registers(thread).get(kIntegerParameters[index]).value_or(0));
}

// As many as can be read.
Words words_at(Target& target, RunAddress address, std::size_t count) {
    Words words(count);
    std::size_t got = target.read_available(address, std::as_writable_bytes(std::span(words)));
    words.resize(got / sizeof words[0]);
    return words;
}

bool is_plain_text(const std::string& text) {
    return !text.empty() && std::ranges::all_of(text, [](unsigned char c) {
        return c >= ' ' || c == '\n' || c == '\t';
    });
}

// An address and a length beside it, in an order that the compiler chose. A String has the room
// that it has beside them too, which is never less than the length.
std::string text_in(Target& target, const Words& words) {
    for (std::size_t i = 0; i < words.size(); ++i) {
        if (words[i] < kLowestAddress) continue;
        std::uint64_t length = kLongestText + 1;
        for (std::size_t beside : {i - 2, i - 1, i + 1, i + 2})
            if (beside < words.size() && words[beside]) length = std::min(length, words[beside]);
        if (length > kLongestText) continue;
        std::string text(length, '\0');
        std::size_t got =
            target.read_available(RunAddress(words[i]), std::as_writable_bytes(std::span(text)));
        if (got == length && is_plain_text(text)) return text;
    }
    return {};
}

// A trait object's: what lets its value go, the size (bytes), the alignment, the functions.
struct TraitTable {
    const Type* type = nullptr;  // where the program has debug information of it
    std::uint64_t size = 0;
    std::string lets_go, first;  // the names of functions, where the linker kept them
};
std::string function_name(const Module& module, std::uint64_t address) {
    FileAddress at = module.to_file(RunAddress(address));
    const ElfSymbol* symbol = address ? module.symbols().symbol_table().covering(at) : nullptr;
    return symbol && symbol->address == at ? demangled(symbol->name) : "";
}
TraitTable table_at(Target& target, RunAddress address) {
    const Module* module = target.module_at(address);
    Words words = words_at(target, address, 4);
    if (!module || words.size() < 4) return {};
    return {module->symbols().type_of_trait_table(module->to_file(address)), words[1],
            function_name(*module, words[0]), function_name(*module, words[3])};
}

bool is_text(const Type& type) {
    std::string name = type.full_name();
    return name == "&str" || name == "alloc::string::String";
}

// Without debug information: by the size of a `&str` (16 bytes) or a String (24), and by the names
// of the functions. What panic! itself is given is in a structure of the library's, of which the
// names say std::panicking::panic_handler.
bool may_be_text(const TraitTable& table) {
    auto says = [](const std::string& name, std::string_view part) {
        return name.find(part) != std::string::npos;
    };
    if (table.size == 16) return true;
    if (table.size == 24)
        return table.lets_go.empty() || says(table.lets_go, "String") ||
               says(table.lets_go, "Vec<u8>");
    return table.first.empty() || says(table.first, "panic_handler");
}

struct Carried {
    const Type* type;
    RunAddress address;

    void go_into(const Member& member) {
        address = address + member.offset;
        type = member.type;
    }
};

// What panic_any is given waits in a structure of the library's, as the `Some` of its `inner`.
Carried unpacked(Carried carried) {
    if (!carried.type->full_name().starts_with("std::panicking::")) return carried;
    for (const Member& member : carried.type->members())
        if (member.name == "inner") carried.go_into(member);
    for (const Variant& variant : carried.type->variants()) {
        if (variant.name != "Some" || variant.members.size() != 1) continue;
        carried.go_into(variant.members[0]);
        bool is_wrapped = carried.type && carried.type->name.starts_with("Some");
        if (is_wrapped && carried.type->members().size() == 1)
            carried.go_into(carried.type->members()[0]);
        break;
    }
    return carried;
}

PanicPayload payload_of(Target& target, RunAddress object, const TraitTable& table) {
    if (table.type) {
        Carried carried = unpacked({table.type, object});
        if (!carried.type) return {};
        if (!is_text(*carried.type)) return {{}, carried.type, carried.address};
    } else if (!may_be_text(table)) {
        return {};
    }
    std::size_t words = std::min<std::uint64_t>(table.size / sizeof(std::uint64_t), kMostWords);
    return {text_in(target, words_at(target, object, words)), nullptr, object};
}

}  // namespace

PanicPayload panic_begun(Target& target, ThreadId thread) {
    RunAddress object = handed(target, thread, 0);
    TraitTable table = table_at(target, handed(target, thread, 1));
    // A panic that goes on (resume_unwind) is a box: it has a table of its own.
    if (!table.type && table.size == 2 * sizeof(std::uint64_t)) {
        Words box = words_at(target, object, 2);
        TraitTable inner = box.size() == 2 ? table_at(target, RunAddress(box[1])) : TraitTable();
        if (inner.size) return payload_of(target, RunAddress(box[0]), inner);
    }
    return payload_of(target, object, table);
}

bool may_panic(Target& target) {
    return std::ranges::any_of(target.modules(), [](const Module& module) {
        return runtime_symbol(module.symbols(), "rust_panic") != nullptr;
    });
}

bool recovers_from_panic(Target& target, ThreadId thread) {
    return stands_at_runtime_symbol(target, thread, kRecovers);
}

// It is handed the exception: the unwinder's header of 32 bytes, the address of a mark, the box
// (library/panic_unwind/src/gcc.rs).
PanicPayload panic_recovered(Target& target, ThreadId thread) {
    constexpr std::uint64_t kClass = 0x54535552'005a4f4d;  // "MOZ\0RUST"
    Words words = words_at(target, handed(target, thread, 0), 7);
    if (words.size() < 7 || words[0] != kClass) return {};
    return payload_of(target, RunAddress(words[5]), table_at(target, RunAddress(words[6])));
}

}  // namespace lantern
