// Memory of blocks that a call hands to the kernel. The kernel does not stop at a page that nobody
// may touch: it does less, or returns an error, and the program would go another way than it goes
// alone, without a word. So what goes past the end of a block goes through memory of ours, and is
// told.
//
//     read(file, at, 100)    |block·········at·······|margin or no page|
//                                           |·· room ··|···· told ····|
//
// A call may be handed several pieces (readv(2)); the others stay where they are.
#pragma once

#include <errno.h>
#include <sys/mman.h>
#include <sys/uio.h>

#include "heap/shared.h"

namespace lantern::heap_library {

// A piece that is not all of one living block.
struct Handed {
    std::uint32_t number = 0;  // of the block's record; 0: nothing is wrong with it
    std::uint64_t room = 0;    // bytes up to the block's end
    bool is_freed = false;
};
inline Handed handed(const iovec& piece) {
    auto address = reinterpret_cast<std::uint64_t>(piece.iov_base);
    Meant meant = meant_by(address);
    if (!meant.block || !piece.iov_len || meant.block->address == 0 ||
        address < meant.block->address)
        return {};
    std::uint64_t from_start = address - meant.block->address;
    std::uint64_t room = from_start < meant.block->size ? meant.block->size - from_start : 0;
    State state = __atomic_load_n(&meant.block->state, __ATOMIC_ACQUIRE);
    if (state == State::kept) return {meant.number, 0, true};
    if (state != State::live || piece.iov_len <= room) return {};
    return {meant.number, room, false};
}

// Memory of ours as long as the call takes.
class Instead {
  public:
    explicit Instead(std::uint64_t bytes) : bytes_(bytes) {
        void* made =
            bytes ? mmap(nullptr, bytes, PROT_READ | PROT_WRITE, MAP_PRIVATE | MAP_ANONYMOUS, -1, 0)
                  : MAP_FAILED;
        memory_ = made == MAP_FAILED ? nullptr : made;
    }
    ~Instead() {
        int before = errno;
        if (memory_) munmap(memory_, bytes_);
        errno = before;
    }
    Instead(const Instead&) = delete;
    Instead& operator=(const Instead&) = delete;
    void* memory() const { return memory_; }

    static constexpr std::uint64_t kMost = 64 << 20;

  private:
    std::uint64_t bytes_;
    void* memory_;
};

// The pieces of a call, each with something wrong replaced by memory of ours. What is wrong is
// judged once: another thread may free a block meanwhile.
//
//     | what is wrong with each | the pieces to use | room for the bytes of all |
class Pieces {
  public:
    Pieces(const iovec* pieces, std::uint64_t count)
        : theirs_(pieces), count_(count), instead_(bytes_for(pieces, count)) {
        if (!instead_.memory()) return;
        judged_ = static_cast<Handed*>(instead_.memory());
        ours_ = reinterpret_cast<iovec*>(judged_ + count);
        auto* next = reinterpret_cast<char*>(ours_ + count);
        for (std::uint64_t i = 0; i < count; ++i) {
            judged_[i] = handed(pieces[i]);
            ours_[i] = pieces[i];
            if (judged_[i].number) ours_[i].iov_base = next;
            next += pieces[i].iov_len;
        }
    }
    // What the call is to be made with.
    const iovec* used() const { return ours_ ? ours_ : theirs_; }
    // Of each piece that was replaced: what is wrong with it, itself, ours, and how many of the
    // call's `done` bytes are of it.
    template <class Each>
    void for_replaced(std::uint64_t done, const Each& each) const {
        if (!ours_) return;
        for (std::uint64_t i = 0; i < count_; ++i) {
            std::uint64_t part = done < theirs_[i].iov_len ? done : theirs_[i].iov_len;
            done -= part;
            if (judged_[i].number) each(judged_[i], theirs_[i].iov_base, ours_[i].iov_base, part);
        }
    }

  private:
    static constexpr std::uint64_t kMostPieces = 1024;  // IOV_MAX; with more the call fails

    // 0 where nothing is wrong, or there is too much for us.
    static std::uint64_t bytes_for(const iovec* pieces, std::uint64_t count) {
        if (count > kMostPieces) return 0;
        std::uint64_t bytes = 0;
        bool is_wrong = false;
        for (std::uint64_t i = 0; i < count; ++i) {
            is_wrong |= handed(pieces[i]).number != 0;
            if (__builtin_add_overflow(bytes, pieces[i].iov_len, &bytes)) return 0;
        }
        return is_wrong && bytes <= Instead::kMost
                   ? bytes + count * (sizeof(iovec) + sizeof(Handed))
                   : 0;
    }

    const iovec* theirs_;
    std::uint64_t count_;
    Instead instead_;
    Handed* judged_ = nullptr;
    iovec* ours_ = nullptr;
};

inline void tell_of_call(const Handed& to, const void* at, std::uint64_t done, Fault::Kind kind,
                         Way way) {
    auto address = reinterpret_cast<std::uint64_t>(at);
    int before = errno;
    tell(to.is_freed ? Fault::Kind::call_on_freed : kind, to.number, address,
         {address + to.room, done - to.room}, done, way);
    errno = before;
}

// `call` fills the pieces it is given, and returns how many bytes it has filled; below 0 if it
// failed.
template <class Call>
std::int64_t filling(Way way, const iovec* pieces, std::uint64_t count, const Call& call) {
    Pieces replaced(pieces, count);
    std::int64_t done = call(replaced.used());
    if (done > 0)
        replaced.for_replaced(
            static_cast<std::uint64_t>(done),
            [&](const Handed& to, void* into, const void* ours, std::uint64_t part) {
                __builtin_memcpy(into, ours, part < to.room ? part : to.room);
                if (part > to.room)
                    tell_of_call(to, into, part, Fault::Kind::filled_behind_end, way);
            });
    return done;
}

// `call` reads the pieces it is given, and returns how many bytes it has read; below 0 if it
// failed.
template <class Call>
std::int64_t taking(Way way, const iovec* pieces, std::uint64_t count, const Call& call) {
    Pieces replaced(pieces, count);
    replaced.for_replaced(~std::uint64_t{0},
                          [](const Handed& to, const void* from, void* ours, std::uint64_t part) {
                              __builtin_memset(ours, heap_tables::kMarginFill, part);
                              __builtin_memcpy(ours, from, to.room);
                          });
    std::int64_t done = call(replaced.used());
    if (done > 0)
        replaced.for_replaced(
            static_cast<std::uint64_t>(done),
            [&](const Handed& to, const void* from, const void*, std::uint64_t part) {
                if (part > to.room)
                    tell_of_call(to, from, part, Fault::Kind::taken_behind_end, way);
            });
    return done;
}

// The same of one piece: `call` is given where it lies.
template <class Call>
std::int64_t filling(Way way, void* into, std::uint64_t count, const Call& call) {
    iovec piece{into, count};
    return filling(way, &piece, 1,
                   [&](const iovec* used) -> std::int64_t { return call(used->iov_base); });
}
template <class Call>
std::int64_t taking(Way way, const void* from, std::uint64_t count, const Call& call) {
    iovec piece{const_cast<void*>(from), count};
    return taking(way, &piece, 1,
                  [&](const iovec* used) -> std::int64_t { return call(used->iov_base); });
}

}  // namespace lantern::heap_library
