#include "core/symbols/index_file.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cstring>

#include "core/support/kept_files.h"

namespace lantern {

namespace fs = std::filesystem;

namespace {

constexpr char kMagic[8] = {'E', 'L', 'M', 'I', 'N', 'D', 'E', 'X'};
constexpr std::uint32_t kVersion = 2;  // counts up whenever a record or what is in it changes

struct IndexHeader {
    char magic[8];
    std::uint32_t version, header_size;
    std::uint64_t fingerprint;
    std::uint64_t names, scopes, code, units, heads,
        chain;  // elements of each table, which follow in this order
};
static_assert(sizeof(NameEntry) == 24 && sizeof(NameScope) == 32 && sizeof(CodeRange) == 24 &&
              sizeof(UnitSlice) == 16);

void mix(std::uint64_t& hash, ByteSpan bytes) {
    for (std::byte b : bytes) hash = (hash ^ static_cast<std::uint64_t>(b)) * 0x100000001b3;
}

void mix_number(std::uint64_t& hash, std::uint64_t number) {
    mix(hash, std::as_bytes(std::span(&number, 1)));
}

// Tables are cut off the front; nothing if one does not fit.
class Cutter {
  public:
    explicit Cutter(ByteSpan bytes) : rest_(bytes) {}
    template <class T>
    std::span<const T> cut(std::uint64_t count) {
        // Each table is filled up to a multiple of eight bytes.
        if (count > rest_.size() / sizeof(T) || (count * sizeof(T) + 7) / 8 * 8 > rest_.size()) {
            good_ = false;
            return {};
        }
        std::span<const T> table(reinterpret_cast<const T*>(rest_.data()), count);
        rest_ = rest_.subspan((count * sizeof(T) + 7) / 8 * 8);
        return table;
    }
    bool good() const { return good_ && rest_.empty(); }

  private:
    ByteSpan rest_;
    bool good_ = true;
};

template <class T>
void append(std::string& out, std::span<const T> table) {
    out.append(reinterpret_cast<const char*>(table.data()), table.size_bytes());
    while (out.size() % 8) out += '\0';
}

fs::path file_of(const fs::path& folder, const std::string& build_id) {
    return folder / (build_id + ".index");
}

}  // namespace

std::uint64_t fingerprint_of(const dwarf::DebugInfo& info, const std::string& build_id) {
    std::uint64_t hash = 0xcbf29ce484222325;
    mix(hash, std::as_bytes(std::span(build_id)));
    mix_number(hash, info.units().size());
    for (const auto& section : info.sections()) {
        mix_number(hash, section->bytes.size());
        std::size_t part = std::min<std::size_t>(64, section->bytes.size());
        mix(hash, section->bytes.first(part));
        mix(hash, section->bytes.last(part));
        mix_number(hash, section->sections.str.size());
    }
    return hash;
}

std::optional<SymbolIndex> index_over(ByteSpan file, std::uint64_t fingerprint,
                                      const dwarf::DebugInfo& info,
                                      std::shared_ptr<const void> keeper) {
    IndexHeader header;
    if (file.size() < sizeof header) return std::nullopt;
    std::memcpy(&header, file.data(), sizeof header);
    bool fits = std::memcmp(header.magic, kMagic, sizeof kMagic) == 0 &&
                header.version == kVersion && header.header_size == sizeof header &&
                header.fingerprint == fingerprint && header.units == info.units().size() + 1;
    if (!fits) return std::nullopt;
    Cutter cutter(file.subspan(sizeof header));
    SymbolIndex::Tables tables;
    tables.names = cutter.cut<NameEntry>(header.names);
    tables.scopes = cutter.cut<NameScope>(header.scopes);
    tables.code = cutter.cut<CodeRange>(header.code);
    tables.units = cutter.cut<UnitSlice>(header.units);
    tables.heads = cutter.cut<std::uint32_t>(header.heads);
    tables.chain = cutter.cut<std::uint32_t>(header.chain);
    if (!cutter.good()) return std::nullopt;
    return SymbolIndex(info, tables, std::move(keeper));
}

std::optional<SymbolIndex> load_index(const fs::path& folder, const std::string& build_id,
                                      const dwarf::DebugInfo& info) {
    int file = open(file_of(folder, build_id).c_str(), O_RDONLY | O_CLOEXEC);
    if (file < 0) return std::nullopt;
    struct stat facts {};
    void* at = MAP_FAILED;
    std::size_t size = 0;
    if (fstat(file, &facts) == 0 && facts.st_size > 0) {
        size = static_cast<std::size_t>(facts.st_size);
        at = mmap(nullptr, size, PROT_READ, MAP_PRIVATE, file, 0);
        futimens(file, nullptr);  // used now; a failure only makes it go earlier
    }
    close(file);
    if (at == MAP_FAILED) return std::nullopt;
    std::shared_ptr<const void> mapped(
        at, [size](const void* start) { munmap(const_cast<void*>(start), size); });
    return index_over(ByteSpan(static_cast<const std::byte*>(at), size),
                      fingerprint_of(info, build_id), info, mapped);
}

std::string index_bytes(const SymbolIndex& index, std::uint64_t fingerprint) {
    const SymbolIndex::Tables& t = index.tables();
    IndexHeader header{};
    std::memcpy(header.magic, kMagic, sizeof kMagic);
    header.version = kVersion;
    header.header_size = sizeof header;
    header.fingerprint = fingerprint;
    header.names = t.names.size();
    header.scopes = t.scopes.size();
    header.code = t.code.size();
    header.units = t.units.size();
    header.heads = t.heads.size();
    header.chain = t.chain.size();
    std::string out;
    out.reserve(sizeof header + index.memory() + 64);
    out.append(reinterpret_cast<const char*>(&header), sizeof header);
    append(out, t.names);
    append(out, t.scopes);
    append(out, t.code);
    append(out, t.units);
    append(out, t.heads);
    append(out, t.chain);
    return out;
}

bool save_index(const fs::path& folder, const std::string& build_id, const SymbolIndex& index,
                const dwarf::DebugInfo& info, std::uint64_t limit) {
    std::string bytes = index_bytes(index, fingerprint_of(info, build_id));
    return keep_file(file_of(folder, build_id), {}, std::as_bytes(std::span(bytes)), limit);
}

}  // namespace lantern
