// One ELF executable or shared library, opened through libelf and mapped, not copied: header facts,
// sections, segments, build id. (System V gABI, chapters 4 and 5.)
#pragma once

#include <cstdint>
#include <filesystem>
#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/support/address.h"
#include "core/support/byte_reader.h"
#include "core/support/guarded_mapping.h"

struct Elf;

namespace lantern {

class SectionCache;

struct Section {
    std::string name;
    FileAddress address;     // 0 when the section is not loaded
    std::uint64_t size = 0;  // bytes once loaded or decompressed
    std::uint64_t stored_size =
        0;  // bytes in the file: fewer where it is compressed, 0 where the file holds none
    std::string compression;  // "zlib", "zstd", "zlib, old form"; empty if it is not compressed
    std::uint64_t flags = 0;
    std::uint32_t type = 0;
    std::uint32_t index = 0;

    bool is_code() const;
};

struct Segment {  // PT_LOAD only
    FileRange range;
    std::uint64_t file_offset = 0, file_size = 0;
    bool readable = false, writable = false, executable = false;
};

// Tells whether a path still leads to the very file that was opened.
struct FileStamp {
    std::uint64_t inode = 0, size = 0;
    std::int64_t modified_ns = 0;
    bool operator==(const FileStamp&) const = default;
};
std::optional<FileStamp> stamp_of(
    const std::filesystem::path& path);  // nothing if there is no such file

class ElfFile {
  public:
    // Throws FileError with a plain sentence for anything that is not an x86-64 executable or
    // shared library: missing, a folder, a script, another format, 32-bit, another processor, a
    // relocatable object, cut short.
    explicit ElfFile(const std::filesystem::path& path);
    // An image that was copied out of a process (the vDSO). Throws FormatError.
    ElfFile(std::vector<std::byte> image, std::string name);
    // A file that only holds symbols: a separate debug file, or the split file of one unit, which
    // is not linked. Throws FileError as above.
    static std::unique_ptr<ElfFile> open_symbol_file(const std::filesystem::path& path);
    ~ElfFile();
    ElfFile(const ElfFile&) = delete;
    ElfFile& operator=(const ElfFile&) = delete;

    const std::filesystem::path& path() const { return path_; }
    bool position_independent() const { return position_independent_; }
    bool dynamic() const { return !interpreter_.empty(); }
    bool is_executable_file() const { return is_program_; }  // false: a shared library
    const std::string& interpreter() const { return interpreter_; }
    FileAddress entry() const { return entry_; }
    const std::string& build_id() const {
        return build_id_;
    }  // lower-case hex, empty if the file has none
    // Seconds since 1970; 0 for an image from memory. Used to see which source files are newer than
    // the program.
    std::int64_t modified_at() const { return stamp_.modified_ns / 1'000'000'000; }
    const FileStamp& stamp() const { return stamp_; }
    // Not empty: the file is not whole, and what was lost with it.
    const std::string& damage() const { return damage_; }

    const std::vector<Section>& sections() const { return sections_; }
    const std::vector<Segment>& segments() const { return segments_; }
    const Section* section(std::string_view name) const;  // null if there is none
    const Section* section_at(FileAddress address) const;
    // Where large sections that are decompressed are kept and looked for; borrowed. Null: nowhere.
    void use(const SectionCache* cache) { cache_ = cache; }
    // The section's bytes, decompressed if need be; empty if the file has no such section. Borrowed
    // from this object. Safe to call from several threads. Throws FormatError.
    ByteSpan bytes(std::string_view section_name) const;
    ByteSpan bytes(const Section& section) const;
    std::uint64_t file_size() const { return file_.size(); }
    ByteSpan whole_file() const { return file_; }
    // Bytes of the file as they would be loaded at this address; empty where the file holds none.
    ByteSpan loaded_bytes(FileAddress address, std::uint64_t size) const;
    // Thread-local storage image (PT_TLS): its size and alignment in memory, and where the file has
    // what its beginning is filled with. Nothing if there is none.
    struct ThreadLocal {
        std::uint64_t size, alignment;
        FileAddress at;
    };
    std::optional<ThreadLocal> thread_local_image() const { return thread_local_; }

  private:
    enum class Purpose { program, symbols };
    ElfFile(const std::filesystem::path& path, Purpose purpose);
    ByteSpan decompressed(const Section& section, ByteSpan stored) const;
    std::shared_ptr<const std::byte> unpacked(const Section& section, ByteSpan stored) const;
    void read_headers();
    void read_segments();
    void read_sections();
    void describe_compression(Section& section, std::uint64_t offset) const;
    void read_build_id();

    std::filesystem::path path_;
    std::vector<std::byte> image_;
    int fd_ = -1;
    Elf* elf_ = nullptr;
    ByteSpan file_;
    GuardedMapping guard_;  // it may be cut while we read it
    FileStamp stamp_;
    std::string damage_;
    Purpose purpose_ = Purpose::program;
    bool position_independent_ = false, is_program_ = false;
    FileAddress entry_;
    std::string interpreter_, build_id_;
    std::vector<Section> sections_;
    std::vector<Segment> segments_;
    std::optional<ThreadLocal> thread_local_;
    mutable std::mutex decompressing_;
    mutable std::map<std::uint32_t, std::shared_ptr<const std::byte>>
        decompressed_;  // by section index
    const SectionCache* cache_ = nullptr;
};

}  // namespace lantern
