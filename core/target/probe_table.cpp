#include "core/target/probe_table.h"

#include <algorithm>

#include "core/machine/instruction.h"

namespace lantern {

bool ProbeTable::Probe::is_wanted() const {
    return std::any_of(wanted.begin(), wanted.end(), [](unsigned times) { return times != 0; });
}

void ProbeTable::want(RunAddress at, ProbeClient client, std::byte original) {
    auto [found, is_new] = probes_.try_emplace(at);
    if (is_new) found->second.original = original;
    ++found->second.wanted[static_cast<std::size_t>(client)];
    is_due_ |= !found->second.stands;
}

void ProbeTable::drop(RunAddress at, ProbeClient client) {
    auto found = probes_.find(at);
    if (found == probes_.end()) return;
    unsigned& times = found->second.wanted[static_cast<std::size_t>(client)];
    if (times) --times;
    if (found->second.is_wanted()) return;
    if (found->second.stands)
        is_due_ = true;
    else
        probes_.erase(found);
}

bool ProbeTable::is_wanted(RunAddress at) const {
    auto found = probes_.find(at);
    return found != probes_.end() && found->second.is_wanted();
}

bool ProbeTable::is_wanted_by(RunAddress at, ProbeClient client) const {
    auto found = probes_.find(at);
    return found != probes_.end() && found->second.wanted[static_cast<std::size_t>(client)] != 0;
}

// Memory that is not there any more, a library's that was unloaded, takes its bytes along.
void ProbeTable::apply(KernelMemory& memory) {
    if (!is_due()) return;
    is_due_ = false;
    for (auto each = probes_.begin(); each != probes_.end();) {
        auto& [at, probe] = *each;
        bool should_stand = probe.is_wanted() && !probe.is_lifted;
        if (should_stand != probe.stands) {
            memory.write(at, ByteSpan(should_stand ? &kTrapByte : &probe.original, 1));
            probe.stands = should_stand;
            if (should_stand) originals_[at] = probe.original;
        }
        each = probe.is_wanted() ? std::next(each) : probes_.erase(each);
    }
}

void ProbeTable::lift(RunAddress at) {
    auto found = probes_.find(at);
    if (found == probes_.end()) return;
    found->second.is_lifted = true;
    is_due_ |= found->second.stands;
}

void ProbeTable::set_back(RunAddress at) {
    auto found = probes_.find(at);
    if (found == probes_.end()) return;
    found->second.is_lifted = false;
    is_due_ |= !found->second.stands;
}

void ProbeTable::withdraw(KernelMemory& memory) {
    ++withdrawn_;
    clean(memory);
    for (auto& [at, probe] : probes_) probe.stands = false;
    std::erase_if(probes_, [](const auto& each) { return !each.second.is_wanted(); });
}

void ProbeTable::restore() {
    if (withdrawn_) --withdrawn_;
    is_due_ = true;
}

void ProbeTable::clean(KernelMemory& memory) const {
    for (const auto& [at, original] : originals_) {
        std::byte now{};
        if (memory.read(at, std::span(&now, 1)) == 1 && now == kTrapByte)
            memory.write(at, ByteSpan(&original, 1));
    }
}

void ProbeTable::forget() {
    probes_.clear();
    originals_.clear();
    is_due_ = false;
    withdrawn_ = 0;
}

void ProbeTable::hide(RunAddress address, std::span<std::byte> bytes) const {
    for (auto probe = probes_.lower_bound(address);
         probe != probes_.end() && probe->first < address + bytes.size(); ++probe)
        if (probe->second.stands) bytes[probe->first - address] = probe->second.original;
}

std::vector<std::byte> ProbeTable::with_ours(RunAddress address, ByteSpan bytes) const {
    std::vector<std::byte> patched(bytes.begin(), bytes.end());
    for (auto probe = probes_.lower_bound(address);
         probe != probes_.end() && probe->first < address + bytes.size(); ++probe)
        if (probe->second.stands) patched[probe->first - address] = kTrapByte;
    return patched;
}

void ProbeTable::take_originals(RunAddress address, ByteSpan bytes) {
    for (auto probe = probes_.lower_bound(address);
         probe != probes_.end() && probe->first < address + bytes.size(); ++probe)
        originals_[probe->first] = probe->second.original = bytes[probe->first - address];
}

}  // namespace lantern
