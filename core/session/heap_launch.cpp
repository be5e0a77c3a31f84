#include "core/session/heap_launch.h"

#include <fmt/format.h>

#include <sys/mman.h>
#include <sys/syscall.h>

#include <algorithm>
#include <filesystem>

#include "core/heap/history.h"
#include "core/machine/page.h"
#include "core/object/elf_file.h"
#include "core/object/sanitizer.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/target/live_process.h"
#include "heap/tables.h"

namespace lantern {
namespace {

constexpr std::string_view kPreload = "LD_PRELOAD=";

void require_dynamic(const std::string& program) {
    ElfFile elf(program);
    if (elf.interpreter().empty())
        throw RequestError(
            fmt::format("{} is linked statically: its allocator is a part of it, and none can be "
                        "put in front",
                        program),
            "link it without -static for this; what the heap's own structures tell is there "
            "anyway: heap, heap check, heap leaks");
    const Sanitizer* sanitizer = sanitizer_of(elf);
    if (sanitizer && sanitizer->brings_allocator)
        throw RequestError(
            fmt::format("{} is built with {}, which brings an allocator of its own: none can be "
                        "put in front",
                        program, sanitizer->name),
            fmt::format("elm-lantern debug {} stops at what it reports; build it without "
                        "-fsanitize for this",
                        program));
}

}  // namespace

void put_heap_library_in_front(LaunchOptions& launch, const HeapWish& wish) {
    if (!std::filesystem::exists(wish.library))
        throw RequestError(fmt::format("the library {} is not there", quote(wish.library)),
                           "it is built and installed together with this program");
    if (wish.library.find_first_of(" :") != std::string::npos)
        throw RequestError(
            fmt::format("the loader cannot load {} first: it parts names at spaces and colons",
                        quote(wish.library)),
            "install this program under a path without them");
    require_dynamic(launch.program);
    auto others = std::ranges::find_if(
        launch.environment, [](const std::string& each) { return each.starts_with(kPreload); });
    if (others == launch.environment.end())
        launch.environment.push_back(std::string(kPreload) + wish.library);
    else
        *others = fmt::format("{}{}:{}", kPreload, wish.library, others->substr(kPreload.size()));
    launch.environment.push_back(
        fmt::format("{}=keep={} guard={} every={} least={} most={} page={} named={}",
                    heap_tables::kOptionsVariable, wish.keep_bytes, wish.guard_births,
                    wish.guard_every, wish.guard_least, wish.guard_most,
                    static_cast<unsigned>(wish.page), wish.guard_places.empty() ? 0 : 1));
}

bool open_guarded_page(LiveProcess& process, ThreadId thread, RunAddress address) {
    auto history = HeapHistory::in(process);
    if (!history || address.value < history->head().area ||
        address.value >= history->head().area_end)
        return false;
    std::uint64_t page = address.value / kPageSize * kPageSize;
    if (process.system_call(thread, SYS_mprotect, {page, kPageSize, PROT_READ | PROT_WRITE}) != 0)
        return false;
    process.deliver(thread, 0);
    return true;
}

}  // namespace lantern
