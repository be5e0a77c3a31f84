// exec(3): the process that was launched becomes another program, and the library is to be in front
// of that one's allocator too: what the session put into the environment, and the program does not
// find there (wishes.h), is put in again. Children run bare, and so does what the loader could not
// put the library in front of.
#include <elf.h>
#include <errno.h>
#include <fcntl.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "heap/handed.h"
#include "heap/next.h"
#include "heap/process.h"
#include "heap/wishes.h"

#define EXPORTED extern "C" __attribute__((visibility("default")))

extern "C" char** environ;

namespace lantern::heap_library {
namespace {

pid_t launched = 0;  // the process that may become another program

struct Real {
    decltype(&::execve) execve = next<decltype(&::execve)>("execve");
    decltype(&::execvpe) execvpe = next<decltype(&::execvpe)>("execvpe");
    decltype(&::fexecve) fexecve = next<decltype(&::fexecve)>("fexecve");
};
const Real& real() {
    static const Real real;
    return real;
}

// A program of this kind of processor that the loader loads libraries for, without the rights of
// another user; or a script.
bool may_have_library(int file) {
    struct stat facts;
    if (file < 0 || fstat(file, &facts) != 0 || (facts.st_mode & (S_ISUID | S_ISGID))) return false;
    char page[4096];
    ssize_t size = ::pread(file, page, sizeof page, 0);
    if (size >= 2 && page[0] == '#' && page[1] == '!') return true;
    Elf64_Ehdr header;
    if (size < static_cast<ssize_t>(sizeof header)) return false;
    memcpy(&header, page, sizeof header);
    if (memcmp(header.e_ident, ELFMAG, SELFMAG) != 0 || header.e_machine != EM_X86_64 ||
        header.e_ident[EI_CLASS] != ELFCLASS64)
        return false;
    for (unsigned i = 0; i < header.e_phnum; ++i) {
        Elf64_Phdr segment;
        std::uint64_t at = header.e_phoff + i * sizeof segment;
        if (at > static_cast<std::uint64_t>(size) - sizeof segment) return false;
        memcpy(&segment, page + at, sizeof segment);
        if (segment.p_type == PT_INTERP) return true;
    }
    return false;
}
bool may_have_library(const char* path) {
    int before = errno;
    int file = open(path, O_RDONLY | O_CLOEXEC);
    bool may = may_have_library(file);
    if (file >= 0) close(file);
    errno = before;
    return may;
}

// As execvp(3) looks for it.
bool found_may_have_library(const char* name) {
    if (strchr(name, '/')) return may_have_library(name);
    const char* folders = getenv("PATH");
    if (!folders) folders = "/bin:/usr/bin";
    for (const char* at = folders;; ++at) {
        std::size_t length = strcspn(at, ":");
        char path[4096];
        int size = snprintf(path, sizeof path, "%.*s%s%s", static_cast<int>(length), at,
                            length ? "/" : "", name);
        if (size < static_cast<int>(sizeof path) && access(path, X_OK) == 0)
            return may_have_library(path);
        at += length;
        if (!*at) return false;
    }
}

// An environment with what the session wishes, in memory of ours; gone if the call comes back.
class Environment {
  public:
    explicit Environment(char* const* theirs) : memory_(bytes_for(theirs)) {
        if (!memory_.memory()) return;
        auto** list = static_cast<char**>(memory_.memory());
        char* preload = reinterpret_cast<char*>(list + count_of(theirs) + 3);
        list_ = list;
        *list++ = const_cast<char*>(kept_wishes().options);
        *list++ = preload;
        strcpy(preload, kept_wishes().preload);
        for (; theirs && *theirs; ++theirs) {
            if (strncmp(*theirs, kPreload, sizeof kPreload - 1) == 0)
                strcat(strcat(preload, ":"), *theirs + sizeof kPreload - 1);
            else
                *list++ = *theirs;
        }
        *list = nullptr;
    }
    // Null where there is no memory.
    char* const* list() const { return list_; }

  private:
    static std::size_t count_of(char* const* list) {
        std::size_t count = 0;
        while (list && list[count]) ++count;
        return count;
    }
    static std::uint64_t bytes_for(char* const* theirs) {
        std::uint64_t bytes =
            (count_of(theirs) + 3) * sizeof(char*) + strlen(kept_wishes().preload) + 1;
        for (; theirs && *theirs; ++theirs)
            if (strncmp(*theirs, kPreload, sizeof kPreload - 1) == 0) bytes += strlen(*theirs);
        return bytes;
    }

    Instead memory_;
    char** list_ = nullptr;
};

// Children run bare, and nothing is looked up for them.
bool is_launched_one() {
    return getpid() == launched && kept_wishes().preload[0];
}

// `call` is given the environment to use.
template <class Call>
int become(bool with_library, char* const* environment, const Call& call) {
    if (!with_library) return call(environment);
    Environment ours(environment);
    return call(ours.list() ? ours.list() : environment);
}

int become_found(const char* file, char* const* words, char* const* environment) {
    return become(is_launched_one() && found_may_have_library(file), environment,
                  [&](char* const* used) { return real().execvpe(file, words, used); });
}

// The words of a call that has them one by one, the last one null; `rest` is behind that then.
std::size_t count_words(const char* first, va_list* rest) {
    std::size_t count = 1;
    for (const char* each = first; each; each = va_arg(*rest, const char*)) ++count;
    return count;
}
void list_words(char** list, const char* first, va_list* rest) {
    for (const char* each = first; each; each = va_arg(*rest, const char*))
        *list++ = const_cast<char*>(each);
    *list = nullptr;
}

}  // namespace

void find_exec_calls() {
    launched = getpid();
    real();
}

}  // namespace lantern::heap_library

using namespace lantern::heap_library;

EXPORTED int execve(const char* path, char* const* words, char* const* environment) {
    return become(is_launched_one() && may_have_library(path), environment,
                  [&](char* const* used) { return real().execve(path, words, used); });
}

EXPORTED int execv(const char* path, char* const* words) {
    return execve(path, words, environ);
}

EXPORTED int fexecve(int file, char* const* words, char* const* environment) {
    return become(is_launched_one() && may_have_library(file), environment,
                  [&](char* const* used) { return real().fexecve(file, words, used); });
}

EXPORTED int execvpe(const char* file, char* const* words, char* const* environment) {
    return become_found(file, words, environment);
}

EXPORTED int execvp(const char* file, char* const* words) {
    return become_found(file, words, environ);
}

// On the stack: a child of vfork(2) has the memory of its parent.
#define LISTED_WORDS(words, first, rest)                                                  \
    va_list rest;                                                                         \
    va_start(rest, first);                                                                \
    auto** words =                                                                        \
        static_cast<char**>(__builtin_alloca(count_words(first, &rest) * sizeof(char*))); \
    va_end(rest);                                                                         \
    va_start(rest, first);                                                                \
    list_words(words, first, &rest)

EXPORTED int execl(const char* path, const char* first, ...) {
    LISTED_WORDS(words, first, rest);
    va_end(rest);
    return execve(path, words, environ);
}

EXPORTED int execlp(const char* file, const char* first, ...) {
    LISTED_WORDS(words, first, rest);
    va_end(rest);
    return become_found(file, words, environ);
}

EXPORTED int execle(const char* path, const char* first, ...) {
    LISTED_WORDS(words, first, rest);
    char* const* environment = va_arg(rest, char* const*);
    va_end(rest);
    return execve(path, words, environment);
}
