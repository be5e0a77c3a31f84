"""Breakpoints of every kind, and what stops besides."""
from common import *


def test_a_condition_a_hit_condition_and_a_message():
    c = flow()
    line = line_of("lockflow.c", "int headroom_cm")
    c.ask("setFunctionBreakpoints", breakpoints=[{"name": "take_through", "hitCondition": "3"}])
    at_lines(c, "lockflow.c", {"line": line, "condition": "chamber->level_cm > 250"},
             {"line": line_of("lockflow.c", "totals.barges++"), "logMessage": "{{barge}} {barge->name[0]} draws {barge->draught_cm}"})
    met = []
    event = c.go()
    while event["event"] == "stopped":
        name = c.frames(levels=1)[0]["name"]
        met.append(name)
        if name == "pass_chamber":
            assert int(c.value("chamber->level_cm")) > 250
        event = c.move("continue")
    passed = len([l for l in sheet.read_text().splitlines() if "," in l])
    assert met.count("take_through") == passed - 2, met
    said = [l for l in output_of(c, "console").splitlines() if l.startswith("{barge}")]
    written = sheet.read_text().splitlines()
    truth = [(name[0], rest.split(",")[0].strip()) for name, rest in zip(written[::2], written[1::2])]
    assert len(said) == len(truth) and all(name in text and text.endswith("draws " + draught)
                                           for text, (name, draught) in zip(said, truth)), said
    c.end()


def test_breakpoints_that_stay_keep_their_numbers_and_what_is_wrong_is_said():
    c = flow()
    a, b = line_of("lockflow.c", "double base"), line_of("lockflow.c", "int minutes")
    first = at_lines(c, "lockflow.c", a, b)
    second = at_lines(c, "lockflow.c", b, {"line": a, "condition": "nothing_such > 1"})
    assert second[0]["id"] == first[1]["id"] and second[1]["id"] not in (first[0]["id"], first[1]["id"])
    assert not second[1]["verified"] and "nothing_such" in second[1]["message"]
    third = at_lines(c, "lockflow.c", line_of("lockflow.c", "struct chamber {"))
    assert third[0]["line"] != line_of("lockflow.c", "struct chamber {") or not third[0]["verified"]
    assert "has no code" in third[0]["message"] or "no code" in third[0]["message"]
    assert c.go()["event"] in ("stopped", "terminated")
    c.end()


def test_what_is_asked_for_before_the_launch_is_verified_after_it():
    c = client()
    c.ask("initialize", adapterID="x")
    c.wait("initialized")
    line = line_of("lockflow.c", "double base")
    early = at_lines(c, "lockflow.c", line)
    assert not early[0]["verified"] and early[0]["reason"] == "pending"
    c.ask("configurationDone")
    c.ask("launch", program=str(demo / "lockflow"), stdin=str(sheet))
    changed = c.wait("breakpoint")["body"]
    assert changed["reason"] == "changed" and changed["breakpoint"]["id"] == early[0]["id"]
    assert changed["breakpoint"]["verified"] and changed["breakpoint"]["line"] == line
    assert c.wait("stopped")["body"]["hitBreakpointIds"] == [early[0]["id"]]
    c.end()


def test_a_breakpoint_in_a_library_waits_for_it():
    program, source = compiled("late.c", """
#include <dlfcn.h>
#include <stdio.h>
int main(int count, char **words) {
    void *opened = dlopen(words[1], RTLD_NOW);
    int (*open_gate)(int) = (int (*)(int))dlsym(opened, "open_gate");
    printf("%d\\n", open_gate(20));
    return 0;
}
""", "-O0")
    library = work / "gate.so"
    (work / "gate.c").write_text("int open_gate(int level) {\n    return level + 1;\n}\n")
    subprocess.run(["gcc", "-g", "-O0", "-shared", "-fPIC", "-o", library, work / "gate.c"], check=True)
    c = client()
    c.begin(program=str(program), args=[str(library)])
    waits = c.ask("setFunctionBreakpoints", breakpoints=[{"name": "open_gate"}])["breakpoints"][0]
    assert not waits["verified"] and waits["reason"] == "pending"
    stop = c.go()
    assert stop["body"]["hitBreakpointIds"] == [waits["id"]]
    told = [e["body"]["breakpoint"] for e in c.seen if e["type"] == "event" and e["event"] == "breakpoint"]
    assert told and told[0]["id"] == waits["id"] and told[0]["verified"] and told[0]["line"] == 2
    assert any(e["body"]["module"]["path"] == str(library) for e in c.seen if e["type"] == "event" and e["event"] == "module")
    assert c.value("level") == "20"
    c.end()


def test_a_breakpoint_set_while_the_program_runs():
    program, source = compiled("turns.c", """
#include <unistd.h>
volatile int turns;
static void turn(int by) {
    turns += by;
}
int main(void) {
    for (;;) { turn(2); usleep(1000); }
}
""", "-O0")
    c = client()
    c.begin(program=str(program))
    c.ask("configurationDone")
    until(lambda: int(c.value("turns", context="watch")) > 0)
    assert c.refused("stackTrace", threadId=1) == "notStopped"
    assert c.refused("variables", variablesReference=1) == "notStopped"
    assert [t["id"] for t in c.ask("threads")["threads"]] == [1]
    line = source.read_text().splitlines().index("    turns += by;") + 1
    set_there = c.ask("setBreakpoints", source={"path": str(source)}, breakpoints=[{"line": line}])["breakpoints"]
    assert set_there[0]["verified"]
    assert c.wait("stopped")["body"]["hitBreakpointIds"] == [set_there[0]["id"]]
    assert c.locals()["by"]["value"] == "2"
    c.ask("setBreakpoints", source={"path": str(source)}, breakpoints=[])
    before = int(c.value("turns"))
    c.ask("continue", threadId=1)
    until(lambda: int(c.value("turns", context="watch")) > before)
    c.ask("pause", threadId=1)
    assert c.wait("stopped")["body"]["reason"] == "pause"
    c.end()


def test_a_place_that_is_written_is_watched():
    c = flow()
    at_lines(c, "lockflow.c", line_of("lockflow.c", "int water = pass_chamber"))
    c.go()
    member = c.ask("dataBreakpointInfo", name="totals.barges")
    assert member["canPersist"] and set(member["accessTypes"]) == {"write", "read", "readWrite"}
    local = c.ask("dataBreakpointInfo", variablesReference=c.scope("Locals"), name="lock")
    assert not local["canPersist"]
    set_there = c.ask("setDataBreakpoints", breakpoints=[{"dataId": member["dataId"], "accessType": "write"},
                                                         {"dataId": local["dataId"], "accessType": "write"}])["breakpoints"]
    assert all(b["verified"] for b in set_there), set_there
    at_lines(c, "lockflow.c")
    stop = c.move("continue")["body"]
    assert stop["reason"] == "data breakpoint" and stop["hitBreakpointIds"] == [set_there[1]["id"]]
    assert c.value("lock") == "1"
    assert "lock 0 → 1" in output_of(c, "console")
    c.ask("setDataBreakpoints", breakpoints=[{"dataId": member["dataId"], "accessType": "write"}])
    c.move("continue")    # the planted fault: there are only four locks
    assert c.value("lock") == "4" and c.frames(levels=1)[0]["line"] in (
        line_of("lockflow.c", "totals.water_cm[lock] += water"), line_of("lockflow.c", "int lock = 0"))
    assert int(c.value("totals.barges")) > 12, "more than there are on the sheet"
    bytes_there = c.ask("dataBreakpointInfo", name=c.ask("evaluate", expression="&totals.water_cm[2]")["memoryReference"],
                        asAddress=True, bytes=4)
    watched = c.ask("setDataBreakpoints", breakpoints=[{"dataId": bytes_there["dataId"], "accessType": "write"}])["breakpoints"]
    assert watched[0]["verified"], watched
    before = c.value("totals.water_cm[2]")
    assert c.move("continue")["body"]["reason"] == "data breakpoint"
    assert c.value("totals.water_cm[2]") != before
    c.end()


def test_a_breakpoint_on_an_instruction():
    c = flow(stopOnEntry=True)
    stop = c.go()["body"]
    assert stop["reason"] == "entry" and c.frames(levels=1)[0]["name"] == "main"
    here = c.frames(levels=1)[0]["instructionPointerReference"]
    after = c.ask("disassemble", memoryReference=here, instructionCount=6)["instructions"]
    target = after[4]["address"]
    set_there = c.ask("setInstructionBreakpoints", breakpoints=[{"instructionReference": here, "offset": int(target, 16) - int(here, 16)}])
    assert set_there["breakpoints"][0]["verified"] and set_there["breakpoints"][0]["instructionReference"] == target
    assert c.move("continue")["body"]["reason"] == "instruction breakpoint"
    assert c.frames(levels=1)[0]["instructionPointerReference"] == target
    c.end()


def test_exceptions_of_one_type_and_panics():
    program, source = compiled("toll.cpp", """
#include <stdexcept>
struct TollError : std::runtime_error { using runtime_error::runtime_error; };
struct Closed {};
static void pass(int n) {
    if (n == 1) throw Closed();
    if (n == 2) throw TollError("no toll was paid");
}
int main() {
    for (int n = 0; n < 4; n++) {
        try { pass(n); } catch (const Closed&) {} catch (const TollError&) {}
    }
}
""", "-O0", compiler="g++")
    c = client()
    c.begin(program=str(program))
    filters = [f["filter"] for f in c.capabilities["exceptionBreakpointFilters"]]
    assert filters == ["throw", "catch", "panic", "signal"]
    answered = c.ask("setExceptionBreakpoints", filters=["panic"], filterOptions=[{"filterId": "throw", "condition": "TollError"},
                                                                                  {"filterId": "signal", "condition": "SIGNONE"}])
    assert [b["verified"] for b in answered["breakpoints"]] == [False, False, False], answered
    assert "no loaded module" in answered["breakpoints"][1]["message"] and answered["breakpoints"][2]["reason"] == "failed"
    assert c.go()["body"]["reason"] == "exception"
    changed = [e["body"]["breakpoint"] for e in c.seen if e.get("event") == "breakpoint"]
    assert [(b["id"], b["verified"]) for b in changed] == [(answered["breakpoints"][1]["id"], True)], "the library that throws has come; nothing can panic"
    assert "no loaded module" not in changed[0].get("message", "")
    information = c.ask("exceptionInfo", threadId=1)
    assert information["exceptionId"] == "TollError" and information["breakMode"] == "always"
    assert "no toll was paid" in information["details"]["message"], information
    user = [f for f in c.frames() if f.get("presentationHint") != "subtle"]
    assert [f["name"] for f in user[:2]] == ["pass", "main"], user
    assert c.move("continue")["event"] == "terminated"
    c.end()


def test_caught_exceptions_and_signals():
    program, source = compiled("signals.cpp", """
#include <csignal>
static volatile int seen;
static void note(int number) { seen = number; }
int main() {
    std::signal(SIGUSR1, note);
    std::signal(SIGUSR2, note);
    raise(SIGUSR2);
    raise(SIGUSR1);
    try { throw 7; } catch (int level) { seen = level; }
    return seen;
}
""", "-O0", compiler="g++")
    c = client()
    c.begin(program=str(program))
    told = c.ask("setExceptionBreakpoints", filters=[], filterOptions=[{"filterId": "catch"}, {"filterId": "signal", "condition": "SIGUSR1, SIGALRM"}])
    assert [b["verified"] for b in told["breakpoints"]] == [False, True], "the library that catches is still to come"
    assert c.go()["body"]["reason"] == "exception"
    assert "SIGUSR1" in c.ask("exceptionInfo", threadId=1)["description"]
    assert c.value("seen") == str(int(signal.SIGUSR2)), "the other one passed"
    assert c.move("continue")["body"]["reason"] == "exception"
    assert "caught" in c.ask("exceptionInfo", threadId=1)["description"]
    assert c.move("continue")["event"] == "terminated"
    c.end()


def test_a_panic():
    if not (demo / "towpath").exists():
        print("**** rustc is not here: the panic is SKIPPED ****")
        return
    c = client()
    c.begin(program=str(demo / "towpath"), args=["900"])
    c.ask("setExceptionBreakpoints", filters=["panic"])
    assert c.go()["body"]["reason"] == "exception"
    information = c.ask("exceptionInfo", threadId=1)
    assert information["exceptionId"] == "panic", information
    alone = subprocess.run([demo / "towpath", "900"], capture_output=True, text=True).stderr
    said = re.search(r"panicked at [^\n]*\n([^\n]*)", alone).group(1)
    assert said in information["details"]["message"], (said, information)
    c.end()


def test_long_work_is_told_and_given_up():
    large = Path("/usr/bin/python3.11d")
    if not large.exists():
        print("**** python3-dbg is not here: the progress is SKIPPED ****")
        return
    for gives_up in (False, True):
        c = client(environment={"XDG_CACHE_HOME": str(work / f"no-cache-{gives_up}")})
        c.begin(program=str(large), args=["-c", "pass"])
        number = c.send("setFunctionBreakpoints", breakpoints=[{"name": "*NoSuch*Function*"}])
        while number not in c.answered and not c.has_come("progressStart"):
            c.receive()
        if number in c.answered:
            print("**** its names were read in no time: the progress is SKIPPED ****")
        else:
            begun = c.wait("progressStart")["body"]
            assert "python3.11d" in begun["title"] and begun["cancellable"]
            if gives_up:
                c.send("cancel", progressId=begun["progressId"])
            ended = c.wait("progressEnd")["body"]
            assert ended["progressId"] == begun["progressId"] and (ended.get("message") == "given up") == gives_up, ended
        c.answer_to(number)
        c.end()


def test_a_crash_is_told_with_its_cause():
    program, source = compiled("sunk.c", """
#include <stddef.h>
struct barge { int draught_cm; struct barge *next; };
static int deepest(const struct barge *first) {
    return first->next->draught_cm;
}
int main(void) {
    struct barge only = {120, NULL};
    return deepest(&only);
}
""", "-O0")
    c = client()
    c.begin(program=str(program))
    stop = c.go()["body"]
    assert stop["reason"] == "exception" and "SIGSEGV" in stop["description"]
    information = c.ask("exceptionInfo", threadId=1)
    assert information["exceptionId"] == "SIGSEGV" and information["breakMode"] == "unhandled"
    assert "first->next" in information["details"]["message"] and "null" in information["details"]["message"]
    assert "deepest" in information["details"]["stackTrace"]
    c.ask("continue", threadId=1)
    c.wait("terminated")
    assert [e["body"]["exitCode"] for e in c.seen if e["type"] == "event" and e["event"] == "exited"] == [128 + signal.SIGSEGV]
    c.end()


def test_lines_that_can_hold_a_breakpoint():
    c = flow()
    first, last = line_of("lockflow.c", "static int wait_minutes"), line_of("lockflow.c", "return minutes")
    told = [b["line"] for b in c.ask("breakpointLocations", source={"path": str(root / "demo/lockflow.c")}, line=first,
                                     endLine=last)["breakpoints"]]
    table = subprocess.run(["objdump", "--dwarf=decodedline", demo / "lockflow"], capture_output=True, text=True).stdout
    rows = re.findall(r"^lockflow\.c\s+(\d+)\s+0x[0-9a-f]+(?:\s+\d+)?\s+x", table, re.M)
    truth = sorted({int(row) for row in rows if first <= int(row) <= last})
    assert told == truth, (told, truth)
    c.end()


def test_a_watched_variable_is_not_taken_for_another_functions():
    program, source = compiled("twice.c", """
static int rise(int by) {
    volatile int level = by;
    level += 1;
    return level;
}
static int fall(int by) {
    volatile int level = by;
    level -= 1;
    return level;
}
int main(void) {
    return rise(3) + fall(3);
}
""", "-O0")
    lines = source.read_text().splitlines()
    c = client()
    c.begin(program=str(program))
    both = [{"line": lines.index(text) + 1} for text in ("    level += 1;", "    level -= 1;")]
    c.ask("setBreakpoints", source={"path": str(source)}, breakpoints=both)
    c.go()
    before = c.ask("evaluate", expression="level")["memoryReference"]
    identity = c.ask("dataBreakpointInfo", name="level", variablesReference=c.scope("Locals"))["dataId"]
    c.move("continue")
    assert c.frames(levels=1)[0]["name"] == "fall"
    assert c.ask("evaluate", expression="level")["memoryReference"] == before, "its frame lies where the other one's lay"
    told = c.ask("setDataBreakpoints", breakpoints=[{"dataId": identity, "accessType": "write"}])["breakpoints"][0]
    assert not told["verified"] and "left" in told["message"], told
    c.end()


def test_breakpoints_of_the_console_are_the_editors_too():
    c = flow(stopOnEntry=True)
    c.go()
    line = line_of("lockflow.c", "totals.barges++")
    c.ask("evaluate", expression=f"pause at {line} when barge->draught_cm > 140", context="repl")
    told = c.wait("breakpoint")["body"]
    assert told["reason"] == "new" and told["breakpoint"]["line"] == line and told["breakpoint"]["verified"], told
    assert told["breakpoint"]["source"]["path"] == str(root / "demo/lockflow.c")
    identity = told["breakpoint"]["id"]
    # The editor sends the source's breakpoints whole, with that one; it is the same, and stays.
    both = at_lines(c, "lockflow.c", {"line": line, "condition": "barge->draught_cm > 140"}, line_of("lockflow.c", "print_day(takings)"))
    assert both[0]["id"] == identity
    stop = c.move("continue")["body"]
    assert stop["hitBreakpointIds"] == [identity] and int(c.value("barge->draught_cm")) > 140, stop
    # One that is dropped in the console is gone in the editor, and does not come back.
    c.ask("evaluate", expression="drop 1", context="repl")
    gone = c.wait("breakpoint")["body"]
    assert gone["reason"] == "removed" and gone["breakpoint"]["id"] == identity, gone
    stop = c.move("continue")["body"]
    assert stop["hitBreakpointIds"] == [both[1]["id"]], stop
    c.ask("evaluate", expression="pause at take_through", context="repl")
    assert c.wait("breakpoint")["body"]["breakpoint"]["line"] == line_of("lockflow.c", "int lock = 0")
    at_lines(c, "lockflow.c")    # none is left of that source
    assert "no breakpoint" in c.value("breakpoints", context="repl") or "none" in c.value("breakpoints", context="repl")
    c.end()


def test_reads_are_told_from_writes():
    program, source = compiled("level.c", """
volatile int level = 5, other;
int main(void) {
    level = 5;          /* writes what was there */
    other = level;      /* reads */
    level += 0;         /* reads, and writes what was there */
    level = 6;          /* changes it */
    other = 7;
    return level - 6;   /* reads */
}
""", "-O1")
    lines = source.read_text().splitlines()
    line = {word: next(n for n, l in enumerate(lines, 1) if l.strip().startswith(word)) for word in ("level = 5", "other = level", "level += 0", "level = 6", "return")}
    truth = {"read": ["other = level", "level += 0", "return"], "write": ["level = 6"],
             "readWrite": ["level = 5", "other = level", "level += 0", "level += 0", "level = 6", "return"]}
    for access, wanted in truth.items():
        c = client()
        c.begin(program=str(program), stopOnEntry=True)
        c.go()
        identity = c.ask("dataBreakpointInfo", name="level")["dataId"]
        assert c.ask("setDataBreakpoints", breakpoints=[{"dataId": identity, "accessType": access}])["breakpoints"][0]["verified"]
        met = []
        while (stop := c.move("continue"))["event"] == "stopped":
            told = output_of(c, "console").strip().splitlines()[-1]
            met.append(int(re.search(r"level\.c:(\d+)", told).group(1)))
        assert met == [line[w] for w in wanted], (access, met, [line[w] for w in wanted])
        said = [re.search(r"\(([a-z-]+)\)", l) for l in output_of(c, "console").splitlines() if "level" in l]
        if access == "readWrite":
            assert [s and s.group(1) for s in said] == ["written-again", "read", "read", "written-again", None, "read"], said
        c.end()


def test_a_sanitizer_s_report_is_a_stop():
    program, source = compiled("behind.c", """
#include <stdlib.h>
int main(void) {
    int* levels = malloc(4 * sizeof *levels);
    int sum = 0;
    for (int i = 0; i <= 4; ++i) sum += levels[i] = i;
    free(levels);
    return sum;
}
""", "-O0", "-fsanitize=address")
    c = client()
    c.begin(program=str(program))
    stop = c.go()["body"]
    assert stop["reason"] == "exception" and "sanitizer" in stop["description"], stop
    frames = c.frames()
    top = next(f for f in frames if f["name"].startswith("main"))
    assert top["line"] == 6, frames
    information = c.ask("exceptionInfo", threadId=1)
    assert information["exceptionId"] == "sanitizer", information
    assert c.value("i", frameId=top["id"]) == "4"
    c.end()
