// How values wider than the debug registers are watched. Their pages lose the right to be written;
// an instruction that writes there is stopped by the kernel before it does anything. Common stores
// are then done by us, from their operands (machine/store); for others the page is opened, the
// thread steps over the one instruction while the others stand, and the page is closed again. A
// system call that would be refused the page gets memory of ours instead, and we copy.
#include "core/target/watched_pages.h"

#include <sys/mman.h>

#include <algorithm>

#include "core/machine/page.h"

namespace lantern {
namespace {

constexpr unsigned kArgumentCount = 6;
constexpr std::uint64_t kReachOfCalls =
    16 << 20;  // how far a system call goes from where an argument points

bool overlap(RunRange a, RunRange b) {
    return a.low < b.high && b.low < a.high;
}

}  // namespace

int WatchedPages::Pages::closed() const {
    return against_reads ? PROT_NONE : rights & ~PROT_WRITE;
}

RunRange WatchedPages::around(RunRange range) {
    return {RunAddress(range.low.value & ~(kPageSize - 1)),
            RunAddress((range.high.value + kPageSize - 1) & ~(kPageSize - 1))};
}

void WatchedPages::add(RunRange watched, bool against_reads, int rights) {
    all_.push_back({watched, around(watched), against_reads, rights});
}

void WatchedPages::remove(RunRange watched) {
    std::erase_if(all_, [&](const Pages& each) { return each.watched == watched; });
}

bool WatchedPages::contain(RunAddress address) const {
    return std::ranges::any_of(all_,
                               [&](const Pages& each) { return each.pages.contains(address); });
}

bool WatchedPages::watch(RunRange range) const {
    return std::ranges::any_of(all_,
                               [&](const Pages& each) { return overlap(range, each.watched); });
}

bool WatchedPages::refuse(const CallBuffer& buffer) const {
    RunRange range{RunAddress(buffer.address), RunAddress(buffer.address + buffer.size)};
    return std::ranges::any_of(all_, [&](const Pages& each) {
        return (buffer.is_written || each.against_reads) && overlap(range, each.pages);
    });
}

bool WatchedPages::are_pointed_at(const Registers& call, unsigned but_for) const {
    for (unsigned index = 0; index < kArgumentCount; ++index)
        if (index != but_for && contain(RunAddress(system_call_argument(call, index)))) return true;
    return false;
}

bool WatchedPages::may_be_reached(const Registers& call) const {
    for (unsigned index = 0; index < kArgumentCount; ++index) {
        std::uint64_t argument = system_call_argument(call, index);
        for (const Pages& each : all_)
            if (argument < each.pages.high.value &&
                argument + kReachOfCalls > each.pages.low.value && argument > kReachOfCalls)
                return true;
    }
    return false;
}

}  // namespace lantern
