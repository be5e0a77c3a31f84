#include "cli/disassemble_file.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <iterator>
#include <utility>
#include <vector>

#include "core/support/each_in_parallel.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

constexpr std::size_t kPiecesAtATime = 128;
constexpr std::size_t kPieceSize = 64 << 10;  // bytes of code that one thread takes at a time

using Symbols = std::vector<ElfSymbol>;  // by address

// The first symbol at or behind an address.
Symbols::const_iterator from(const Symbols& symbols, FileAddress address) {
    return std::lower_bound(
        symbols.begin(), symbols.end(), address,
        [](const ElfSymbol& symbol, FileAddress at) { return symbol.address < at; });
}

std::string name_at(const SymbolTable& table, FileAddress address) {
    const ElfSymbol* symbol = table.covering(address);
    if (!symbol) return {};
    std::uint64_t offset = address - symbol->address;
    return offset ? fmt::format("{}+{:#x}", symbol->name, offset) : std::string(symbol->name);
}

struct Piece {
    FileAddress begin;
    ByteSpan bytes;
    std::string text;
};

// Pieces begin at functions: an instruction is never cut.
std::vector<Piece> pieces_of(const Section& section, ByteSpan bytes, const Symbols& symbols) {
    std::vector<Piece> pieces;
    for (std::size_t at = 0; at < bytes.size();) {
        std::size_t end = bytes.size();
        if (at + kPieceSize < bytes.size()) {
            auto next = from(symbols, section.address + at + kPieceSize);
            while (next != symbols.end() && !next->is_function) ++next;
            if (next != symbols.end() && next->address < section.address + bytes.size())
                end = next->address - section.address;
        }
        pieces.push_back({section.address + at, bytes.subspan(at, end - at), {}});
        at = end;
    }
    return pieces;
}

void write_piece(Piece& piece, const SymbolTable& table, Syntax syntax) {
    Disassembler disassembler(
        syntax, [&](RunAddress address) { return name_at(table, FileAddress(address.value)); });
    auto next = from(table.symbols(), piece.begin);
    piece.text.reserve(piece.bytes.size() * 12);
    for (std::size_t at = 0; at < piece.bytes.size();) {
        FileAddress address = piece.begin + at;
        bool is_first = true;
        for (; next != table.symbols().end() && next->address <= address; ++next) {
            if (next->address != address || next->name.empty()) continue;
            if (std::exchange(is_first, false)) piece.text += '\n';
            piece.text += escape_for_display(next->name) + ":\n";
        }
        auto line = disassembler.at(piece.bytes.subspan(at), RunAddress(address.value));
        char digits[20] = "  ";
        char* end = std::to_chars(digits + 2, std::end(digits), address.value, 16).ptr;
        *end++ = ' ';
        *end++ = ' ';
        piece.text.append(digits, static_cast<std::size_t>(end - digits)).append(line.text) += '\n';
        at += line.length;
    }
}

}  // namespace

bool disassemble_file(const ModuleSymbols& symbols, Syntax syntax, std::FILE* out) {
    const SymbolTable& table = symbols.symbol_table();
    for (const Section& section : symbols.elf().sections()) {
        if (!section.is_code()) continue;
        std::string heading =
            fmt::format("{}── section {} ──\n", ftell(out) > 0 ? "\n" : "", section.name);
        if (std::fwrite(heading.data(), 1, heading.size(), out) != heading.size()) return false;
        std::vector<Piece> pieces =
            pieces_of(section, symbols.elf().bytes(section), table.symbols());
        // So many at a time, that a large program does not fill the memory.
        for (std::size_t begin = 0; begin < pieces.size(); begin += kPiecesAtATime) {
            std::size_t count = std::min(kPiecesAtATime, pieces.size() - begin);
            each_in_parallel(count, count > 1, {}, [&] {
                return [&](std::size_t i) { write_piece(pieces[begin + i], table, syntax); };
            });
            for (std::size_t i = begin; i < begin + count; ++i) {
                if (std::fwrite(pieces[i].text.data(), 1, pieces[i].text.size(), out) !=
                    pieces[i].text.size())
                    return false;
                std::string().swap(pieces[i].text);
            }
        }
    }
    return std::fflush(out) == 0;
}

}  // namespace lantern::cli
