#include <array>

#include "cli/commands/command.h"
#include "cli/commands/short_words.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "fmt/format.h"

namespace lantern::cli {
namespace {

constexpr std::string_view kRunning = "running", kStopping = "stopping", kLooking = "looking",
                           kMachine = "the machine", kValues = "values", kRest = "the rest";

constexpr Command kCommands[] = {
    {"launch", "launch [ARGS] [< FILE] [> FILE]", "start the program; breakpoints stop it",
     kRunning,
     "Starts the program with these arguments, or with those of last time. Words are cut as a "
     "shell does; < FILE and\n"
     "> FILE redirect its standard input and output. A program that is running is ended first.",
     run_launch, Completes::file},
    {"restart", "restart", "start it again with the same arguments", kRunning,
     "Ends the program and starts it again. Breakpoints and pins stay; a rebuilt program is read "
     "anew.",
     run_restart},
    {"continue", "continue [alone] [meanwhile]", "go on until something stops it", kRunning,
     "Goes on until a breakpoint, a signal that would end the program, Ctrl-C, or its end. alone "
     "holds the other threads.\n"
     "With meanwhile the prompt stays: breakpoints can be set, pause stops the program, wait waits "
     "for it. over, into, out and\n"
     "reach take the word too.",
     run_continue, Completes::nothing, true},
    {"wait", "wait [SECONDS]", "wait until the program that runs meanwhile stops", kRunning,
     "No longer than SECONDS, where they are given; it runs on then. Ctrl-C pauses it.", run_wait},
    {"over", "over [N] [insn] [alone] [pace SECONDS] [meanwhile]", "one line, calls in it included",
     kRunning,
     "Runs the statement that is next, with everything it calls, inlined or not, and stops before "
     "the following one; shows what its\n"
     "calls returned. Where a frame further out is shown, it first runs back to that one. In "
     "optimised code several statements may stand at one address: then nothing runs.\n"
     "With N, that often; pace tells each of them, so many seconds apart. insn steps by machine "
     "instruction. alone holds the\n"
     "other threads. An exception, a panic or longjmp that leaves the function ends the step where "
     "it lands.",
     run_over, Completes::nothing, true},
    {"into", "into [N] [FUNCTION] [insn] [alone] [anyway] [meanwhile]",
     "one line, or into the function it calls", kRunning,
     "Stops in the first function of the line that has source, after its parameters are in place, "
     "also in one that was inlined;\n"
     "like over when the line calls none. FUNCTION picks one of several. Library code is passed "
     "through to the user's own that it calls; anyway stops in\n"
     "any function. insn runs one machine instruction.",
     run_into, Completes::nothing, true},
    {"out", "out [loop] [meanwhile]", "run until this function returns, and show what it returned",
     kRunning,
     "Runs until the selected frame's function has returned to its caller; an inlined one, until "
     "its code is left. An exception, a panic or longjmp that leaves it ends\n"
     "the movement where it lands, and says that it has not returned. out loop runs to the first "
     "line behind the innermost loop around this one.",
     run_out, Completes::nothing, true},
    {"reach", "reach PLACE [meanwhile]", "run to a place", kRunning,
     "Runs until the program comes to PLACE, as if a breakpoint stood there once. Starts the "
     "program if it does not run.",
     run_reach, Completes::place},
    {"divert", "divert PLACE", "go on at another place, without running what lies between",
     kRunning,
     "The next instruction to run becomes the first of PLACE. Variables, registers and the stack "
     "stay as they are.",
     run_divert, Completes::place},
    {"leave", "leave [VALUE]", "return from this function now", kRunning,
     "Ends the selected frame's function as if it had returned VALUE. What it had not done yet, "
     "its destructors too, is not done.",
     run_leave, Completes::expression},
    {"release", "release", "let the program run on without us", kRunning,
     "Every byte of its code is as it was found.", run_release},
    {"reload", "reload", "read the program anew after a rebuild", kRunning,
     "Ends the old one if it runs, reads the new symbols, finds the lines of breakpoints again, "
     "and says what moved and what is gone.",
     run_reload},
    {"follow", "follow parent|child|both", "whom to stay with when the program forks", kRunning,
     "The other one goes on alone, with clean code. With both they go on and stand together, as "
     "threads do: what stops one of them stops all, each meets the breakpoints and watchpoints, "
     "and what is counted is counted for all. The child of a vfork, posix_spawn or system shares "
     "its parent's memory until it becomes another program: there it joins.",
     run_follow},
    {"processes", "processes", "the processes of the session", kRunning,
     "They go on together, but for a movement of one thread alone, and stand together. The marked "
     "one is looked at.",
     run_processes},
    {"process", "process N", "look at another of them", kRunning,
     "When the one that is looked at ends, another one that is left takes its place.", run_process},
    {"pause", "pause at PLACE … | pause on EVENT … | pause",
     "set a breakpoint or a watchpoint; stop a running program", kStopping,
     "pause at PLACE [when EXPR] [after N] [every N] [once] [thread N] [later]: PLACE is "
     "FILE:LINE, LINE in the current file, a\n"
     "function's name as it is printed or its last part, with its parameters' types behind it to "
     "pick one of several: over(double), a\n"
     "pattern of names with * and ?, or address EXPR. Of functions of one name those of the "
     "library's templates count only where there are no others. A line is met wherever the "
     "compiler has put "
     "it, inlined copies included, once for\n"
     "each pass. A function stops after its parameters are in place, in its own code or in each "
     "place it was inlined into. when:\n"
     "only where EXPR is not zero. after N passes N hits, every N stops at each Nth, once stops "
     "once. later: a library will bring it, or a name in the condition.\n"
     "pause on write EXPR: when its value changes; pause on read EXPR: when an instruction reads "
     "it; pause on access EXPR: both, and when it is written with what was there. With following "
     "the expression is\n"
     "looked up anew at each stop, with by steps the program is single-stepped where nothing else "
     "can watch. What the kernel writes for\n"
     "the program is seen too: each of its system calls takes some 30 microseconds longer "
     "meanwhile.\n"
     "pause on throw [TYPE], catch [TYPE], panic, signal NAME, load [NAME], unload [NAME], fork, "
     "exec, exit, thread start, thread end,\n"
     "syscall [NAME], and with --heap heap [born | freed] [of size N..M] [number N]; sanitizer: "
     "what the checks report that -fsanitize has built in.\n"
     "The same limits can "
     "follow. pause alone stops a program that runs meanwhile; "
     "else Ctrl-C does.",
     run_pause, Completes::pause},
    {"note", "note at PLACE EXPR, EXPR … [when EXPR] [limit N] | note blocks of FUNCTION",
     "record values at a place without stopping", kStopping,
     "Each hit adds the time, the thread and the values to a table. notes shows it, save notes as "
     "FILE.csv keeps it, plot draws it.\n"
     "PLACE is one word; after N and every N thin the notes out.\n"
     "note blocks of FUNCTION counts how often each block of its code runs; draw code FUNCTION as "
     "FILE shows the counts and the path since the last stop.",
     run_note, Completes::note},
    {"notes", "notes [all]", "what has been noted", kStopping,
     "The last rows of the table, or all.", run_notes},
    {"plot", "plot [EXPR, EXPR …] [over time] [as FILE]",
     "draw what has been noted (.svg, .png or .dark.png; here without a file)", kStopping,
     "Each expression of each thread is a line; whole numbers are drawn as steps, and where there "
     "was "
     "no value there is a gap.\n"
     "Series of very different size get panels of their own. over time: by seconds, not by hits.",
     run_plot, Completes::file},
    {"signals", "signals [NAME [natural|pass|swallow|pause]]", "what happens when a signal comes",
     kStopping,
     "natural stops where the signal would end the program. pass: it goes to the program, nobody "
     "stops. swallow: the program does not\n"
     "get it. pause: it stops, and the program gets it when it goes on.",
     run_signals, Completes::signal},
    {"breakpoints", "breakpoints", "list the breakpoints", kStopping,
     "Each with its place, its sites and how often it was hit.", run_breakpoints},
    {"off", "off N … | off all", "silence breakpoints", kStopping,
     "The breakpoint stays in the list and stops nothing.", run_off, Completes::number},
    {"on", "on N … | on all", "wake them again", kStopping, "", run_on, Completes::number},
    {"drop", "drop N … | drop all", "remove them", kStopping, "", run_drop, Completes::number},
    {"draw", "draw EXPR … [as FILE] | draw stack|threads|regions|code [FUNCTION] as FILE",
     "draw what hangs together by pointers, numbers, the process", kLooking,
     "FILE ends in .svg, .png, .dark.png (on a dark page), or .dot; without one it is told here.\n"
     "draw EXPR [raw] [depth N] [limit N] [keep NAME] [since NAME]: a pointer, an owner, a list, a "
     "structure: boxes with their members, arrows to what they lead "
     "to, chains along lines, trees from their root. Pointers that are null, lead to memory that "
     "is "
     "not mapped or was freed, or to a block too small for what they are for, say so. keep NAME "
     "keeps the drawing, since NAME marks what is new, changed and gone since then.\n"
     "draw EXPR [of MEMBER] [every N] [histogram]: an array or container of numbers: a line; of "
     "rows of numbers: a field of tones; histogram: "
     "how often each number occurs. of MEMBER: that member of each element; every N: one of N.\n"
     "stack: the calls with their frames' sizes; threads: who waits for whom; regions: the address "
     "space with the pointers of this frame; code FUNCTION: its blocks with their lines.",
     run_draw, Completes::expression},
    {"threads", "threads", "the threads, and where each is in your code", kLooking,
     "Threads that wait for each other's mutexes are told.", run_threads},
    {"thread", "thread N", "look at thread N", kLooking,
     "Selects it, and in it the innermost frame with your source. Movements then move that one's "
     "stops.",
     run_thread},
    {"source", "source [PLACE]", "show the code; again shows what follows", kLooking,
     "Shows the code around the place, or around where the program stands. Without a place and "
     "right after another\n"
     "source, it goes on where that one ended.",
     run_source, Completes::place},
    {"stack", "stack [all | A..B]", "the call stack", kLooking,
     "Equal calls in a row are one row, with the range of what differs; so are frames of a "
     "library's inner workings. Of many rows those\n"
     "in the middle are left out, never the outermost. all shows each frame as it is, A..B those "
     "from A up to B, which is not shown.",
     run_stack},
    {"caller", "caller [N]", "look at the function that called this one", kLooking,
     "Selects a frame further out; values and locals are then those of that frame.", run_caller},
    {"callee", "callee [N]", "back towards the innermost frame", kLooking, "", run_callee},
    {"frame", "frame [N]", "look at frame N of the stack", kLooking, "", run_frame},
    {"locals", "locals", "parameters and local variables", kLooking,
     "Those of the selected frame, innermost scope first. A variable that nothing has assigned yet "
     "says so beside its bytes.",
     run_locals},
    {"globals", "globals [PATTERN] [in NAME] [of TYPE] [limit N]",
     "global variables, the program's own first", kLooking,
     "PATTERN is a part of the name, a pattern with * and ?, or a /regular expression/. NAME is a "
     "source file or a loaded\n"
     "library; TYPE a part of the type's name.",
     run_globals, Completes::expression},
    {"find", "find WHAT …",
     "look for functions, globals, types, files, code, an address; for bytes, a text, a value",
     kLooking,
     "find functions|globals|types|files [PATTERN] [in NAME] [limit N] [all]: PATTERN is a part of "
     "the name, a pattern with * and ?,\n"
     "or a regular expression between slashes. NAME is a source file or a loaded library. all "
     "lists the languages' own too.\n"
     "find bytes HEX, find text \"TEXT\", find value EXPR, each with in REGION: heap, stack, all, "
     "the name of a module, or ADDRESS count N.\n"
     "find code PLACE: every address the place stands for, each inlined copy and template "
     "instance; of a line, all its code.\n"
     "find address EXPR: the module, function, inlined calls, file and line at an address.",
     run_find, Completes::find},
    {"type", "type NAME | type EXPR", "how a type lies in memory", kLooking,
     "Members with their offsets and sizes, bases, the padding between, what is lost to it, the "
     "values of an enumeration.",
     run_type, Completes::expression},
    {"diagnose", "diagnose", "why it failed: the part of the line, and where its value came from",
     kLooking,
     "At a crash: what happened, in which statement of your own code, which pointer, index or "
     "divisor of it was wrong, and back from there by which\n"
     "moves, calls and parameters the value came; each step says how sure it is. Everything is "
     "read, nothing is run. elm-lantern diagnose PROGRAM\n"
     "does the same without a session, and keeps a report.",
     run_diagnose, Completes::nothing},
    {"registers", "registers [GROUP|NAME|PATTERN …]", "what the processor holds in this frame",
     kMachine,
     "The general registers, the flags by name, and what each may point at; where a register "
     "changed since the last stop, what it was. GROUP is\n"
     "general, flags, segments, vectors, floating, masks, debug or all. In an outer frame those "
     "are known that the functions called since kept.\n"
     "change %rax = 1 writes one, change %xmm0.f32[2] = 1.5 a lane of a vector (f64, f32, i64 … "
     "i8, u64 … u8).",
     run_registers, Completes::nothing},
    {"disassembly",
     "disassembly [PLACE | from EXPR to EXPR] [all] [by source] [bytes] [counts] [count N]",
     "the machine code, with the lines it comes from", kMachine,
     "Around the instruction that runs next, with what its operands hold now and whether it will "
     "jump; of PLACE, a whole function or a line's\n"
     "code. all shows the whole function, its detached parts too; by source gathers each line's "
     "stretches in the order of lines; bytes adds the\n"
     "bytes; counts tells how many instructions each line became. The setting syntax is \"intel\" "
     "or \"att\".",
     run_disassembly, Completes::place},
    {"became", "became [FUNCTION | PLACE]", "what the compiler has made of a function", kMachine,
     "Each statement with how many instructions are left of it; what is gone, moved, inlined, "
     "unrolled. What is only possible says so.",
     run_became, Completes::place},
    {"memory",
     "memory ADDRESS [count N] [as FORM|TYPE] [all] | memory fill|copy|save|load|keep|compare …",
     "bytes, words, texts, pointers, values of a type", kMachine,
     "ADDRESS is an expression: a number, a pointer, or something that lies in memory. count is in "
     "elements of the form; all is the whole object.\n"
     "Numbers are shown as the expression's type says, everything else as bytes; as i8, u8 … i64, "
     "u64, f32, f64, or a type of the program, chooses.\n"
     "memory fill ADDRESS count N with BYTES|\"text\"; memory copy ADDRESS count N to ADDRESS; "
     "memory save ADDRESS count N as FILE;\n"
     "memory load FILE to ADDRESS; memory keep NAME ADDRESS count N, and later memory compare "
     "NAME: what changed since.",
     run_memory, Completes::expression},
    {"heap",
     "heap [blocks | types | check | leaks | path ADDRESS | keep NAME | since NAME | life ADDRESS "
     "| "
     "places]",
     "what is in use, whose a block is, what is damaged or lost", kMachine,
     "Reads the structures of the system's C library; nothing is run in the program, and a core "
     "does as well.\n"
     "heap blocks [free] [of TYPE] [size N..M] [limit N] lists blocks; heap blocks at ADDRESS the "
     "one that holds an address, with its neighbours.\n"
     "heap types [limit N] tells what the blocks hold, by the pointers that lead to them.\n"
     "heap check tells what contradicts itself, and which block lies before a damaged header. heap "
     "leaks [limit N] tells the blocks\n"
     "that no pointer in registers, stacks, variables or other blocks leads to. heap path ADDRESS "
     "shows by which pointers a block is kept.\n"
     "heap keep NAME remembers what is there now; later heap since NAME tells what came, went and "
     "grew, and heap leaks what grew each time.\n"
     "In a session begun with --heap: heap life ADDRESS tells where a block was born and freed, "
     "and "
     "who points to it; heap places [limit N] where what lives was born.",
     run_heap, Completes::expression},
    {"words", "words [CALLERS] [below]", "each word of this frame's raw stack, and what it is",
     kMachine,
     "Return address, saved registers, variables by name and part, canary, and what is left over; "
     "what is damaged is said. With a number, that many\n"
     "callers' frames too. below begins under the stack pointer. save words as FILE.svg draws "
     "them.",
     run_words, Completes::nothing},
    {"regions", "regions", "the map of the process's memory", kMachine,
     "What each region is, its rights, its size, and how much of it is in physical memory.",
     run_regions},
    {"value", "value EXPR [as FORM] [raw] [from N] [all]",
     "compute and show; = EXPR is short for it", kValues,
     "EXPR is written as in the language of the selected function: C, C++ or Rust. Besides: %rax "
     "is a register, p[0..8] are\n"
     "eight elements, level#17 is the variable declared at line 17, @ is the last result, @3 the "
     "third. A text in quotes\n"
     "compares by content: barge->name == \"Wren\". Library types are shown as they are meant, and "
     "tolls[\"Wren\"] finds a\n"
     "key; tolls.size(), gate.is_some() and *it are answered without running anything; raw shows "
     "how they lie in memory. Of much, a part is shown: from N goes on there, all shows "
     "everything.\n"
     "A call such as toll(3) runs the program's own code; it needs --allow-calls, or a yes when it "
     "is asked for.\n"
     "FORM is hex, decimal, unsigned, octal, binary, char, string, float, bytes, pointer or "
     "instructions.",
     run_value, Completes::expression},
    {"explain", "explain EXPR", "what a name stands for, where it lives, why it has no value",
     kValues,
     "Its type, where it was declared and is in scope; where it lives here, and where in the rest "
     "of its function; and the\n"
     "other variables of the same name, innermost first.",
     run_explain, Completes::expression},
    {"form", "form NAME as FORM | form NAME as natural | form",
     "show a variable in another form from now on", kValues,
     "In locals, values and pins. natural is as it was; form alone lists what is set.", run_form,
     Completes::expression},
    {"change", "change PLACE-IN-MEMORY = EXPR",
     "give a variable, element or register another value", kValues,
     "The new value is converted as in C. Text goes into a character array with its terminator.",
     run_change, Completes::expression},
    {"keep", "keep NAME = EXPR", "keep a value under a name, for @NAME", kValues, "", run_keep,
     Completes::expression},
    {"pin", "pin EXPR | pin VIEW", "show a value or a view at every stop", kValues,
     "VIEW is locals, stack, breakpoints, registers, disassembly, words or threads. pin alone "
     "lists what is pinned.",
     run_pin, Completes::expression},
    {"unpin", "unpin N | unpin all", "stop showing it", kValues, "", run_unpin},
    {"save", "save VIEW as FILE", "write a view to a file", kRest,
     "VIEW is a command that looks: locals, stack, threads, source main, value EXPR … The ending "
     "picks the form; notes can also\n"
     "end in .csv, words and explain in .svg or .png. save core as FILE writes the stopped process "
     "down. The file is written whole or\n"
     "not at all.",
     run_save, Completes::save},
    {"play", "play FILE", "run the commands of a file", kRest,
     "One command a line; # starts a comment; a line that starts with - may fail.", run_play,
     Completes::file},
    {"help", "help [WORD]", "this list, or all about one command", kRest, "", run_help,
     Completes::command},
    {"quit", "quit", "end the program and leave", kRest, "", run_quit},
};

}  // namespace

std::span<const Command> commands() {
    return kCommands;
}

const Command& find_command(std::string_view word) {
    std::vector<const Command*> matches;
    std::vector<std::string> words;
    for (const ShortWord& each : short_words())
        if (each.word == word)
            return find_command(each.stands_for.substr(0, each.stands_for.find(' ')));
    for (const Command& command : kCommands) {
        if (command.word == word) return command;
        if (command.word.starts_with(word)) matches.push_back(&command);
        words.emplace_back(command.word);
    }
    if (matches.size() == 1) return *matches[0];
    if (matches.size() > 1) {
        std::vector<std::string> candidates;
        for (const Command* match : matches) candidates.emplace_back(match->word);
        throw RequestError(fmt::format("{} could be {}", quote(word), join_with(candidates, "or")),
                           "type one more letter");
    }
    auto near = nearest_names(word, words);
    throw RequestError(fmt::format("there is no command {}", quote(word)),
                       near.empty() ? "help lists the commands"
                                    : fmt::format("did you mean {}?", join_with(near, "or")));
}

}  // namespace lantern::cli
