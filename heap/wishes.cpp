#include "heap/wishes.h"

#include <fcntl.h>
#include <string.h>
#include <sys/syscall.h>
#include <unistd.h>

#include "heap/pages.h"
#include "heap/tables.h"

namespace lantern::heap_library {
namespace {

constexpr std::uint64_t kMostEnvironment = 4 << 20;
constexpr std::uint64_t kNameLength = sizeof heap_tables::kOptionsVariable - 1;
constinit KeptWishes kept{};

bool is_named(const char* text, const char* name, std::size_t length) {
    return strncmp(text, name, length) == 0 && text[length] == '=';
}

// "name=12" somewhere in the text, at the beginning of a word.
void take_number(const char* text, const char* name, std::uint64_t& into) {
    std::size_t length = strlen(name);
    for (const char* at = text; *at; ++at) {
        if ((at != text && at[-1] != ' ') || !is_named(at, name, length)) continue;
        std::uint64_t value = 0;
        for (const char* digit = at + length + 1; *digit >= '0' && *digit <= '9'; ++digit)
            value = value * 10 + static_cast<std::uint64_t>(*digit - '0');
        into = value;
    }
}

// Nothing where there is no room for all of it.
template <std::size_t kRoom>
void keep(const char* text, std::size_t length, char (&into)[kRoom]) {
    if (length >= kRoom) return;
    memcpy(into, text, length);
    into[length] = 0;
}

Options options_in(const char* text) {
    Options options;
    take_number(text, "keep", options.keep_bytes);
    take_number(text, "guard", options.guard_births);
    take_number(text, "every", options.guard_every);
    take_number(text, "least", options.guard_least);
    take_number(text, "most", options.guard_most);
    take_number(text, "page", options.guard_page);
    take_number(text, "named", options.guard_named);
    return options;
}

}  // namespace

// The first block may be born before the C library knows the environment: the kernel does.
Options read_options() {
    int file = open("/proc/self/environ", O_RDONLY | O_CLOEXEC);
    if (file < 0) return {};
    std::uint64_t memory = reserve(kMostEnvironment + kPage);
    Options options;
    if (memory && make_usable(memory, kMostEnvironment + kPage)) {
        auto* text = reinterpret_cast<char*>(memory);
        std::uint64_t size = 0;
        for (long got; size < kMostEnvironment &&
                       (got = syscall(SYS_read, file, text + size, kMostEnvironment - size)) > 0;)
            size += static_cast<std::uint64_t>(got);
        for (char* at = text; at < text + size; at += strlen(at) + 1)
            if (is_named(at, heap_tables::kOptionsVariable, kNameLength))
                options = options_in(at + kNameLength + 1);
        give_back_content(memory, kMostEnvironment);
    }
    close(file);
    return options;
}

const KeptWishes& kept_wishes() {
    return kept;
}

void clean_environment(char** environment) {
    if (!environment) return;
    char** left = environment;
    for (char** each = environment; *each; ++each) {
        if (is_named(*each, heap_tables::kOptionsVariable, kNameLength)) {
            keep(*each, strlen(*each), kept.options);
            continue;
        }
        // The session has put the library first; what the user preloads follows.
        char* value = *each + sizeof kPreload - 1;
        bool is_list = strncmp(*each, kPreload, sizeof kPreload - 1) == 0;
        char* colon = is_list ? strchr(value, ':') : nullptr;
        char* ours = is_list ? strstr(value, heap_tables::kLibraryFile) : nullptr;
        bool is_first = ours && (!colon || ours < colon);
        if (is_first) keep(*each, colon ? colon - *each : strlen(*each), kept.preload);
        if (ours && !colon) continue;
        if (is_first) memmove(value, colon + 1, strlen(colon));
        *left++ = *each;
    }
    *left = nullptr;
}

}  // namespace lantern::heap_library
