// Calls that hand memory of a block to the kernel (read(2), writev(2), recvmsg(2) …), and those of
// the C library that pass it on (fread, fwrite): see handed.h.
#include <stdio.h>
#include <string.h>
#include <sys/random.h>
#include <sys/socket.h>
#include <unistd.h>

#include "heap/handed.h"
#include "heap/next.h"

#define EXPORTED extern "C" __attribute__((visibility("default")))

namespace lantern::heap_library {
namespace {

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
    decltype(&::readv) readv = next<decltype(&::readv)>("readv");
    decltype(&::preadv) preadv = next<decltype(&::preadv)>("preadv");
    decltype(&::recvmsg) recvmsg = next<decltype(&::recvmsg)>("recvmsg");
    decltype(&::writev) writev = next<decltype(&::writev)>("writev");
    decltype(&::pwritev) pwritev = next<decltype(&::pwritev)>("pwritev");
    decltype(&::sendmsg) sendmsg = next<decltype(&::sendmsg)>("sendmsg");
    decltype(&::readlink) readlink = next<decltype(&::readlink)>("readlink");
    decltype(&::getcwd) getcwd = next<decltype(&::getcwd)>("getcwd");
    decltype(&::getrandom) getrandom = next<decltype(&::getrandom)>("getrandom");
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

// Several pieces at once.
EXPORTED ssize_t readv(int file, const iovec* pieces, int count) {
    return filling(Way::readv, pieces, static_cast<std::uint64_t>(count),
                   [&](const iovec* at) { return real().readv(file, at, count); });
}

EXPORTED ssize_t preadv(int file, const iovec* pieces, int count, off_t from) {
    return filling(Way::preadv, pieces, static_cast<std::uint64_t>(count),
                   [&](const iovec* at) { return real().preadv(file, at, count, from); });
}

EXPORTED ssize_t writev(int file, const iovec* pieces, int count) {
    return taking(Way::writev, pieces, static_cast<std::uint64_t>(count),
                  [&](const iovec* at) { return real().writev(file, at, count); });
}

EXPORTED ssize_t pwritev(int file, const iovec* pieces, int count, off_t to) {
    return taking(Way::pwritev, pieces, static_cast<std::uint64_t>(count),
                  [&](const iovec* at) { return real().pwritev(file, at, count, to); });
}

EXPORTED ssize_t recvmsg(int socket, msghdr* message, int flags) {
    iovec* pieces = message->msg_iov;
    return filling(Way::recvmsg, pieces, message->msg_iovlen, [&](const iovec* at) {
        message->msg_iov = const_cast<iovec*>(at);
        ssize_t done = real().recvmsg(socket, message, flags);
        message->msg_iov = pieces;
        return done;
    });
}

EXPORTED ssize_t sendmsg(int socket, const msghdr* message, int flags) {
    return taking(Way::sendmsg, message->msg_iov, message->msg_iovlen, [&](const iovec* at) {
        msghdr ours = *message;
        ours.msg_iov = const_cast<iovec*>(at);
        return real().sendmsg(socket, &ours, flags);
    });
}

// They fill as much as they have to say.
EXPORTED ssize_t readlink(const char* path, char* into, size_t count) {
    return filling(Way::readlink, into, count,
                   [&](void* at) { return real().readlink(path, static_cast<char*>(at), count); });
}

EXPORTED char* getcwd(char* into, size_t count) {
    if (!into) return real().getcwd(into, count);  // in a block that it asks for itself
    std::int64_t done = filling(Way::getcwd, into, count, [&](void* at) -> std::int64_t {
        const char* path = real().getcwd(static_cast<char*>(at), count);
        return path ? static_cast<std::int64_t>(strlen(path) + 1) : -1;
    });
    return done < 0 ? nullptr : into;
}

EXPORTED ssize_t getrandom(void* into, size_t count, unsigned flags) {
    return filling(Way::getrandom, into, count,
                   [&](void* at) { return real().getrandom(at, count, flags); });
}

// Of elements, and they return how many of those.
EXPORTED size_t fread(void* into, size_t size, size_t count, FILE* file) {
    std::uint64_t bytes;
    if (!size || __builtin_mul_overflow(size, count, &bytes))
        return real().fread(into, size, count, file);
    auto done = filling(Way::fread, into, bytes, [&](void* at) {
        return static_cast<std::int64_t>(real().fread(at, size, count, file) * size);
    });
    return static_cast<size_t>(done) / size;
}

EXPORTED size_t fwrite(const void* from, size_t size, size_t count, FILE* file) {
    std::uint64_t bytes;
    if (!size || __builtin_mul_overflow(size, count, &bytes))
        return real().fwrite(from, size, count, file);
    auto done = taking(Way::fwrite, from, bytes, [&](const void* at) {
        return static_cast<std::int64_t>(real().fwrite(at, size, count, file) * size);
    });
    return static_cast<size_t>(done) / size;
}

// Where files may be large the same have these names.
EXPORTED ssize_t pread64(int file, void* into, size_t count, off_t from)
    __attribute__((alias("pread"), copy(pread)));
EXPORTED ssize_t pwrite64(int file, const void* from, size_t count, off_t to)
    __attribute__((alias("pwrite"), copy(pwrite)));
EXPORTED ssize_t preadv64(int file, const iovec* pieces, int count, off_t from)
    __attribute__((alias("preadv"), copy(preadv)));
EXPORTED ssize_t pwritev64(int file, const iovec* pieces, int count, off_t to)
    __attribute__((alias("pwritev"), copy(pwritev)));
