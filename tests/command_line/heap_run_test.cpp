// elm-lantern heap PROGRAM, on faults that are known and on their innocent neighbours: what must be
// told of each. The facts are those of the sources tests/programs/misuses.*.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <regex>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

struct Misuse {
    const char* name;
    const char* kind;      // what is found
    const char* block;     // which it is about; empty: none
    const char* born;      // the function it was born in
    const char* freed;     // the function that freed it; empty: it was not
    const char* how = "";  // something else that must be said
};

constexpr Misuse kMisusesInC[] = {
    {"write-behind", "written behind the end", "of 48 bytes", "write_behind", "",
     "right behind the end of heap block 1"},
    {"read-behind", "read behind the end", "of 48 bytes", "read_behind", "", "it read address"},
    {"write-before", "written before the start", "of 40 bytes", "write_before", "",
     "1 byte was written 3 bytes before the start"},
    {"write-far-behind", "written behind the end", "of 100 bytes", "write_far_behind", "",
     "1 byte was written 10 bytes behind the end"},
    {"read-freed", "read after it was freed", "of 32 bytes", "read_freed", "read_freed",
     "byte 8 of heap block 1"},
    {"write-freed", "written after it was freed", "of 32 bytes", "write_freed", "write_freed",
     "byte 5 of heap block 1"},
    {"free-twice", "freed twice", "of 24 bytes", "free_twice", "free_twice"},
    {"free-inside", "freed the inside of a block", "of 64 bytes", "free_inside", "",
     "byte 16 of heap block 1"},
    {"free-stack", "freed what is no block", "", "", "", "it lies in the stack of frame"},
    {"free-global", "freed what is no block", "", "", "", "where no heap block begins"},
    {"realloc-freed", "freed twice", "of 20 bytes", "realloc_freed", "realloc_freed",
     "realloc frees"},
    {"stale-after-realloc", "written after it was freed", "of 20 bytes", "stale_after_realloc",
     "stale_after_realloc", "realloc: stale_after_realloc"},
    {"text-too-long", "written behind the end", "of 8 bytes", "text_too_long", ""},
    {"copy-too-much", "written behind the end", "of 64 bytes", "copy_too_much", ""},
    {"behind-zeroed", "written behind the end", "of 40 bytes", "behind_zeroed", "",
     "4 bytes were written right behind"},
    {"behind-aligned", "written behind the end", "of 128 bytes", "behind_aligned", ""},
    {"behind-large", "written behind the end", "of 1 048 576 bytes", "behind_large", ""},
    {"freed-large", "written after it was freed", "of 1 048 576 bytes", "freed_large",
     "freed_large", "byte 5000 of heap block 1"},
    {"never-set", "followed a pointer that was never set", "", "", "", "likely"},
    {"freed-by-thread", "freed twice", "of 56 bytes", "freed_by_thread", "other_thread",
     "thread 2"},
    {"freed-by-child", "freed twice", "of 56 bytes", "freed_by_child", "freed_by_child"},
};

constexpr Misuse kMisusesInCpp[] = {
    {"array-by-object", "freed with the wrong partner", "of 24 bytes", "array_by_object", "",
     "which was made with new[]: delete[] is its partner"},
    {"object-by-array", "freed with the wrong partner", "of 4 bytes", "object_by_array", "",
     "delete[] frees"},
    {"object-by-free", "freed with the wrong partner", "of 4 bytes", "object_by_free", "",
     "free frees"},
    {"malloc-by-delete", "freed with the wrong partner", "of 4 bytes", "malloc_by_delete", "",
     "which was made with malloc: free is its partner"},
    {"as-its-base", "freed with a wrong size", "of 64 bytes", "as_its_base", "",
     "measures 4 bytes"},
    {"deleted-twice", "freed twice", "of 4 bytes", "deleted_twice", "deleted_twice"},
    {"behind-vector", "read behind the end", "of 32 bytes", "behind_vector", ""},
    {"reference-kept", "read after it was freed", "of 16 bytes", "reference_kept",
     "reference_kept"},
    {"text-gone", "read after it was freed", "of 41 bytes", "text_gone", "text_gone"},
    {"object-gone", "read after it was freed", "of 40 bytes", "object_gone", "object_gone",
     "byte 8 of heap block"},
};

constexpr Misuse kMisusesInRust[] = {
    {"write-behind", "written behind the end", "of 48 bytes", "misuses::write_behind", ""},
    {"read-freed", "read after it was freed", "of 32 bytes", "misuses::read_freed",
     "misuses::read_freed"},
    {"free-twice", "freed twice", "of 24 bytes", "misuses::free_twice", "misuses::free_twice"},
    {"box-twice", "freed twice", "of 40 bytes", "misuses::box_twice", "misuses::box_twice"},
    {"vector-gone", "read after it was freed", "of 64 bytes", "misuses::vector_gone",
     "misuses::vector_gone"},
};

std::string heap_library() {
    return (std::filesystem::path(LANTERN_PROGRAM).parent_path() / "libelm-lantern-heap.so")
        .string();
}

Ran heap_of(const std::string& program, const std::vector<std::string>& arguments,
            const std::vector<std::string>& options = {}) {
    std::vector<std::string> words{LANTERN_PROGRAM, "heap", fixture(program), "--stdout",
                                   "/dev/null"};
    words.insert(words.end(), options.begin(), options.end());
    words.emplace_back("--");
    words.insert(words.end(), arguments.begin(), arguments.end());
    return run(words);
}

std::string line_with(const std::string& text, const std::string& beginning) {
    for (const std::string& line : lines_of(text))
        if (line.starts_with(beginning)) return line;
    return {};
}

void expect_found(const std::string& program, const Misuse& misuse) {
    Ran ran = heap_of(program, {misuse.name});
    std::string which = program + " " + misuse.name + "\n" + ran.output + ran.errors;
    EXPECT_EQ(ran.status, 1) << which;
    EXPECT_TRUE(ran.says(std::string("1 ") + misuse.kind)) << which;
    EXPECT_TRUE(ran.says(" 1 finding ")) << which;
    EXPECT_TRUE(ran.says(misuse.block)) << which;
    EXPECT_TRUE(ran.says(misuse.how)) << which;
    bool is_of_place =
        line_with(ran.output, " born ").find(misuse.born) != std::string::npos || !*misuse.born;
    EXPECT_TRUE(is_of_place) << which;
    std::string freed = line_with(ran.output, " freed ");
    EXPECT_EQ(freed.empty(), *misuse.freed == 0) << which;
    EXPECT_NE(freed.find(misuse.freed), std::string::npos) << which;
}

void expect_innocent(const std::string& program, const std::string& name) {
    Ran ran = heap_of(program, {name, "innocent"});
    EXPECT_EQ(ran.status, 0) << program << " " << name << "\n" << ran.output;
    EXPECT_TRUE(ran.says("0 findings")) << program << " " << name << "\n" << ran.output;
    EXPECT_TRUE(ran.says("nothing is lost")) << program << " " << name << "\n" << ran.output;
    EXPECT_TRUE(ran.says("the exit status 0")) << program << " " << name << "\n" << ran.output;
}

template <std::size_t N>
void try_all(const Misuse (&misuses)[N], const std::string& program) {
    for (const Misuse& misuse : misuses) {
        expect_found(program, misuse);
        expect_innocent(program, misuse.name);
    }
}

void try_forgotten(const std::string& program, const std::string& count, const std::string& rows) {
    Ran ran = heap_of(program, {"forgotten"});
    EXPECT_EQ(ran.status, 1) << ran.output;
    EXPECT_TRUE(ran.says("0 findings")) << ran.output;
    EXPECT_TRUE(ran.says("lost " + count)) << program << ran.output;
    EXPECT_TRUE(ran.says(rows)) << program << ran.output;
    expect_innocent(program, "forgotten");
}

TEST(HeapRun, FindsWhatIsWrongInCAndNothingBesides) {
    for (const char* level : {"O0", "O2"}) {
        try_all(kMisusesInC, std::string("misuses-gcc-") + level);
        try_forgotten(std::string("misuses-gcc-") + level, "5 blocks, 360 bytes", "5 × 72 bytes");
    }
}

TEST(HeapRun, FindsWhatIsWrongInCOfClang) {
    if (!HAVE_CLANG) GTEST_SKIP() << "there is no clang";
    for (const char* level : {"O0", "O2"}) {
        try_all(kMisusesInC, std::string("misuses-clang-") + level);
        try_forgotten(std::string("misuses-clang-") + level, "5 blocks, 360 bytes", "5 × 72 bytes");
    }
}

TEST(HeapRun, FindsWhatIsWrongInCpp) {
    for (const char* level : {"O0", "O2"}) {
        try_all(kMisusesInCpp, std::string("misuses-cpp-gcc-") + level);
        try_forgotten(std::string("misuses-cpp-gcc-") + level, "3 blocks, 120 bytes",
                      "3 × 40 bytes");
    }
}

TEST(HeapRun, FindsWhatIsWrongInCppOfClang) {
    if (!HAVE_CLANG) GTEST_SKIP() << "there is no clang";
    for (const char* level : {"O0", "O2"}) {
        // Without -fsized-deallocation clang's delete does not say how large it takes the block
        // for.
        for (const Misuse& misuse : kMisusesInCpp) {
            if (misuse.kind != std::string("freed with a wrong size"))
                expect_found(std::string("misuses-cpp-clang-") + level, misuse);
            expect_innocent(std::string("misuses-cpp-clang-") + level, misuse.name);
        }
        try_forgotten(std::string("misuses-cpp-clang-") + level, "3 blocks, 120 bytes",
                      "3 × 40 bytes");
    }
}

TEST(HeapRun, FindsWhatIsWrongInUnsafeRust) {
    if (!HAVE_RUST) GTEST_SKIP() << "there is no rustc: Rust is not tested";
    for (const char* level : {"O0", "O2"}) {
        try_all(kMisusesInRust, std::string("misuses-rust-") + level);
        try_forgotten(std::string("misuses-rust-") + level, "4 blocks, 288 bytes", "4 × 72 bytes");
    }
}

// Without a page behind blocks writes are found by the margins: at free, or at the end.
TEST(HeapRun, WithoutGuardsMarginsTell) {
    std::vector<std::string> none{"--guard", "none"};
    for (const char* name :
         {"write-behind", "write-far-behind", "text-too-long", "copy-too-much"}) {
        Ran ran = heap_of("misuses-gcc-O2", {name}, none);
        EXPECT_TRUE(ran.says("1 written behind the end")) << name << ran.output;
        EXPECT_TRUE(ran.says("some time before this free")) << name << ran.output;
        EXPECT_TRUE(ran.says("the exit status 0")) << name << ran.output;
    }
    Ran freed = heap_of("misuses-gcc-O2", {"write-freed"}, none);
    EXPECT_TRUE(freed.says("damaged 1 byte is written into the block of 32 bytes")) << freed.output;
    Ran read = heap_of("misuses-gcc-O2", {"read-behind"}, none);
    EXPECT_EQ(read.status, 0) << read.output;
    EXPECT_TRUE(read.says("reads are not")) << read.output;
}

// Two threads free one block at the same moment, again and again: each time one of them is told.
TEST(HeapRun, OfTwoThreadsThatFreeOneBlockAtOnceOneIsTold) {
    for (const char* guard : {"none", "all"}) {
        Ran ran = heap_of("misuses-gcc-O0", {"freed-by-two"}, {"--guard", guard});
        EXPECT_TRUE(ran.says("1 freed twice  200 times")) << ran.output;
        EXPECT_TRUE(ran.says("nothing is lost")) << ran.output;
        EXPECT_TRUE(ran.says("the exit status 0")) << ran.output;
    }
    expect_innocent("misuses-gcc-O0", "freed-by-two");
}

// No more than 4,000 blocks have a page at a time: whoever asked for all is told.
TEST(HeapRun, TellsThatGuardsHaveRunOut) {
    Ran ran = heap_of("requests-gcc-O2", {}, {"--guard", "all"});
    EXPECT_TRUE(ran.says("0 findings")) << ran.output;
    Ran many = run({LANTERN_PROGRAM, "heap", DEMO_FOLDER "/season", "--guard", "all", "--stdout",
                    "/dev/null"});
    EXPECT_TRUE(many.says("as many blocks had a guarded page as may have one at a time"))
        << many.output;
    EXPECT_TRUE(many.says("got none")) << many.output;
}

TEST(HeapRun, TellsThatItsOwnRecordsWereWrittenOver) {
    Ran ran = heap_of("misuses-cpp-gcc-O0", {"over-the-records"});
    EXPECT_EQ(ran.status, 1) << ran.output;
    EXPECT_TRUE(ran.says("1 of the library's own records of blocks were written over"))
        << ran.output;
    expect_innocent("misuses-cpp-gcc-O0", "over-the-records");
}

TEST(HeapRun, TellsOfAProgramThatBringsItsOwnAllocator) {
    Ran ran = heap_of("own-allocator", {});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("own-allocator brings an allocator of its own, so that ours is not asked"))
        << ran.output;
    EXPECT_FALSE(ran.says("nothing is lost")) << ran.output;
}

TEST(HeapRun, OnlyThoseOfASizeAreGuarded) {
    Ran of_it = heap_of("misuses-gcc-O0", {"read-behind"}, {"--guard", "size 48"});
    EXPECT_TRUE(of_it.says("1 read behind the end")) << of_it.output;
    Ran of_another = heap_of("misuses-gcc-O0", {"read-behind"}, {"--guard", "size 49..100"});
    EXPECT_TRUE(of_another.says("0 findings")) << of_another.output;
}

TEST(HeapRun, OnlyThoseBornAtANamedPlaceAreGuarded) {
    auto at = [](const std::string& place) {
        return heap_of("misuses-gcc-O0", {"read-behind"}, {"--guard", "at " + place});
    };
    for (const char* place : {"read_behind", "misuses.c:28", "moor"}) {
        Ran found = at(place);
        EXPECT_TRUE(found.says("1 read behind the end")) << place << found.output;
        EXPECT_TRUE(found.says("only blocks of the places that were named")) << found.output;
    }
    for (const char* place : {"write_behind", "misuses.c:30"})
        EXPECT_TRUE(at(place).says("0 findings")) << place;
    Ran both = heap_of("misuses-gcc-O0", {"read-behind"},
                       {"--guard", "at write_behind", "--guard", "at read_behind"});
    EXPECT_TRUE(both.says("1 read behind the end")) << both.output;
    Ran other_size = heap_of("misuses-gcc-O0", {"read-behind"},
                             {"--guard", "at read_behind", "--guard", "size 1..47"});
    EXPECT_TRUE(other_size.says("0 findings")) << other_size.output;
    Ran none = at("read_behinds");
    EXPECT_TRUE(none.says("the program has no function read_behinds: no block was guarded for it"))
        << none.output;
}

// What the compiler has put into its callers, and what a library does that comes with the program.
TEST(HeapRun, ANamedPlaceMayBeInlinedOrOfALibrary) {
    TemporaryFolder folder;
    auto source = folder.write("quay.c", R"(#include <stdlib.h>
#include <string.h>
static inline __attribute__((always_inline)) char* lay(size_t size) { return malloc(size); }
volatile int sum;
int main(int count, char** words) {
    char* first = lay(32);
    char* second = malloc(48);
    char* third = strdup("a barge of sixteen tons, full of");
    if (count > 1 && *words[1] == '1') sum += *(volatile char*)(first + 32);
    if (count > 1 && *words[1] == '2') sum += *(volatile char*)(second + 48);
    if (count > 1 && *words[1] == '3') sum += *(volatile char*)(third + 48);
    free(first);
    free(second);
    free(third);
}
)");
    std::string program = (folder.path() / "quay").string();
    ASSERT_EQ(testing::run({"gcc", "-g", "-O2", "-fno-builtin", "-o", program, source}).status, 0);
    auto finds = [&](const char* place, const char* which) {
        Ran ran = run(
            {LANTERN_PROGRAM, "heap", program, "--guard", std::string("at ") + place, "--", which});
        return ran.status == 1 && ran.says("behind the end of heap block");
    };
    EXPECT_TRUE(finds("lay", "1"));
    EXPECT_FALSE(finds("lay", "2"));
    EXPECT_TRUE(finds("quay.c:7", "2"));
    EXPECT_FALSE(finds("quay.c:7", "1"));
    EXPECT_TRUE(finds("strdup", "3"));
    EXPECT_FALSE(finds("strdup", "2"));
}

TEST(HeapRun, ABirthInASignalHandlerHasTheCallsThatItInterrupted) {
    TemporaryFolder folder;
    auto source = folder.write("bell.c", R"(#include <signal.h>
#include <stdlib.h>
char* volatile kept;
__attribute__((noinline)) void on_bell(int number) { kept = malloc(40 + number * 0); }
__attribute__((noinline)) int ring(int times) {
    for (int i = 0; i < times; ++i) raise(SIGUSR1);
    return times;
}
int main(void) {
    signal(SIGUSR1, on_bell);
    return ring(1) - 1;
}
)");
    for (const char* level : {"-O0", "-O2"}) {
        std::string program = (folder.path() / "bell").string();
        ASSERT_EQ(testing::run({"gcc", "-g", level, "-o", program, source}).status, 0);
        Ran ran = run({LANTERN_PROGRAM, "debug", program, "--heap", "--do", "pause on exit", "--do",
                       "launch", "--do", "heap life kept"});
        EXPECT_TRUE(std::regex_search(
            ran.output, std::regex("born +malloc: on_bell bell.c:4 .*← ring bell.c:6 ← main")))
            << ran.output;
    }
}

// The C++ library asks for memory before any constructor of ours would run.
TEST(HeapRun, ACppProgramWithThreadsHasItsMemory) {
    TemporaryFolder folder;
    auto source = folder.write("crews.cpp", R"(#include <cstdio>
#include <string>
#include <thread>
#include <vector>
int main() {
    std::vector<std::thread> crews;
    std::vector<std::string> names(4);
    for (int i = 0; i < 4; ++i)
        crews.emplace_back([i, &names] { names[i] = std::string(100 + i, 'c'); });
    for (auto& crew : crews) crew.join();
    for (auto& name : names) std::printf("crew %zu\n", name.size());
}
)");
    std::string program = (folder.path() / "crews").string();
    ASSERT_EQ(testing::run({"g++", "-g", "-O1", "-pthread", "-o", program, source}).status, 0);
    for (const char* guard : {"none", "all"}) {
        Ran ran = run({LANTERN_PROGRAM, "heap", program, "--guard", guard});
        EXPECT_EQ(ran.status, 0) << ran.output;
        EXPECT_TRUE(ran.says("crew 103") && ran.says("the exit status 0")) << ran.output;
        EXPECT_TRUE(ran.says("0 findings") && ran.says("nothing is lost")) << ran.output;
    }
}

// The kernel does not stop at a page that nobody may touch: it reads or writes less, or nothing.
TEST(HeapRun, CallsOfTheKernelThatPassAnEndAreToldAndDoTheSame) {
    TemporaryFolder folder;
    auto source = folder.write("wire.c", R"(#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/random.h>
#include <sys/socket.h>
#include <sys/uio.h>
#include <unistd.h>
static char sent[200];
int main(int count, char** words) {
    int ends[2], sockets[2];
    pipe(ends);
    socketpair(AF_UNIX, SOCK_STREAM, 0, sockets);
    memset(sent, 's', sizeof sent);
    size_t arrives = atoi(words[2]);
    char* slip = malloc(48);
    memset(slip, 'm', 48);
    long done = 0;
    char first[30];  // of two pieces, the other one is the block
    struct iovec two[] = {{first, 30}, {slip, 70}}, whole[] = {{sent, 30}, {slip, arrives - 30}};
    struct msghdr letter = {.msg_iov = two, .msg_iovlen = 2};
    if (!strcmp(words[1], "read")) {
        write(ends[1], sent, arrives);
        done = read(ends[0], slip, 100);
    } else if (!strcmp(words[1], "inside")) {
        write(ends[1], sent, arrives);
        done = read(ends[0], slip + 40, 100);
    } else if (!strcmp(words[1], "recv")) {
        send(sockets[1], sent, arrives, 0);
        done = recv(sockets[0], slip, 100, 0);
    } else if (!strcmp(words[1], "write")) {
        done = write(ends[1], slip, arrives);
    } else if (!strcmp(words[1], "send")) {
        done = send(sockets[1], slip, arrives, 0);
    } else if (!strcmp(words[1], "fread")) {
        FILE* file = fdopen(ends[0], "r");
        write(ends[1], sent, arrives);
        close(ends[1]);
        done = fread(slip, 1, 100, file);
    } else if (!strcmp(words[1], "readv")) {
        write(ends[1], sent, arrives);
        done = readv(ends[0], two, 2);
    } else if (!strcmp(words[1], "recvmsg")) {
        send(sockets[1], sent, arrives, 0);
        done = recvmsg(sockets[0], &letter, 0);
    } else if (!strcmp(words[1], "writev")) {
        done = writev(ends[1], whole, 2);
    } else if (!strcmp(words[1], "sendmsg")) {
        letter.msg_iov = whole;
        done = sendmsg(sockets[1], &letter, 0);
    } else if (!strcmp(words[1], "readlink")) {
        memset(sent, 'l', arrives);
        sent[arrives] = 0;
        unlink(words[3]);
        symlink(sent, words[3]);
        done = readlink(words[3], slip, 100);
        unlink(words[3]);
    } else if (!strcmp(words[1], "getcwd")) {
        chdir("/usr/share");
        done = getcwd(slip + 60 - arrives, 100) ? strlen("/usr/share") + 1 : 0;
    } else if (!strcmp(words[1], "getrandom")) {
        done = getrandom(slip, arrives, 0);
    } else if (!strcmp(words[1], "freed")) {
        write(ends[1], sent, arrives);
        free(slip);
        done = read(ends[0], slip, 40);
    }
    printf("%s %ld\n", words[1], done);
    if (strcmp(words[1], "freed")) free(slip);
}
)");
    std::string program = (folder.path() / "wire").string();
    ASSERT_EQ(testing::run({"gcc", "-g", "-O1", "-w", "-o", program, source}).status, 0);
    struct Case {
        const char *name, *arrives, *told;  // nothing told: it is innocent
    };
    for (const Case& each :
         {Case{"read", "100", "read has put 100 bytes at byte 0 of heap block"},
          {"read", "48", ""},
          {"read", "49", "1 of them behind its end"},
          {"inside", "8", ""},
          {"inside", "10", "read has put 10 bytes at byte 40 of heap block"},
          {"recv", "90", "recv has put 90 bytes at byte 0 of heap block"},
          {"recv", "20", ""},
          {"write", "60", "write has taken 60 bytes from byte 0 of heap block"},
          {"write", "48", ""},
          {"send", "49", "send has taken 49 bytes from byte 0 of heap block"},
          {"fread", "100", "fread has put 100 bytes at byte 0 of heap block"},
          {"fread", "48", ""},
          {"readv", "79", "readv has put 49 bytes at byte 0 of heap block"},
          {"readv", "78", ""},
          {"readv", "20", ""},
          {"recvmsg", "90", "recvmsg has put 60 bytes at byte 0 of heap block"},
          {"recvmsg", "78", ""},
          {"writev", "79", "writev has taken 49 bytes from byte 0 of heap"},
          {"writev", "78", ""},
          {"sendmsg", "90", "sendmsg has taken 60 bytes from byte 0 of heap"},
          {"sendmsg", "40", ""},
          {"readlink", "60", "readlink has put 60 bytes at byte 0 of heap block"},
          {"readlink", "48", ""},
          {"getcwd", "20", "getcwd has put 11 bytes at byte 40 of heap block"},
          {"getcwd", "23", ""},
          {"getrandom", "49", "getrandom has put 49 bytes at byte 0 of heap"},
          {"getrandom", "48", ""},
          {"freed", "5", "read was handed byte 0 of heap block"}}) {
        for (std::vector<std::string> guard : {std::vector<std::string>{"--guard", "none"},
                                               {"--guard", "all"},
                                               {"--guard", "all", "--page", "end"},
                                               {"--guard", "all", "--page", "before"}}) {
            std::vector<std::string> words{LANTERN_PROGRAM, "heap", program};
            words.insert(words.end(), guard.begin(), guard.end());
            words.insert(words.end(), {"--", each.name, each.arrives, folder.path() / "way-on"});
            Ran ran = run(words);
            std::string what = fmt::format("{} {} {}", each.name, each.arrives, guard.back());
            EXPECT_TRUE(ran.says(std::string(each.told).empty() ? "0 findings" : "1 finding"))
                << what << ran.output;
            EXPECT_TRUE(ran.says(each.told)) << what << ran.output;
            std::string done = std::string(each.name) == "freed"    ? "5"
                               : std::string(each.name) == "getcwd" ? "11"
                                                                    : each.arrives;
            EXPECT_TRUE(ran.says(fmt::format("{} {}", each.name, done))) << what << ran.output;
        }
    }
}

// The process becomes another program: the library comes along, and the program does not see it.
TEST(HeapRun, FollowsAProcessThatBecomesAnotherProgram) {
    TemporaryFolder folder;
    auto source = folder.write("relief.c", R"(#define _GNU_SOURCE
#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>
static int has_library(void) {
    char line[500];
    FILE* maps = fopen("/proc/self/maps", "r");
    int found = 0;
    while (fgets(line, sizeof line, maps)) found |= strstr(line, "lantern-heap") != 0;
    return found;
}
int main(int count, char** words) {
    char* self = words[1];
    char* name = strrchr(self, '/') + 1;
    char* way = words[2];
    char* then[] = {name, self, "relieved", way, 0};
    char* environment[] = {"CANAL=long", 0};
    printf("%s: library %d, preload %s, wishes %s, canal %s\n", way, has_library(),
           getenv("LD_PRELOAD"), getenv("ELM_LANTERN_HEAP"), getenv("CANAL"));
    fflush(stdout);
    if (!strcmp(way, "relieved")) {
        if (count > 4) return 0;
        char* volatile rope = malloc(21);
        free(rope);
        free(rope);
        return 0;
    }
    if (!strcmp(way, "execve")) execve(self, then, environment);
    if (!strcmp(way, "execv")) execv(self, then);
    if (!strcmp(way, "execvp")) execvp(name, then);
    if (!strcmp(way, "execvpe")) execvpe(name, then, environment);
    if (!strcmp(way, "execl")) execl(self, name, self, "relieved", NULL);
    if (!strcmp(way, "execlp")) execlp(name, name, self, "relieved", NULL);
    if (!strcmp(way, "execle")) execle(self, name, self, "relieved", NULL, environment);
    if (!strcmp(way, "fexecve")) fexecve(open(self, O_RDONLY), then, environment);
    if (!strcmp(way, "nowhere")) {
        errno = 0;
        int done = execlp("no-such-lock", "no", NULL);
        printf("%d %d\n", done, errno == ENOENT);
    }
    if (!strcmp(way, "child")) {
        int status;
        if (vfork() == 0) execl(self, name, self, "relieved", "child", NULL);
        wait(&status);
    }
    return 0;
}
)");
    std::string program = (folder.path() / "relief").string(),
                still = (folder.path() / "relief-static").string();
    ASSERT_EQ(testing::run({"gcc", "-g", "-O1", "-w", "-o", program, source}).status, 0);
    ASSERT_EQ(testing::run({"gcc", "-O1", "-w", "-static", "-o", still, source}).status, 0);
    std::string path = std::string("PATH=") + folder.path().string() + ":/usr/bin";
    auto relieved = [&](const std::string& by, const char* way) {
        return run({"/usr/bin/env", "-u", "LD_PRELOAD", path, LANTERN_PROGRAM, "heap", program,
                    "--", by, way});
    };
    for (const char* way :
         {"execve", "execv", "execvp", "execvpe", "execl", "execlp", "execle", "fexecve"}) {
        Ran ran = relieved(program, way);
        EXPECT_EQ(ran.status, 1) << way << ran.output;
        bool is_given = std::string(way).find('e', 4) != std::string::npos;
        EXPECT_TRUE(ran.says("relieved: library 1, preload (null), wishes (null), canal " +
                             std::string(is_given ? "long" : "(null)")))
            << way << ran.output;
        EXPECT_TRUE(ran.says("1 freed twice")) << way << ran.output;
        EXPECT_TRUE(ran.says("relief became relief (exec)")) << way << ran.output;
    }
    Ran bare = relieved(still, "execv");
    EXPECT_TRUE(bare.says("relieved: library 0, preload (null), wishes (null)")) << bare.output;
    EXPECT_TRUE(bare.says("is linked statically")) << bare.output;
    Ran nowhere = relieved(program, "nowhere");
    EXPECT_TRUE(nowhere.says("-1 1")) << nowhere.output;
    EXPECT_TRUE(nowhere.says("0 findings")) << nowhere.output;
    Ran child = relieved(program, "child");
    EXPECT_TRUE(child.says("relieved: library 0, preload (null)")) << child.output;
    EXPECT_TRUE(child.says("0 findings")) << child.output;
}

// A page that begins where the block ends, or ends where it begins: nothing lies between.
TEST(HeapRun, ThePageMayTouchTheBlockItself) {
    TemporaryFolder folder;
    auto source = folder.write("bollard.c", R"(#include <stdio.h>
#include <stdlib.h>
#include <string.h>
volatile int sum;
int main(int count, char** words) {
    for (int size = 0; size < 40; ++size) {
        char* rope = malloc(size);
        memset(rope, 'r', size);
        int at = atoi(words[1]);
        if (size == 21 && count > 1) sum += *(volatile char*)(rope + at);
        rope = realloc(rope, size + 1);
        rope[size] = 'e';
        free(rope);
    }
    puts("moored");
}
)");
    std::string program = (folder.path() / "bollard").string();
    ASSERT_EQ(testing::run({"gcc", "-g", "-O1", "-o", program, source}).status, 0);
    auto found = [&](const char* page, const char* at) {
        return run({LANTERN_PROGRAM, "heap", program, "--page", page, "--", at});
    };
    EXPECT_EQ(found("behind", "21").status, 0);  // a read of the margin
    Ran end = found("end", "21");
    EXPECT_TRUE(end.says("right behind the end of heap block")) << end.output;
    EXPECT_TRUE(end.says("of 21 bytes")) << end.output;
    EXPECT_TRUE(end.says("may fail where it does not fail alone")) << end.output;
    EXPECT_TRUE(end.says("moored")) << end.output;
    Ran before = found("before", "-1");
    EXPECT_TRUE(before.says("1 byte before the start of heap block")) << before.output;
    EXPECT_TRUE(before.says("of 21 bytes")) << before.output;
    EXPECT_TRUE(before.says("the guarded pages lie before the blocks")) << before.output;
    for (const char* page : {"behind", "end", "before"}) {
        EXPECT_EQ(found(page, "20").status, 0) << page;
        EXPECT_EQ(found(page, "0").status, 0) << page;
    }
    Ran wrong = run({LANTERN_PROGRAM, "heap", program, "--page", "above"});
    EXPECT_EQ(wrong.status, 2);
}

TEST(HeapRun, RefusesWhatCannotBe) {
    Ran still = run({LANTERN_PROGRAM, "heap", fixture("locks-static")});
    EXPECT_NE(still.status, 0);
    EXPECT_NE((still.output + still.errors).find("is linked statically"), std::string::npos)
        << still.output << still.errors;
    Ran guard = run({LANTERN_PROGRAM, "heap", fixture("misuses-gcc-O0"), "--guard", "some"});
    EXPECT_EQ(guard.status, 2);
    EXPECT_NE(guard.errors.find("--guard does not know \"some\""), std::string::npos)
        << guard.errors;
    Ran alone = run({LANTERN_PROGRAM, "debug", fixture("misuses-gcc-O0"), "--guard", "all"});
    EXPECT_NE(alone.errors.find("--guard goes with heap"), std::string::npos) << alone.errors;
}

TEST(HeapRun, LeavesItsReportBehind) {
    TemporaryFolder folder;
    Ran ran = run({LANTERN_PROGRAM, "heap", fixture("misuses-gcc-O0"), "--out",
                   (folder.path() / "report").string(), "--", "free-twice"});
    EXPECT_EQ(ran.status, 1);
    EXPECT_NE(folder.read("report/heap.txt").find("1 freed twice"), std::string::npos);
    EXPECT_NE(folder.read("report/heap.json").find("\"kind\":\"freed twice\""), std::string::npos)
        << folder.read("report/heap.json");
    EXPECT_NE(folder.read("report/heap.html").find("1. freed twice"), std::string::npos);
    EXPECT_NE(folder.read("report/heap.svg").find("<svg"), std::string::npos);
}

// The allocator by itself: no session is there. Each block must keep what is written into it.
TEST(HeapLibrary, HoldsUnderThreadsForksAndSignals) {
    for (const char* level : {"O0", "O2"})
        for (const char* wish :
             {"guard=0", "guard=1000000000", "guard=1000000000 every=7 keep=0"}) {
            Ran ran = run({"/usr/bin/env", std::string("ELM_LANTERN_HEAP=") + wish,
                           "LD_PRELOAD=" + heap_library(),
                           fixture(std::string("requests-gcc-") + level)});
            EXPECT_EQ(ran.status, 0) << wish << ran.output << ran.errors;
            EXPECT_EQ(ran.output, "all whole\n") << wish;
        }
}

// Alone, and in a session, where the library is slower. The limit ends what hangs: each fork takes
// as long as the machine likes.
void expect_it_forks(const std::string& program, const std::string& output) {
    Ran alone = run({"/usr/bin/timeout", "-k", "2", "140", "/usr/bin/env",
                     "LD_PRELOAD=" + heap_library(), program});
    EXPECT_EQ(alone.status, 0) << alone.output << alone.errors;
    EXPECT_EQ(alone.output, output);
    Ran ran = run({"/usr/bin/timeout", "-k", "2", "140", LANTERN_PROGRAM, "heap", program});
    EXPECT_EQ(ran.status, 0) << ran.output << ran.errors;
    EXPECT_TRUE(ran.says(output)) << ran.output;
}

// Who flushes all files holds the C library's list of them and asks for memory; who forks takes
// both.
TEST(HeapLibrary, ForksWhileAnotherThreadFlushesAllFiles) {
    expect_it_forks(fixture("flushes"), "200 boats are back\n");
}

// The handlers of another library take its lock and ask for memory before ours are held.
TEST(HeapLibrary, ForksWithALibraryThatPreparesItself) {
    expect_it_forks(fixture("forks-prepared"), "50 boats are back\n");
}

TEST(HeapLibrary, FindsNothingWhereNothingIsWrong) {
    Ran ran = heap_of("requests-gcc-O2", {}, {"--guard", "every 10"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("0 findings")) << ran.output;
}

// A limit on the address space leaves it a smaller part of it.
TEST(HeapLibrary, LivesWithLittleAddressSpace) {
    Ran ran = run({"/bin/sh", "-c",
                   "ulimit -v 6000000; LD_PRELOAD=" + heap_library() + " " +
                       fixture("misuses-gcc-O0") + " forgotten"});
    EXPECT_EQ(ran.status, 0) << ran.output << ran.errors;
    EXPECT_EQ(ran.output, "closed\n");
}

// ---- in a session

Ran heap_session(const std::string& how, std::vector<std::string> commands) {
    commands.insert(commands.begin(), "launch " + how);
    return debug(fixture("misuses-gcc-O0"), commands, {"--heap", "--stdout", "/dev/null"});
}

TEST(HeapSession, StopsInTheRequestThatIsWrong) {
    Ran ran = heap_session("free-twice", {"heap life barge", "continue"});
    EXPECT_TRUE(ran.says("the heap is misused")) << ran.output;
    EXPECT_TRUE(ran.says("free frees heap block 1 of 24 bytes, which was freed before"))
        << ran.output;
    EXPECT_TRUE(ran.says("malloc in moor, misuses.c:17")) << ran.output;
    EXPECT_TRUE(ran.says("free in cast_off, misuses.c:18")) << ran.output;
    EXPECT_TRUE(ran.says("freed, and kept back")) << ran.output;
    EXPECT_TRUE(ran.says("exit status 0")) << ran.output;
}

TEST(HeapSession, StopsAtTheInstructionThatTouchesAFreedBlock) {
    Ran ran = heap_session("write-freed", {"= at"});
    EXPECT_TRUE(ran.says("byte 5 of heap block 1 of 32 bytes, which is freed")) << ran.output;
    EXPECT_TRUE(ran.says("free in cast_off, misuses.c:18")) << ran.output;
}

TEST(HeapSession, TellsALifeAPlaceAndWhoPoints) {
    std::vector<std::string> commands{"pause at misuses.c:53",
                                      "launch write-freed innocent",
                                      "heap life label",
                                      "heap",
                                      "heap places",
                                      "heap blocks",
                                      "heap check",
                                      "heap leaks"};
    Ran ran = debug(fixture("misuses-gcc-O0"), commands, {"--heap", "--stdout", "/dev/null"});
    EXPECT_TRUE(ran.says("heap block 1 of 32 bytes ─")) << ran.output;
    EXPECT_TRUE(ran.says("born     malloc: moor misuses.c:17 ← write_freed misuses.c:51"))
        << ran.output;
    EXPECT_TRUE(ran.says("pointers label")) << ran.output;
    EXPECT_TRUE(ran.says("in use 1 block, 32 bytes")) << ran.output;
    EXPECT_TRUE(ran.says("32 bytes: 32 in use, 0 free, 0 at its end")) << ran.output;
    EXPECT_TRUE(ran.says("1 birth; at most 32 bytes")) << ran.output;
    EXPECT_TRUE(ran.says("nothing contradicts itself")) << ran.output;
    EXPECT_TRUE(ran.says("nothing is lost")) << ran.output;
}

TEST(HeapSession, WithoutTheLibraryItSaysWhatHelps) {
    Ran ran = debug(fixture("misuses-gcc-O0"),
                    {"pause at misuses.c:53", "launch write-freed innocent", "-heap life label"},
                    {"--stdout", "/dev/null"});
    EXPECT_NE((ran.output + ran.errors).find("nobody has written down the births of blocks"),
              std::string::npos)
        << ran.output << ran.errors;
    EXPECT_NE((ran.output + ran.errors).find("--heap"), std::string::npos);
}

// The number of a block is the same in a second run.
TEST(HeapSession, StopsAtTheBirthAndTheDeathOfTheVeryBlock) {
    std::vector<std::string> commands{"pause on heap born number 3",
                                      "pause on heap freed size 72",
                                      "launch forgotten innocent",
                                      "source",
                                      "continue",
                                      "restart"};
    Ran ran = debug(fixture("misuses-gcc-O0"), commands, {"--heap", "--stdout", "/dev/null"});
    EXPECT_TRUE(ran.says("on heap born number 3")) << ran.output;
    // The first block that is freed is the first of the size; the third one is born after two
    // deaths.
    auto lines = lines_of(ran.output);
    std::vector<std::string> told;
    for (const std::string& line : lines)
        if (line.starts_with(" heap ")) told.push_back(line);
    ASSERT_EQ(told.size(), 3u) << ran.output;
    EXPECT_NE(told[0].find("heap block 1 of 72 bytes"), std::string::npos) << ran.output;
    EXPECT_NE(told[1].find("heap block 2 of 72 bytes"), std::string::npos) << ran.output;
    EXPECT_NE(told[2].find("heap block 1 of 72 bytes"), std::string::npos) << ran.output;
    EXPECT_TRUE(ran.says("a block is freed")) << ran.output;
    Ran third = debug(fixture("misuses-gcc-O0"),
                      {"pause on heap born number 3", "launch forgotten", "caller", "= i"},
                      {"--heap", "--stdout", "/dev/null"});
    EXPECT_TRUE(third.says("a block is born")) << third.output;
    EXPECT_TRUE(third.says("i = 2")) << third.output;
}

TEST(HeapSession, RefusesEventsThatItDoesNotKnow) {
    Ran bare = debug(fixture("misuses-gcc-O0"), {"-pause on heap"}, {});
    EXPECT_NE((bare.output + bare.errors).find("nobody watches the heap in this session"),
              std::string::npos);
    Ran odd = debug(fixture("misuses-gcc-O0"), {"-pause on heap sunk", "-pause on heap size x"},
                    {"--heap"});
    EXPECT_NE((odd.output + odd.errors).find("pause on heap does not know \"sunk\""),
              std::string::npos)
        << odd.output << odd.errors;
    EXPECT_NE((odd.output + odd.errors).find("\"x\" is no number"), std::string::npos);
}

// The program finds its environment as it would be without the library.
TEST(HeapSession, LeavesTheEnvironmentAlone) {
    Ran bare = run({"/usr/bin/env", "-i", "BARGE=Wren", "/usr/bin/env"});
    TemporaryFolder folder;
    std::string seen = (folder.path() / "seen").string();
    std::string home = "HOME=" + folder.path().string();
    Ran ran = run({"/usr/bin/env", "-i", "BARGE=Wren", home, LANTERN_PROGRAM, "heap",
                   "/usr/bin/env", "--stdout", seen});
    EXPECT_EQ(ran.status, 0) << ran.output << ran.errors;
    EXPECT_EQ(folder.read("seen"), bare.output + home + "\n");
}

}  // namespace
}  // namespace lantern::testing
