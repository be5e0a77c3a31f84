// What a program says about where its symbols went, and what is compressed in it.
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <lzma.h>
#include <zlib.h>

#include "core/object/compression.h"
#include "core/object/debug_link.h"
#include "core/support/error.h"
#include "tests/testing/command.h"

namespace lantern {
namespace {

using testing::fixture;

std::string text_of(ByteSpan bytes) {
    return {reinterpret_cast<const char*>(bytes.data()), bytes.size()};
}

TEST(DebugLink, NamesTheFileAndItsChecksum) {
    ElfFile program(fixture("barges-linked/barges"));
    auto link = read_debug_link(program);
    ASSERT_TRUE(link);
    EXPECT_EQ(link->name, "barges.debug");
    auto debug = ElfFile::open_symbol_file(fixture("barges-linked/barges.debug"));
    EXPECT_EQ(checksum_of(*debug), link->checksum);
    EXPECT_EQ(debug->build_id(), program.build_id());
    EXPECT_FALSE(read_debug_link(*debug));
    EXPECT_FALSE(read_shared_link(program));
    EXPECT_EQ(open_inner_symbols(program), nullptr);
    // The toolchain's own reading of the same.
    auto dump = testing::run({"readelf", "--debug-dump=links", fixture("barges-linked/barges")});
    EXPECT_NE(dump.output.find(fmt::format("{:#x}", link->checksum)), std::string::npos)
        << dump.output;
}

TEST(SharedLink, NamesTheFileAndItsBuild) {
    if (!HAVE_DWZ) GTEST_SKIP() << "dwz is not here";
    auto link = read_shared_link(ElfFile(fixture("barges-shared/barges")));
    ASSERT_TRUE(link);
    EXPECT_EQ(link->path, "common");
    EXPECT_EQ(link->build_id,
              ElfFile::open_symbol_file(fixture("barges-shared/common"))->build_id());
}

TEST(SymbolFile, MayBeUnlinkedWhereAProgramMayNot) {
    std::string split = fixture("barges-clangsplit5/barges.dwo");
    if (!std::filesystem::exists(split)) GTEST_SKIP() << "clang is not here";
    EXPECT_THROW(ElfFile{split}, FileError);
    auto file = ElfFile::open_symbol_file(split);
    EXPECT_FALSE(file->bytes(".debug_info.dwo").empty());
    EXPECT_THROW(ElfFile::open_symbol_file(SOURCE_FOLDER "/README.md"), FileError);
    EXPECT_THROW(ElfFile::open_symbol_file("/no/such/file"), FileError);
}

TEST(Compression, HeadsSayHowAndHowLarge) {
    std::string head("\1\0\0\0\0\0\0\0\x10\x27\0\0\0\0\0\0\1\0\0\0\0\0\0\0", 24);
    auto read = read_compression_head(std::as_bytes(std::span(head)));
    ASSERT_TRUE(read);
    EXPECT_EQ(std::string(read->name), "zlib");
    EXPECT_EQ(read->size, 10'000u);
    head[0] = 2;
    EXPECT_TRUE(read_compression_head(std::as_bytes(std::span(head)))->is_zstd);
    head[0] = 9;
    EXPECT_FALSE(read_compression_head(std::as_bytes(std::span(head))));
    EXPECT_FALSE(read_compression_head(std::as_bytes(std::span(head)).first(23)));
    std::string old("ZLIB\0\0\0\0\0\0\x27\x10", 12);
    EXPECT_EQ(read_old_compression_head(std::as_bytes(std::span(old)))->size, 10'000u);
    old[0] = 'X';
    EXPECT_FALSE(read_old_compression_head(std::as_bytes(std::span(old))));
}

TEST(Compression, ComesBackWholeOrNotAtAll) {
    std::string plain;
    for (int i = 0; i < 500; ++i) plain += "chamber " + std::to_string(i * i) + ", ";
    std::string packed(compressBound(plain.size()), '\0');
    uLongf size = packed.size();
    ASSERT_EQ(compress(reinterpret_cast<Bytef*>(packed.data()), &size,
                       reinterpret_cast<const Bytef*>(plain.data()), plain.size()),
              Z_OK);
    packed.resize(size);
    CompressionHead head{"zlib", plain.size(), 0, false};
    auto whole = decompress(head, std::as_bytes(std::span(packed)));
    EXPECT_EQ(text_of(ByteSpan(whole.get(), plain.size())), plain);
    EXPECT_THROW(decompress(head, std::as_bytes(std::span(packed)).first(size / 2)), FormatError);
    head.size = plain.size() + 1;
    EXPECT_THROW(decompress(head, std::as_bytes(std::span(packed))), FormatError)
        << "fewer bytes than announced";
    head.size = std::uint64_t{1} << 50;
    EXPECT_THROW(decompress(head, std::as_bytes(std::span(packed))), FormatError)
        << "no memory is asked for";
    head = {"zstd", plain.size(), 0, true};
    EXPECT_THROW(decompress(head, std::as_bytes(std::span(packed))), FormatError);
}

TEST(Compression, XzComesBackWholeOrNotAtAll) {
    std::string plain(300'000, 'w');
    std::vector<std::uint8_t> packed(lzma_stream_buffer_bound(plain.size()));
    std::size_t size = 0;
    ASSERT_EQ(lzma_easy_buffer_encode(6, LZMA_CHECK_CRC32, nullptr,
                                      reinterpret_cast<const std::uint8_t*>(plain.data()),
                                      plain.size(), packed.data(), &size, packed.size()),
              LZMA_OK);
    packed.resize(size);
    EXPECT_THROW(decompress_xz(std::as_bytes(std::span(packed)).first(size / 2)), FormatError);
    EXPECT_THROW(decompress_xz(std::as_bytes(std::span(plain)).first(100)), FormatError);
    std::vector<std::byte> whole = decompress_xz(std::as_bytes(std::span(packed)));
    EXPECT_EQ(text_of(whole), plain);
}

}  // namespace
}  // namespace lantern
