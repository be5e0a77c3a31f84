#include "core/support/guarded_mapping.h"

#include <signal.h>
#include <sys/mman.h>

#include <array>
#include <atomic>
#include <cstdint>
#include <mutex>
#include <utility>

namespace lantern {
namespace {

constexpr std::uintptr_t kPage = 4096;
constexpr int kMostMappings = 1024;

// Read by a signal handler: each is in use when its end is not 0.
struct GuardedSlot {
    std::atomic<std::uintptr_t> begin = 0, end = 0;
    std::atomic<bool> is_cut = false;
    std::string file;
};
std::array<GuardedSlot, kMostMappings> slots;
std::mutex taking;

void on_bus_error(int, siginfo_t* info, void*) {
    if (heal_mapping(info->si_addr)) return;
    signal(SIGBUS, SIG_DFL);  // the same instruction meets it again
}

void install_once() {
    static const bool done = [] {
        struct sigaction action {};
        action.sa_sigaction = on_bus_error;
        action.sa_flags = SA_SIGINFO | SA_NODEFER;
        return sigaction(SIGBUS, &action, nullptr) == 0;
    }();
    (void)done;
}

}  // namespace

GuardedMapping::GuardedMapping(const void* begin, std::size_t size, std::string file) {
    if (!begin || size == 0) return;
    install_once();
    std::lock_guard lock(taking);
    for (int i = 0; i < kMostMappings; ++i) {
        GuardedSlot& slot = slots[static_cast<std::size_t>(i)];
        if (slot.end) continue;
        slot.file = std::move(file);
        slot.is_cut = false;
        slot.begin = reinterpret_cast<std::uintptr_t>(begin);
        slot.end = reinterpret_cast<std::uintptr_t>(begin) + size;
        slot_ = i;
        return;
    }
}

GuardedMapping::~GuardedMapping() {
    if (slot_ >= 0) slots[static_cast<std::size_t>(slot_)].end = 0;
}

GuardedMapping::GuardedMapping(GuardedMapping&& other) noexcept
    : slot_(std::exchange(other.slot_, -1)) {}

GuardedMapping& GuardedMapping::operator=(GuardedMapping&& other) noexcept {
    std::swap(slot_, other.slot_);
    return *this;
}

std::optional<std::string> take_cut_file() {
    std::lock_guard lock(taking);
    for (GuardedSlot& slot : slots)
        if (slot.end && slot.is_cut.exchange(false)) return slot.file;
    return std::nullopt;
}

bool heal_mapping(const void* address) {
    auto at = reinterpret_cast<std::uintptr_t>(address);
    for (GuardedSlot& slot : slots) {
        if (at < slot.begin || at >= ((slot.end + kPage - 1) & ~(kPage - 1)) || slot.end == 0)
            continue;
        void* page = reinterpret_cast<void*>(at & ~(kPage - 1));
        if (mmap(page, kPage, PROT_READ, MAP_PRIVATE | MAP_ANONYMOUS | MAP_FIXED, -1, 0) ==
            MAP_FAILED)
            return false;
        slot.is_cut = true;
        return true;
    }
    return false;
}

}  // namespace lantern
