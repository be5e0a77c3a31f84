#include "core/object/section_cache.h"

#include <fcntl.h>
#include <libdeflate.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cstring>

#include "core/support/guarded_mapping.h"
#include "core/support/kept_files.h"

namespace lantern {
namespace {

struct CacheHead {
    char magic[8] = {'l', 'a', 'n', 't', 'S', 'e', 'c', '1'};
    std::uint64_t size = 0;
    std::uint64_t checksum = 0;  // CRC-32
};

struct Mapping {
    Mapping(void* at, std::size_t size, std::string file)
        : at(at), size(size), guard(at, size, std::move(file)) {}
    ~Mapping() { munmap(at, size); }
    Mapping(const Mapping&) = delete;
    Mapping& operator=(const Mapping&) = delete;
    void* at;
    std::size_t size;
    GuardedMapping guard;
};

std::shared_ptr<const Mapping> mapped(const std::string& path, std::size_t size) {
    int file = open(path.c_str(), O_RDONLY | O_CLOEXEC);
    if (file < 0) return nullptr;
    struct stat facts {};
    void* at = MAP_FAILED;
    if (fstat(file, &facts) == 0 && static_cast<std::size_t>(facts.st_size) == size) {
        at = mmap(nullptr, size, PROT_READ, MAP_PRIVATE | MAP_POPULATE, file, 0);
        futimens(file, nullptr);  // used now; a failure only makes it go earlier
    }
    close(file);
    return at == MAP_FAILED ? nullptr : std::make_shared<const Mapping>(at, size, path);
}

}  // namespace

std::filesystem::path SectionCache::path_of(const std::string& build_id,
                                            const std::string& section) const {
    return folder_ / (build_id + section + ".section");
}

std::shared_ptr<const std::byte> SectionCache::find(const std::string& build_id,
                                                    const std::string& section,
                                                    std::uint64_t size) const {
    auto mapping = mapped(path_of(build_id, section).string(), sizeof(CacheHead) + size);
    if (!mapping) return nullptr;
    CacheHead head;
    std::memcpy(static_cast<void*>(&head), mapping->at, sizeof head);
    const std::byte* bytes = static_cast<const std::byte*>(mapping->at) + sizeof head;
    bool is_it = std::memcmp(head.magic, CacheHead().magic, sizeof head.magic) == 0 &&
                 head.size == size && head.checksum == libdeflate_crc32(0, bytes, size);
    return is_it ? std::shared_ptr<const std::byte>(mapping, bytes) : nullptr;
}

void SectionCache::keep(const std::string& build_id, const std::string& section,
                        ByteSpan bytes) const {
    CacheHead head;
    head.size = bytes.size();
    head.checksum = libdeflate_crc32(0, bytes.data(), bytes.size());
    keep_file(path_of(build_id, section), std::as_bytes(std::span(&head, 1)), bytes, limit_);
}

}  // namespace lantern
