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

// The linker's names by address, readable ones where they were mangled only when they head a function.
class Names {
  public:
    explicit Names(const ModuleSymbols& symbols) {
        for (const ElfSymbol& symbol : symbols.symbol_table().symbols())
            if (symbol.address.value && !symbol.name.empty()) all_.push_back(&symbol);
        std::stable_sort(all_.begin(), all_.end(), [](const ElfSymbol* a, const ElfSymbol* b) { return a->address < b->address; });
    }
    const ElfSymbol* at_or_before(FileAddress address) const {
        auto after = std::upper_bound(all_.begin(), all_.end(), address, [](FileAddress at, const ElfSymbol* symbol) { return at < symbol->address; });
        return after == all_.begin() ? nullptr : *std::prev(after);
    }
    // The first function that begins at or behind an address.
    std::vector<const ElfSymbol*>::const_iterator from(FileAddress address) const {
        return std::lower_bound(all_.begin(), all_.end(), address, [](const ElfSymbol* symbol, FileAddress at) { return symbol->address < at; });
    }
    std::vector<const ElfSymbol*>::const_iterator end() const { return all_.end(); }
    std::string text(RunAddress address) const {
        const ElfSymbol* symbol = at_or_before(FileAddress(address.value));
        if (!symbol) return {};
        std::uint64_t offset = address.value - symbol->address.value;
        if (symbol->size ? offset >= symbol->size : offset > 0) return {};
        return offset ? fmt::format("{}+{:#x}", symbol->name, offset) : std::string(symbol->name);
    }

  private:
    std::vector<const ElfSymbol*> all_;
};

struct Piece {
    FileAddress begin;
    ByteSpan bytes;
    std::string text;
};

// Pieces begin at functions: an instruction is never cut.
std::vector<Piece> pieces_of(const Section& section, ByteSpan bytes, const Names& names) {
    std::vector<Piece> pieces;
    for (std::size_t at = 0; at < bytes.size();) {
        std::size_t end = bytes.size();
        if (at + kPieceSize < bytes.size()) {
            auto next = names.from(section.address + at + kPieceSize);
            while (next != names.end() && !(*next)->is_function) ++next;
            if (next != names.end() && (*next)->address < section.address + bytes.size()) end = (*next)->address - section.address;
        }
        pieces.push_back({section.address + at, bytes.subspan(at, end - at), {}});
        at = end;
    }
    return pieces;
}

void write_piece(Piece& piece, const Names& names, Syntax syntax) {
    Disassembler disassembler(syntax, [&](RunAddress address) { return names.text(address); });
    auto next = names.from(piece.begin);
    piece.text.reserve(piece.bytes.size() * 12);
    for (std::size_t at = 0; at < piece.bytes.size();) {
        FileAddress address = piece.begin + at;
        bool is_first = true;
        for (; next != names.end() && (*next)->address <= address; ++next) {
            if ((*next)->address != address) continue;
            if (std::exchange(is_first, false)) piece.text += '\n';
            piece.text += escape_for_display((*next)->name) + ":\n";
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
    Names names(symbols);
    for (const Section& section : symbols.elf().sections()) {
        if (!section.is_code()) continue;
        std::string heading = fmt::format("{}── section {} ──\n", ftell(out) > 0 ? "\n" : "", section.name);
        if (std::fwrite(heading.data(), 1, heading.size(), out) != heading.size()) return false;
        std::vector<Piece> pieces = pieces_of(section, symbols.elf().bytes(section), names);
        // So many at a time, that a large program does not fill the memory.
        for (std::size_t begin = 0; begin < pieces.size(); begin += kPiecesAtATime) {
            std::size_t count = std::min(kPiecesAtATime, pieces.size() - begin);
            each_in_parallel(count, count > 1, {}, [&] { return [&](std::size_t i) { write_piece(pieces[begin + i], names, syntax); }; });
            for (std::size_t i = begin; i < begin + count; ++i) {
                if (std::fwrite(pieces[i].text.data(), 1, pieces[i].text.size(), out) != pieces[i].text.size()) return false;
                std::string().swap(pieces[i].text);
            }
        }
    }
    return std::fflush(out) == 0;
}

}  // namespace lantern::cli
