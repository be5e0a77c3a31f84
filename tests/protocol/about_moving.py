"""Steps, jumps, threads, starting again."""
from common import *


def test_a_step_into_one_of_several_calls():
    program, source = compiled("pick.c", """
static int rise(int a) { return a + 1; }
static int fall(int a) { return a - 1; }
int main(void) {
    int level = rise(3) * fall(9);
    return level == 0;
}
""", "-O0")
    c = client()
    c.begin(program=str(program), stopOnEntry=True)
    c.go()
    frame = c.frames(levels=1)[0]
    targets = c.ask("stepInTargets", frameId=frame["id"])["targets"]
    assert [t["label"] for t in targets] == ["rise", "fall"], targets
    c.move("stepIn", targetId=targets[1]["id"])
    assert c.frames(levels=1)[0]["name"] == "fall" and c.locals()["a"]["value"] == "9"
    assert "of an earlier stop" in c.refused("stepIn", threadId=1, targetId=targets[0]["id"])
    c.end()


def test_a_step_into_a_call_that_was_inlined():
    program, source = compiled("picked.c", """
#include <stdio.h>
static inline __attribute__((always_inline)) int rise(int a) {
    printf("up from %d\\n", a);
    return a + 1;
}
static __attribute__((noinline)) int fall(int a) {
    printf("down from %d\\n", a);
    return a - 1;
}
static inline __attribute__((always_inline)) int swing(int a) {
    printf("swing at %d\\n", a);
    return rise(a) * 2;
}
int main(int count, char **words) {
    printf("begun %s\\n", words[0]);
    int level = swing(count) + fall(count + 8) + rise(count + 20);
    return level == 0;
}
""", "-O2")
    line = source.read_text().splitlines().index("    int level = swing(count) + fall(count + 8) + rise(count + 20);") + 1
    for number, (name, given) in enumerate([("swing", "1"), ("fall", "9"), ("rise", "21")]):
        c = client()
        c.begin(program=str(program))
        c.ask("setBreakpoints", source={"path": str(source)}, breakpoints=[{"line": line}])
        c.go()
        targets = c.ask("stepInTargets", frameId=c.frames(levels=1)[0]["id"])["targets"]
        assert [t["label"] for t in targets] == ["swing", "fall", "rise"], targets
        c.move("stepIn", targetId=targets[number]["id"])
        assert c.frames(levels=1)[0]["name"].split()[0] == name, c.frames(levels=2)
        assert c.value("a") == given, "from the source"
        c.end()


def test_a_jump_runs_nothing_between():
    c = flow()
    line = line_of("lockflow.c", "chamber->level_cm += change_cm")
    at_lines(c, "lockflow.c", line)
    c.go()
    before = c.value("chamber->passages")
    last = line_of("lockflow.c", "return change_cm")
    targets = c.ask("gotoTargets", source={"path": str(root / "demo/lockflow.c")}, line=last)["targets"]
    assert [t["line"] for t in targets] == [last]
    c.ask("goto", threadId=1, targetId=targets[0]["id"])
    assert c.wait("stopped")["body"]["reason"] == "goto"
    assert c.frames(levels=1)[0]["line"] == last and c.value("chamber->passages") == before
    c.end()


def test_steps_by_instruction():
    c = flow(stopOnEntry=True)
    c.go()
    here = c.frames(levels=1)[0]["instructionPointerReference"]
    rows = c.ask("disassemble", memoryReference=here, instructionCount=3)["instructions"]
    c.move("next", granularity="instruction")
    assert c.frames(levels=1)[0]["instructionPointerReference"] == rows[1]["address"]
    assert "by fathoms" in c.refused("next", threadId=1, granularity="fathoms")
    c.end()


def test_threads_come_and_go_and_each_has_its_stack():
    program, source = compiled("gates.cpp", """
#include <thread>
#include <atomic>
#include <unistd.h>
std::atomic<int> ready{0};
void wait_for(int gate) {
    int level = gate * 10;
    ++ready;
    while (ready < 3) usleep(1000);
    ready += level;
}
int main() {
    std::thread one(wait_for, 1), two(wait_for, 2);
    while (ready < 2) usleep(1000);
    ++ready;
    one.join();
    two.join();
}
""", "-O0", "-pthread", compiler="g++")
    c = client()
    c.begin(program=str(program))
    c.ask("setBreakpoints", source={"path": str(source)}, breakpoints=[{"line": source.read_text().splitlines().index("    ++ready;") + 1}])
    c.go()
    stop = c.move("continue", threadId=1)["body"]
    threads = [t["id"] for t in c.ask("threads")["threads"]]
    assert len(threads) == 3 and stop["threadId"] in threads
    names = {t: [f["name"] for f in c.frames(t)] for t in threads}
    assert "main" in names[1] and sum("wait_for" in n[0] for n in names.values()) >= 1, names
    begun = [e["body"]["threadId"] for e in c.seen if e["type"] == "event" and e["event"] == "thread" and e["body"]["reason"] == "started"]
    assert sorted(begun) == threads
    alone = c.ask("continue", threadId=stop["threadId"], singleThread=True)
    assert alone["allThreadsContinued"] is False
    c.end()


def test_a_program_is_started_again():
    c = flow()
    at_lines(c, "lockflow.c", line_of("lockflow.c", "double takings = 0"))
    c.go()
    first = c.frames(levels=1)[0]
    c.ask("restart")
    assert c.wait("stopped")["body"]["reason"] == "breakpoint"
    again = c.frames(levels=1)[0]
    assert again["line"] == first["line"] and again["id"] != first["id"]
    assert "earlier stop" in c.refused("scopes", frameId=first["id"])
    at_lines(c, "lockflow.c")
    assert c.move("continue")["event"] == "terminated"
    c.ask("restart")
    assert c.wait("terminated")
    c.end()


def test_a_program_that_runs_is_started_again_and_ends_each_time():
    c = flow(stopOnEntry=True)
    c.go()
    c.ask("evaluate", expression="continue", context="repl")
    c.wait("terminated")
    c.ask("evaluate", expression="launch", context="repl")    # no stop in between
    c.wait("terminated")
    assert len([e for e in c.seen if e.get("event") == "exited"]) == 2
    c.end()
    program, source = compiled("endless.c", "#include <unistd.h>\nint main(void) { for (;;) usleep(1000); }\n", "-O0")
    c = client()
    c.begin(program=str(program))
    c.ask("configurationDone")
    c.ask("restart", arguments={"stopOnEntry": True})
    assert c.wait("stopped")["body"]["reason"] == "entry"
    c.ask("evaluate", expression="quit", context="repl")
    c.wait("terminated")
    assert "nothing is debugged" in c.refused("threads")
    c.end()


def test_a_step_by_instruction_over_a_system_call_that_waits_for_another_thread():
    program, source = compiled("waits.cpp", """
#include <thread>
#include <unistd.h>
#include <sys/syscall.h>
static int pipe_ends[2];
static void later() {
    usleep(50000);
    char byte = 7;
    if (write(pipe_ends[1], &byte, 1) != 1) _exit(3);
}
int main() {
    if (pipe(pipe_ends)) return 2;
    std::thread other(later);
    char byte = 0;
    if (read(pipe_ends[0], &byte, 1) != 1) return 1;
    other.join();
    return byte - 7;
}
""", "-O0", "-pthread", compiler="g++")
    c = client()
    c.begin(program=str(program))
    c.ask("setFunctionBreakpoints", breakpoints=[{"name": "read"}])
    c.go()
    passed = False
    for _ in range(40):
        here = c.frames(levels=1)[0]["instructionPointerReference"]
        row = c.ask("disassemble", memoryReference=here, instructionCount=2)["instructions"]
        is_call = row[0]["instruction"].startswith("syscall")
        assert c.move("next", granularity="instruction")["event"] == "stopped"
        if is_call:
            assert c.frames(levels=1)[0]["instructionPointerReference"] == row[1]["address"]
            assert int(c.value("%rax").split()[0], 0) == 1, "one byte was read: the other thread went on meanwhile"
            passed = True
            break
    assert passed
    c.ask("setFunctionBreakpoints", breakpoints=[])
    c.move("continue")
    assert [e["body"]["exitCode"] for e in c.seen if e.get("event") == "exited"] == [0]
    c.end()


def test_a_thread_that_was_paused_inside_a_system_call_is_stepped():
    program, source = compiled("paused.cpp", """
#include <thread>
#include <unistd.h>
static int pipe_ends[2];
static volatile bool is_waiting;
static void later() {
    for (;;) {
        usleep(20000);
        char byte = 7;
        if (is_waiting && write(pipe_ends[1], &byte, 1) != 1) _exit(3);
    }
}
int main() {
    if (pipe(pipe_ends)) return 2;
    std::thread other(later);
    for (int sum = 0;;) {
        char byte = 0;
        if (read(pipe_ends[0], &byte, 1) != 1) return 1;
        sum += byte;
        if (sum == 14) _exit(sum);
    }
}
""", "-O0", "-pthread", compiler="g++")
    c = client()
    c.begin(program=str(program))
    c.ask("configurationDone")
    process = process_of(c)
    until(lambda: Path(f"/proc/{process}/syscall").read_text().startswith("0 "))    # in read
    c.ask("pause", threadId=1)
    c.wait("stopped")
    inside = c.frames(levels=1)[0]["instructionPointerReference"]
    c.ask("setExpression", expression="is_waiting", value="1")
    assert c.move("next", granularity="instruction")["event"] == "stopped"
    assert c.frames(levels=1)[0]["instructionPointerReference"] == inside, "behind the call, which has come back"
    assert int(c.value("%rax").split()[0], 0) == 1
    assert c.move("next", granularity="instruction")["event"] == "stopped"
    assert c.frames(levels=1)[0]["instructionPointerReference"] != inside
    c.move("continue")
    assert [e["body"]["exitCode"] for e in c.seen if e.get("event") == "exited"] == [14], "nothing of what it read was lost"
    c.end()


def test_a_step_inside_of_a_system_call_that_never_ends_can_be_interrupted():
    program, source = compiled("waits_for_ever.c", """
#include <unistd.h>
int main(void) {
    int ends[2];
    char byte = 0;
    if (pipe(ends)) return 2;
    return read(ends[0], &byte, 1) == 1;
}
""", "-O0")
    c = client()
    c.begin(program=str(program))
    c.ask("configurationDone")
    process = process_of(c)
    until(lambda: state_of(process) == "S")
    c.ask("pause", threadId=1)
    c.wait("stopped")
    os.kill(process, signal.SIGURG)  # nobody handles it: the call goes on behind it
    c.ask("next", threadId=1, granularity="instruction")
    until(lambda: state_of(process) == "S")
    c.ask("pause", threadId=1)
    assert c.wait("stopped")["body"]["reason"] == "pause"
    c.end()
