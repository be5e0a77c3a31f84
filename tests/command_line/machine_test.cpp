// The machine level as a user types it: registers, disassembly, memory, words, regions, core files.
#include <gtest/gtest.h>

#include <sys/resource.h>

#include <regex>

#include "tests/testing/command.h"
#include "tests/testing/terminal.h"

namespace lantern::testing {
namespace {

const std::string kMachine = fixture("machine-gcc-O0");

Ran machine(const std::string& mode, std::vector<std::string> commands,
            const std::string& program = kMachine) {
    commands.insert(commands.begin(), {"pause at main once", "launch " + mode});
    return debug(program, commands, {"--stdout", "/dev/null"});
}

std::string after(const std::string& text, const std::string& mark) {
    std::size_t at = text.find(mark);
    return at == std::string::npos
               ? ""
               : text.substr(at + mark.size(), text.find('\n', at) - at - mark.size());
}

TEST(Registers, GroupsNamesPatternsAndChanges) {
    Ran ran = machine("deep 3", {"reach innermost", "registers", "registers flags",
                                 "registers xmm5 rax", "registers r1*", "into insn", "into insn",
                                 "registers rip", "caller", "registers", "registers rax"});
    EXPECT_TRUE(ran.says("fs_base")) << ran.output;
    EXPECT_TRUE(std::regex_search(
        ran.output, std::regex("rip +0x[0-9a-f]+( → 0x[0-9a-f]+)? +innermost.*machine.c:")));
    EXPECT_TRUE(std::regex_search(
        ran.output, std::regex("rsp +0x[0-9a-f]+( → 0x[0-9a-f]+)? +stack of frame 0")));
    EXPECT_TRUE(std::regex_search(ran.output, std::regex("rflags.*(IF|PF)")));
    EXPECT_TRUE(std::regex_search(ran.output, std::regex("[xyz]mm5 ")));
    EXPECT_TRUE(std::regex_search(ran.output, std::regex("rip +0x[0-9a-f]+ → 0x")))
        << "the program counter moved";
    EXPECT_TRUE(ran.says("registers in frame 1, deep"));
    EXPECT_TRUE(ran.says("not known here: rax"));
    EXPECT_TRUE(machine("deep", {"registers barge"}).says("there is no register \"barge\""));
    EXPECT_TRUE(debug(kMachine, {"registers"}).says("the program is not running"));
}

TEST(Registers, AreTheSameAsTheProgramsOwn) {
    Ran ran = machine("vectors",
                      {"reach vectors", "over", "registers xmm5 xmm7 st0", "change %rbx = 0x1234",
                       "registers rbx", "change %xmm5.f64[1] = 8.5", "registers xmm5"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("f64 1.5 -2.25"));
    EXPECT_TRUE(ran.says("deadbeef"));
    EXPECT_TRUE(ran.says("3.14159265358979"));
    EXPECT_TRUE(ran.says("0x1234"));
    EXPECT_TRUE(ran.says("f64 1.5 8.5"));
    Ran refused = machine("vectors", {"-change %cs = 3", "-change %xmm0.f16[0] = 1",
                                      "-value %xmm40", "registers segments debug"});
    EXPECT_TRUE(refused.says("cs cannot be written"));
    EXPECT_TRUE(refused.says("a vector register has no lanes f16"));
    EXPECT_TRUE(refused.says("the processor has no register xmm40"));
    EXPECT_TRUE(refused.says("dr7"));
}

TEST(Disassembly, ShowsLinesTargetsOperandsAndNeverOurByte) {
    Ran ran = machine("deep 3", {"pause at innermost", "continue", "disassembly deep bytes",
                                 "disassembly innermost", "disassembly", "disassembly deep counts",
                                 "disassembly machine.c:42"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(std::regex_search(ran.output, std::regex("▪2 ◆")));
    EXPECT_TRUE(ran.says("call innermost"));
    EXPECT_TRUE(ran.says("call deep"));
    EXPECT_TRUE(ran.says("►")) << "jumps are drawn";
    EXPECT_FALSE(ran.says("int3")) << "our byte never shows";
    EXPECT_TRUE(ran.says(" operands"));
    EXPECT_TRUE(ran.says("instructions of each line"));
    EXPECT_TRUE(
        debug(fixture("machine-gcc-O2"), {"disassembly main by source"}).says("block 2 of"));
}

TEST(Stacks, NamesOfSignalFramesStay) {
    Ran ran = machine("signal", {"reach innermost", "stack"});
    EXPECT_TRUE(ran.says("the frame of a signal")) << ran.output;
}

TEST(Disassembly, OfAFileThatIsNotRun) {
    Ran whole = run({LANTERN_PROGRAM, "disassembly", kMachine, "call_nothing"}),
        all = run({LANTERN_PROGRAM, "disassembly", kMachine});
    EXPECT_EQ(whole.status, 0) << whole.output;
    EXPECT_TRUE(whole.says("machine.c") || whole.says("keeper(3)"));
    EXPECT_TRUE(whole.says("ret"));
    EXPECT_EQ(all.status, 0);
    // Instruction for instruction what the toolchain's dumper finds in the program's own text.
    auto count = [](const std::string& text, const std::regex& row) {
        std::size_t found = 0;
        for (const std::string& line : lines_of(text)) found += std::regex_search(line, row);
        return found;
    };
    std::size_t ours = count(all.output, std::regex("^ +[0-9a-f]+  [a-z(]")),
                theirs = count(run({"objdump", "-d", "--no-show-raw-insn", kMachine}).output,
                               std::regex("^ +[0-9a-f]+:\t"));
    EXPECT_EQ(ours, theirs);
    EXPECT_TRUE(
        run({LANTERN_PROGRAM, "disassembly", kMachine, "nobody"}).says("no function nobody"));
}

TEST(Disassembly, InTheSyntaxTheUserSets) {
    TemporaryFolder folder;
    std::filesystem::create_directories(folder.path() / "elm-lantern");
    folder.write("elm-lantern/config.toml", "syntax = \"att\"\n");
    std::string settings = "XDG_CONFIG_HOME=" + folder.path().string();
    Ran att = run({"env", settings, LANTERN_PROGRAM, "disassembly", kMachine, "deep"}),
        whole = run({"env", settings, LANTERN_PROGRAM, "disassembly", kMachine});
    EXPECT_TRUE(std::regex_search(att.output, std::regex("mov(q)? %r[a-z]+, "))) << att.output;
    EXPECT_TRUE(whole.says("%rsp"));
    folder.write("elm-lantern/config.toml", "syntax = \"mine\"\n");
    EXPECT_TRUE(run({"env", settings, LANTERN_PROGRAM, "disassembly", kMachine, "deep"})
                    .says("is \"intel\" or \"att\""));
}

TEST(Disassembly, ShowsTheColdPartAndWhatIsInlined) {
    Ran cold = debug(fixture("machine-gcc-O2"), {"disassembly with_cold_part"});
    EXPECT_TRUE(cold.says("── cold part ──")) << cold.output;
    EXPECT_TRUE(cold.says("call flood"));
    Ran inlined = debug(fixture("locks-gcc-O2-dwarf5-pie"),
                        {"disassembly main by source", "disassembly main counts"});
    EXPECT_EQ(inlined.status, 0);
    EXPECT_TRUE(inlined.says("inlined: ")) << inlined.output;
}

TEST(Disassembly, TellsWhetherAJumpWillBeTaken) {
    // Steps by instruction until a conditional jump, and holds what was said against where the next
    // step goes.
    std::vector<std::string> commands{"reach deep"};
    for (int i = 0; i < 30; ++i) commands.push_back("into insn");
    Ran ran = machine("deep 3", commands);
    static const std::regex next("◆.*?0x([0-9a-f]+) +(j[a-z]+) (\\S+)");
    std::vector<std::string> lines = lines_of(ran.output);
    unsigned checked = 0;
    for (std::size_t i = 0; i < lines.size(); ++i) {
        bool will = lines[i].starts_with(" jump      it will jump"),
             will_not = lines[i].starts_with(" jump      it will not jump");
        if (!will && !will_not) continue;
        std::smatch here;
        std::string before, behind;
        for (std::size_t j = i; j-- > 0 && before.empty();)
            if (std::regex_search(lines[j], here, next)) {
                before = here[1];
                // The row below it is where it goes on without a jump.
                std::smatch row;
                for (std::size_t k = j + 1; k < i && behind.empty(); ++k)
                    if (std::regex_search(lines[k], row, std::regex("  0x([0-9a-f]+) ")))
                        behind = row[1];
            }
        std::string after;
        for (std::size_t j = i + 1; j < lines.size() && after.empty(); ++j)
            if (std::regex_search(lines[j], here, std::regex("^ *\\S* ◆.*0x([0-9a-f]+)  ")))
                after = here[1];
        if (before.empty() || behind.empty() || after.empty()) continue;
        EXPECT_EQ(after == behind, will_not) << before << " → " << after;
        ++checked;
    }
    EXPECT_GT(checked, 0u) << ran.output.substr(0, 2000);
}

TEST(Memory, FormsTypesGapsAndRepeats) {
    Ran ran = machine("deep 3", {"memory lanes count 4 as float", "memory words count 16 as bytes",
                                 "memory &level as int", "memory argv[1] as string",
                                 "memory %rsp count 4 as pointer",
                                 "memory main count 3 as instructions", "memory main as nonsense"});
    EXPECT_TRUE(std::regex_search(ran.output, std::regex(" 1\\.5 +-2\\.25\n"))) << ran.output;
    EXPECT_TRUE(ran.says("11 11 11 11 22 22 22 22  ef be ad de 44 44 44 44"));
    EXPECT_TRUE(ran.says("\"deep\""));
    EXPECT_TRUE(ran.says("stack of frame"));
    EXPECT_TRUE(std::regex_search(ran.output,
                                  std::regex("as instructions ─.*\n  0x[0-9a-f]+  (push|sub) ")));
    EXPECT_TRUE(ran.says("neither a form nor a type"));
    Ran gap = machine(
        "deep 3", {"memory 0 count 32", "memory %rsp - %rsp % 4096 + 0x100000 count 64 as hex"});
    EXPECT_TRUE(gap.says("32 bytes cannot be read")) << gap.output;
}

TEST(Memory, IsFilledCopiedSavedLoadedAndCompared) {
    TemporaryFolder folder;
    std::string file = (folder.path() / "bytes").string();
    Ran ran =
        machine("deep 3", {"memory keep before &sink count 8",
                           "memory fill &sink count 8 with de ad", "memory &sink count 8",
                           "memory compare before", "memory save &sink count 8 as " + file,
                           "memory fill &sink count 8 with 00", "memory load " + file + " to &sink",
                           "value sink as hex", "memory copy &level count 4 to &sink",
                           "value *(int*)&sink", "memory compare nobody"});
    EXPECT_TRUE(ran.says("de ad de ad de ad de ad")) << ran.output;
    EXPECT_TRUE(ran.says("8 of 8 bytes changed"));
    EXPECT_EQ(folder.read("bytes"), "\xde\xad\xde\xad\xde\xad\xde\xad");
    EXPECT_TRUE(ran.says("0xaddeaddeaddeadde"));
    EXPECT_TRUE(ran.says("*(int*)&sink = 7"));
    EXPECT_TRUE(ran.says("no memory was kept as \"nobody\""));
}

TEST(Memory, IsSearched) {
    Ran ran = machine("deep 3", {"find bytes ef be ad de in machine-gcc-O0", "value &words[2]",
                                 "find text \"nobody says this here\" in stack",
                                 "find value level in &level count 4", "-find bytes zz in all",
                                 "-find bytes 00 in nowhere", "-find bytes 00 in heap"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    std::string address = after(ran.output, "&words[2] = ");
    ASSERT_FALSE(address.empty()) << ran.output;
    EXPECT_TRUE(ran.says("  " + address.substr(0, address.find(' '))));
    EXPECT_TRUE(ran.says("value level in &level count 4 ──"));
    EXPECT_TRUE(ran.says("are no bytes"));
    EXPECT_TRUE(ran.says("it is not there"));
    EXPECT_TRUE(ran.says("the process has no heap yet"));
    EXPECT_TRUE(ran.says("there is no region \"nowhere\""));
}

TEST(Regions, SayWhatEachIs) {
    Ran ran = machine("deep 3", {"regions"});
    for (const char* what :
         {"program text", "program data", "stack of thread 1", "library text", "vdso", " %  "})
        EXPECT_TRUE(ran.says(what)) << what << ran.output;
}

TEST(Words, AreNamedAndDamageIsSaid) {
    Ran ran = machine("deep 3", {"reach innermost", "words 2"}, kMachine + "-pointer");
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("rbp of deep"));
    EXPECT_TRUE(std::regex_search(ran.output, std::regex("return address +into deep.*machine.c:")));
    EXPECT_TRUE(ran.says("follows a call of innermost: agrees"));
    EXPECT_TRUE(ran.says("leads into the caller's frame: agrees"));
    EXPECT_TRUE(std::regex_search(ran.output, std::regex("  left +0")))
        << "the parameter, by its value";
    Ran smashed = debug(kMachine, {"launch smash", "words", "stack"}, {"--stdout", "/dev/null"});
    EXPECT_TRUE(smashed.says("damaged  it has been overwritten: it holds the text \"GATEGATE\""))
        << smashed.output;
    EXPECT_TRUE(smashed.says("leads nowhere: the stack is damaged"));
    EXPECT_TRUE(smashed.says(" perhaps   0x"));
}

TEST(Words, TheFigureIsAPictureOfThem) {
    TemporaryFolder folder;
    Ran ran = machine(
        "deep 3", {"reach innermost", "save words 1 as " + (folder.path() / "frame.svg").string(),
                   "save words as " + (folder.path() / "frame.png").string(),
                   "save words as " + (folder.path() / "words.json").string(),
                   "save stack as " + (folder.path() / "x.png").string()});
    EXPECT_TRUE(folder.read("frame.svg").starts_with("<svg"));
    EXPECT_EQ(folder.read("frame.png").substr(1, 3), "PNG");
    EXPECT_NE(folder.read("words.json").find("\"return address\""), std::string::npos);
    EXPECT_TRUE(ran.says("stack is not drawn")) << ran.output;
}

TEST(Stacks, OfTwoHundredThousandFramesAreFolded) {
    rlimit before{};
    getrlimit(RLIMIT_STACK, &before);
    constexpr rlim_t kEnough = 64 << 20;
    if (before.rlim_max < kEnough) GTEST_SKIP() << "no stack of 64 MB may be had here: SKIPPED";
    rlimit large{std::min<rlim_t>(before.rlim_max, 256 << 20), before.rlim_max};
    setrlimit(RLIMIT_STACK, &large);
    Ran deep = debug(kMachine,
                     {"pause at innermost", "launch deep 199990", "stack", "frame 150000",
                      "value left", "caller"},
                     {"--stdout", "/dev/null"});
    setrlimit(RLIMIT_STACK, &before);
    EXPECT_EQ(deep.status, 0) << deep.errors;
    EXPECT_TRUE(deep.says("the same call 199 990 times"))
        << "deep(199990) to deep(1); the last stands at another call"
        << deep.output.substr(0, 3000);
    EXPECT_TRUE(deep.says("left = 149999")) << "deep(0) is frame 1";
    Ran cycle = debug(kMachine, {"pause at innermost", "launch cycle 300", "stack"},
                      {"--stdout", "/dev/null"});
    EXPECT_TRUE(cycle.says("the same 3 calls 300 times")) << cycle.output;
}

TEST(Postmortem, OfManyThreadsKeepsEachOfThem) {
    TemporaryFolder folder;
    std::string core = (folder.path() / "threads.core").string();
    Ran saved = debug(
        fixture("control-gcc-O0"),
        {"pause at pass when barge == 2", "launch count 4 10", "threads", "save core as " + core},
        {"--stdout", "/dev/null"});
    ASSERT_EQ(saved.status, 0) << saved.output;
    Ran ran = run({LANTERN_PROGRAM, "postmortem", core, "--do", "threads", "--do", "stack", "--do",
                   "value barge", "--do", "thread 1", "--do", "stack", "--format", "json"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("\"kept\"")) << "nothing ended it";
    EXPECT_TRUE(ran.says("\"keeper\""));
    EXPECT_TRUE(ran.says("\"count\"") || ran.says("pthread_join"));
    // As many threads as were listed while it lived.
    auto count = [](const std::string& text, const std::string& what) {
        std::size_t found = 0;
        for (std::size_t at = text.find(what); at != std::string::npos;
             at = text.find(what, at + 1))
            ++found;
        return found;
    };
    EXPECT_EQ(count(ran.output.substr(0, ran.output.find("\"kind\":\"stack\"")), "\"number\":"),
              count(run({"readelf", "-n", core}).output, "NT_PRSTATUS"));
}

TEST(Postmortem, WorksAtAPromptAndInScripts) {
    TemporaryFolder folder;
    std::string core = (folder.path() / "a.core").string();
    ASSERT_EQ(
        debug(kMachine, {"reach main", "save core as " + core}, {"--stdout", "/dev/null"}).status,
        0);
    Terminal terminal({LANTERN_PROGRAM, "postmortem", core});
    ASSERT_TRUE(terminal.shows("as the process was when the core was written"));
    terminal.type("stack\r");
    ASSERT_TRUE(terminal.shows("the system's start"));
    terminal.type("over\r");
    ASSERT_TRUE(terminal.shows("nothing in it can run or be changed"));
    terminal.type("quit\r");
    EXPECT_EQ(terminal.wait_for_end(), 0);
    Ran refused = debug(kMachine, {"save core as " + core});
    EXPECT_TRUE(refused.says("the program is not running")) << refused.output;
    EXPECT_TRUE(
        debug(kMachine, {"reach main", "save core as /nowhere/a.core"}, {"--stdout", "/dev/null"})
            .says("cannot be written"));
}

TEST(Postmortem, FindsAProgramThatHasMovedAndRefusesAnotherBuild) {
    namespace fs = std::filesystem;
    TemporaryFolder folder;
    fs::create_directories(folder.path() / "then");
    fs::create_directories(folder.path() / "now");
    fs::path then = folder.path() / "then/machine", now = folder.path() / "now/machine";
    fs::copy_file(kMachine, then);
    std::string core = (folder.path() / "a.core").string();
    ASSERT_EQ(debug(then.string(), {"pause at innermost", "launch deep 3", "save core as " + core},
                    {"--stdout", "/dev/null"})
                  .status,
              0);
    fs::rename(then, now);
    Ran lost = run({LANTERN_PROGRAM, "postmortem", core, "--do", "stack", "--do", "registers rip",
                    "--do", "memory %rsp count 4 as hex", "--do", "threads", "--do", "regions",
                    "--do", "-locals", "--do", "-source"});
    EXPECT_EQ(lost.status, 0);
    EXPECT_TRUE(lost.says("is not here: its frames have no names")) << lost.output;
    Ran found = run({LANTERN_PROGRAM, "postmortem", core, "--symbols", now.parent_path().string(),
                     "--do", "stack"});
    EXPECT_EQ(found.status, 0) << found.output;
    EXPECT_TRUE(found.says("the same call") || found.says("deep "));
    Ran named = run({LANTERN_PROGRAM, "postmortem", core, now.string(), "--do", "value x"});
    EXPECT_EQ(named.status, 0) << named.output;
    fs::copy_file(fixture("machine-gcc-O2"), then);
    Ran other = run({LANTERN_PROGRAM, "postmortem", core});
    EXPECT_EQ(other.status, 0);
    EXPECT_TRUE(
        other.says("is another build than the one that left the core: its frames have no names"))
        << other.output;
    Ran forced = run({LANTERN_PROGRAM, "postmortem", core, then.string(), "--do", "-stack"});
    EXPECT_TRUE(forced.says("is NOT the program that left this core")) << forced.output;
}

TEST(Postmortem, LooksAtACoreWeSaved) {
    TemporaryFolder folder;
    std::string core = (folder.path() / "day.core").string();
    Ran saved = debug(kMachine, {"launch null", "save core as " + core, "stack"},
                      {"--stdout", "/dev/null"});
    EXPECT_EQ(saved.status, 0) << saved.output;
    EXPECT_TRUE(saved.says("core saved as"));
    Ran ran = run({LANTERN_PROGRAM,    "postmortem", core,      "--do", "stack",       "--do",
                   "caller",           "--do",       "locals",  "--do", "words",       "--do",
                   "registers",        "--do",       "regions", "--do", "disassembly", "--do",
                   "value level",      "--do",       "threads", "--do", "-continue",   "--do",
                   "-change level = 3"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("it called a function through a null pointer"));
    EXPECT_TRUE(ran.says("call_nothing"));
    EXPECT_TRUE(ran.says("level = 7"));
    EXPECT_TRUE(ran.says("nothing in it can run or be changed"));
    EXPECT_EQ(run({LANTERN_PROGRAM, "postmortem"}).status, 2);
    EXPECT_EQ(run({LANTERN_PROGRAM, "postmortem", "/nowhere"}).status, 3);
}

}  // namespace
}  // namespace lantern::testing
