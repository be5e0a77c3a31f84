// Calls that hand memory of a block to the kernel (read(2), write(2), recv(2), send(2)), and those
// of the C library that pass it on (fread, fwrite). The kernel does not stop at a page that nobody
// may touch: it does less, or returns an error, and the program would go another way than it goes
// alone, without a word. So what goes past the end of a block goes through memory of ours, and is
// told.
//
//     read(file, at, 100)    |block·········at·······|margin or no page|
//                                           |·· room ··|···· told ····|
#include <stdio.h>
#include <sys/mman.h>
#include <sys/socket.h>
#include <unistd.h>

#include "heap/next.h"
#include "heap/shared.h"

#define EXPORTED extern "C" __attribute__((visibility("default")))

namespace lantern::heap_library {
namespace {

// Memory that a call was handed and that is not all of one living block.
struct Handed {
    std::uint32_t number = 0;  // of the block's record; 0: nothing is wrong with it
    std::uint64_t room = 0;    // bytes up to the block's end
    bool is_freed = false;
};
Handed handed(std::uint64_t address, std::uint64_t count) {
    Meant meant = meant_by(address);
    if (!meant.block || !count || meant.block->address == 0 || address < meant.block->address)
        return {};
    std::uint64_t from_start = address - meant.block->address;
    std::uint64_t room = from_start < meant.block->size ? meant.block->size - from_start : 0;
    State state = __atomic_load_n(&meant.block->state, __ATOMIC_ACQUIRE);
    if (state == State::kept) return {meant.number, 0, true};
    if (state != State::live || count <= room) return {};
    return {meant.number, room, false};
}

// Memory of ours as long as the call takes.
class Instead {
  public:
    explicit Instead(std::uint64_t bytes) : bytes_(bytes) {
        void* made = bytes > kMost ? MAP_FAILED
                                   : mmap(nullptr, bytes, PROT_READ | PROT_WRITE,
                                          MAP_PRIVATE | MAP_ANONYMOUS, -1, 0);
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

  private:
    static constexpr std::uint64_t kMost = 64 << 20;
    std::uint64_t bytes_;
    void* memory_;
};

void tell_of_call(const Handed& to, const void* at, std::uint64_t done, Fault::Kind kind, Way way) {
    auto address = reinterpret_cast<std::uint64_t>(at);
    int before = errno;
    tell(to.is_freed ? Fault::Kind::call_on_freed : kind, to.number, address,
         {address + to.room, done - to.room}, done, way);
    errno = before;
}

// `call` fills memory, and returns how many bytes it has filled.
template <class Call>
auto filling(Way way, void* into, std::uint64_t count, const Call& call) {
    Handed to = handed(reinterpret_cast<std::uint64_t>(into), count);
    if (!to.number) return call(into);
    Instead instead(count);
    if (!instead.memory()) return call(into);
    auto result = call(instead.memory());
    auto done = static_cast<std::int64_t>(result) < 0 ? 0 : static_cast<std::uint64_t>(result);
    if (done > count) done = count;  // MSG_TRUNC: the whole length, though less was taken
    __builtin_memcpy(into, instead.memory(), done < to.room ? done : to.room);
    if (done > to.room) tell_of_call(to, into, done, Fault::Kind::filled_behind_end, way);
    return result;
}

// `call` reads memory, and returns how many bytes it has read.
template <class Call>
auto taking(Way way, const void* from, std::uint64_t count, const Call& call) {
    Handed to = handed(reinterpret_cast<std::uint64_t>(from), count);
    if (!to.number) return call(from);
    Instead instead(count);
    if (!instead.memory()) return call(from);
    __builtin_memset(instead.memory(), heap_tables::kMarginFill, count);
    __builtin_memcpy(instead.memory(), from, to.room);
    auto result = call(instead.memory());
    auto done = static_cast<std::int64_t>(result) < 0 ? 0 : static_cast<std::uint64_t>(result);
    if (done > to.room) tell_of_call(to, from, done, Fault::Kind::taken_behind_end, way);
    return result;
}

// The C library's own, found before the program begins: the first call may come in a signal
// handler.
struct Real {
    decltype(&::read) read = next<decltype(&::read)>("read");
    decltype(&::pread) pread = next<decltype(&::pread)>("pread");
    decltype(&::recv) recv = next<decltype(&::recv)>("recv");
    decltype(&::recvfrom) recvfrom = next<decltype(&::recvfrom)>("recvfrom");
    decltype(&::write) write = next<decltype(&::write)>("write");
    decltype(&::pwrite) pwrite = next<decltype(&::pwrite)>("pwrite");
    decltype(&::send) send = next<decltype(&::send)>("send");
    decltype(&::sendto) sendto = next<decltype(&::sendto)>("sendto");
    decltype(&::fread) fread = next<decltype(&::fread)>("fread");
    decltype(&::fwrite) fwrite = next<decltype(&::fwrite)>("fwrite");
};
const Real& real() {
    static const Real real;
    return real;
}

}  // namespace

void find_kernel_calls() {
    real();
}

}  // namespace lantern::heap_library

using namespace lantern::heap_library;

EXPORTED ssize_t read(int file, void* into, size_t count) {
    return filling(Way::read, into, count, [&](void* at) { return real().read(file, at, count); });
}

EXPORTED ssize_t pread(int file, void* into, size_t count, off_t from) {
    return filling(Way::pread, into, count,
                   [&](void* at) { return real().pread(file, at, count, from); });
}

EXPORTED ssize_t recv(int socket, void* into, size_t count, int flags) {
    return filling(Way::recv, into, count,
                   [&](void* at) { return real().recv(socket, at, count, flags); });
}

EXPORTED ssize_t recvfrom(int socket, void* into, size_t count, int flags, sockaddr* sender,
                          socklen_t* size) {
    return filling(Way::recvfrom, into, count, [&](void* at) {
        return real().recvfrom(socket, at, count, flags, sender, size);
    });
}

EXPORTED ssize_t write(int file, const void* from, size_t count) {
    return taking(Way::write, from, count,
                  [&](const void* at) { return real().write(file, at, count); });
}

EXPORTED ssize_t pwrite(int file, const void* from, size_t count, off_t to) {
    return taking(Way::pwrite, from, count,
                  [&](const void* at) { return real().pwrite(file, at, count, to); });
}

EXPORTED ssize_t send(int socket, const void* from, size_t count, int flags) {
    return taking(Way::send, from, count,
                  [&](const void* at) { return real().send(socket, at, count, flags); });
}

EXPORTED ssize_t sendto(int socket, const void* from, size_t count, int flags,
                        const sockaddr* receiver, socklen_t size) {
    return taking(Way::sendto, from, count, [&](const void* at) {
        return real().sendto(socket, at, count, flags, receiver, size);
    });
}

// Of elements, and they return how many of those.
EXPORTED size_t fread(void* into, size_t size, size_t count, FILE* file) {
    std::uint64_t bytes;
    if (!size || __builtin_mul_overflow(size, count, &bytes))
        return real().fread(into, size, count, file);
    return filling(Way::fread, into, bytes,
                   [&](void* at) -> std::uint64_t {
                       return real().fread(at, size, count, file) * size;
                   }) /
           size;
}

EXPORTED size_t fwrite(const void* from, size_t size, size_t count, FILE* file) {
    std::uint64_t bytes;
    if (!size || __builtin_mul_overflow(size, count, &bytes))
        return real().fwrite(from, size, count, file);
    return taking(Way::fwrite, from, bytes,
                  [&](const void* at) -> std::uint64_t {
                      return real().fwrite(at, size, count, file) * size;
                  }) /
           size;
}

// Where files may be large the same have these names.
EXPORTED ssize_t pread64(int file, void* into, size_t count, off_t from)
    __attribute__((alias("pread"), copy(pread)));
EXPORTED ssize_t pwrite64(int file, const void* from, size_t count, off_t to)
    __attribute__((alias("pwrite"), copy(pwrite)));
