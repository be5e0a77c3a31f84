// Files that are mapped into our memory can be cut by others while we read them: the kernel then
// sends SIGBUS. Here that becomes something to be told: zeros are read from there on, and who asks
// learns which file it was.
#pragma once

#include <cstddef>
#include <optional>
#include <string>

namespace lantern {

// As long as it lives, a fault inside of these bytes of ours is healed. `begin` is the address of a
// mapping of a file.
class GuardedMapping {
  public:
    GuardedMapping() = default;
    GuardedMapping(const void* begin, std::size_t size, std::string file);
    ~GuardedMapping();
    GuardedMapping(GuardedMapping&& other) noexcept;
    GuardedMapping& operator=(GuardedMapping&& other) noexcept;

  private:
    int slot_ = -1;
};

// A file that was found to be cut since this was asked last; nothing if none was. What was read of
// it meanwhile may be wrong.
std::optional<std::string> take_cut_file();

// For whoever handles SIGBUS himself: true where the address lies in a guarded mapping, and can be
// read now. Async-signal-safe.
bool heal_mapping(const void* address);

}  // namespace lantern
