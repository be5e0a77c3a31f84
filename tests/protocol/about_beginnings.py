"""Processes, cores, children, terminals, and each argument of a launch."""
from common import *


def test_a_process_is_attached_to_and_let_go():
    program, source = compiled("long.c", """
#include <unistd.h>
volatile int turns;
int main(void) { for (;;) { if (!turns++) write(1, "on\\n", 3); usleep(1000); } }
""", "-O0", "-Wno-unused-result")
    running = subprocess.Popen([program], stdout=subprocess.PIPE, text=True)
    try:
        assert running.stdout.readline() == "on\n"
        c = client()
        c.begin(pid=running.pid, stopOnEntry=True)
        assert c.go()["event"] == "stopped"
        assert int(c.value("turns")) > 0
        c.ask("continue", threadId=1)
        assert c.end() == 0
        assert running.poll() is None, "it was ended with us"
        until(lambda: state_of(running.pid) in "SR")
    finally:
        running.kill()
        running.communicate()


def test_a_core_is_looked_at():
    core = work / "bargeq.core"
    subprocess.run([lantern, "debug", demo / "bargeq", "--stdout", "/dev/null", "--do", "launch", "--do", f"save core as {core}"],
                   capture_output=True)
    c = client()
    c.begin(core=str(core), program=str(demo / "bargeq"))
    stop = c.go()["body"]
    assert stop["reason"] == "exception" and "SIGSEGV" in stop["description"]
    assert any(f["name"].startswith("BargeQueue") or "main" in f["name"] for f in c.frames())
    assert "core" in c.refused("continue", threadId=1)
    assert c.ask("exceptionInfo", threadId=1)["exceptionId"] == "SIGSEGV"
    c.end()


def test_sources_that_were_moved():
    away = work / "away"
    home = work / "home"
    away.mkdir(), home.mkdir()
    (away / "moved.c").write_text("int main(void) {\n    int level = 3;\n    return level - 3;\n}\n")
    subprocess.run(["gcc", "-g", "-O0", "-o", work / "moved", away / "moved.c"], check=True)
    (away / "moved.c").rename(home / "moved.c")
    c = client()
    c.begin(program=str(work / "moved"), sources={str(away): str(home)})
    told = c.ask("setBreakpoints", source={"path": str(home / "moved.c")}, breakpoints=[{"line": 3}])["breakpoints"][0]
    assert told["verified"] and told["source"]["path"] == str(home / "moved.c"), told
    c.go()
    assert c.frames(levels=1)[0]["source"]["path"] == str(home / "moved.c")
    c.end()


def test_a_launch_that_cannot_be_is_refused_and_another_works():
    c = client()
    c.ask("initialize", adapterID="x")
    c.wait("initialized")
    assert "no_such" in c.refused("launch", program=str(work / "no_such"))
    assert "missing" in c.refused("launch")
    assert "no text" in c.refused("launch", program=17)
    assert "nothing is debugged" in c.refused("threads")
    c.ask("launch", program=str(demo / "lockflow"), stdin=str(sheet))
    assert "already" in c.refused("launch", program=str(demo / "lockflow"))
    assert c.go()["event"] == "terminated"
    c.end()


def test_environment_arguments_and_folder():
    program, source = compiled("told.c", """
#include <stdio.h>
#include <stdlib.h>
#include <unistd.h>
int main(int count, char **words) {
    char folder[4096];
    printf("%d %s %s %s\\n", count, words[1], getenv("LEVEL"), getcwd(folder, sizeof folder));
    printf("%s\\n", getenv("HOME") ? "home" : "no home");
    return 3;
}
""")
    c = client()
    c.begin(program=str(program), args=["a b"], env={"LEVEL": "x=ü", "HOME": None}, cwd=str(work))
    c.go()
    assert output_of(c, "stdout") == f"2 a b x=ü {work}\nno home\n", output_of(c, "stdout")
    c.end()


def test_debug_files_that_lie_elsewhere():
    program, source = compiled("apart.c", "int main(void) {\n    int level = 3;\n    return level - 3;\n}\n", "-O0")
    elsewhere = work / "debug-files"
    elsewhere.mkdir()
    subprocess.run(["objcopy", "--only-keep-debug", program, elsewhere / "apart.debug"], check=True)
    subprocess.run(["objcopy", "--strip-all", f"--add-gnu-debuglink={elsewhere / 'apart.debug'}", program], check=True)
    for symbols in ([], [str(elsewhere)]):
        c = client()
        c.begin(program=str(program), symbols=symbols)
        told = c.ask("setBreakpoints", source={"path": str(source)}, breakpoints=[{"line": 3}])["breakpoints"][0]
        assert told["verified"] == bool(symbols), told
        assert c.go()["event"] == ("stopped" if symbols else "terminated")
        if symbols:
            assert c.value("level") == "3"
            mine = [m for m in c.ask("modules")["modules"] if m["path"] == str(program)][0]
            assert mine["symbolFilePath"] == str(elsewhere / "apart.debug")
        c.end()
    assert "no folder" in client_with_launch_refused(symbols=[str(work / "none")])


def client_with_launch_refused(**launch):
    c = client()
    c.ask("initialize", adapterID="x")
    message = c.refused("launch", program=str(demo / "lockflow"), **launch)
    c.end()
    return message


def test_arguments_that_are_none():
    for launch in ({"sources": {"/a": 7}}, {"env": {"A": 7}}, {"env": {"": "x"}}, {"args": "day"}, {"args": [7]}, {"console": "loud"}, {"children": "many"}, {"stopOnEntry": 1}):
        client_with_launch_refused(**launch)


def test_calls_are_made_where_they_are_allowed():
    c = flow(allowCalls=True)
    at_lines(c, "lockflow.c", line_of("lockflow.c", "int wait = wait_minutes"))
    c.go()
    assert c.value("wait_minutes(3)", context="watch") == str(12 * (12 - 3))
    assert "not called" in c.refused("evaluate", expression="wait_minutes(3)", context="hover")
    c.end()


def test_output_to_a_file_and_addresses_of_chance():
    printed, places = work / "printed.txt", set()
    for _ in range(2):
        c = flow(stdout=str(printed), randomAddresses=True)
        at_lines(c, "lockflow.c", line_of("lockflow.c", "print_day(takings)"))
        c.go()
        places.add(c.ask("evaluate", expression="&flight")["memoryReference"])
        at_lines(c, "lockflow.c")
        c.move("continue")
        assert output_of(c, "stdout") == ""
        c.end()
    assert len(places) == 2, places
    assert printed.read_text() == subprocess.run([demo / "lockflow"], stdin=open(sheet), capture_output=True, text=True).stdout


def test_the_heap_is_watched():
    program, source = compiled("past.c", """
#include <stdlib.h>
#include <string.h>
int main(void) {
    char *name = malloc(8);
    strcpy(name, "Kingfish");
    free(name);
    return name[0];
}
""", "-O0", "-w")
    c = client()
    c.begin(program=str(program), heap=True)
    stop = c.go()
    assert stop["event"] == "stopped" and stop["body"]["reason"] == "exception", stop
    assert "main" in [f["name"] for f in c.frames()]
    c.end()


FORKS = """
#include <stdio.h>
#include <sys/wait.h>
#include <unistd.h>
static int below(int n) {
    int level = n * 2;
    return level + 1;
}
int main(void) {
    int total = 0;
    for (int i = 0; i < 2; i++) {
        pid_t child = fork();
        if (child == 0) _exit(below(i + 3));
        int status = 0;
        waitpid(child, &status, 0);
        total += WEXITSTATUS(status);
    }
    printf("%d\\n", total);
    return 0;
}
"""


def launched_with_its_children(program):
    c = client()
    c.ask("initialize", adapterID="x", supportsStartDebuggingRequest=True)
    c.ask("launch", program=str(program), children="debug")
    return c


def offered_child(c):
    while not c.requests:
        c.receive()
    return c.requests.pop()


def take_child(c, asked):
    c.send_raw(json.dumps({"seq": 900, "type": "response", "request_seq": asked["seq"], "success": True, "command": "startDebugging"}).encode())


def test_children_become_sessions_of_their_own():
    program, source = compiled("forks.c", FORKS, "-O0")
    c = launched_with_its_children(program)
    line = source.read_text().splitlines().index("    return level + 1;") + 1
    c.ask("setBreakpoints", source={"path": str(source)}, breakpoints=[{"line": line}])
    c.ask("configurationDone")
    for level in (6, 8):
        asked = offered_child(c)
        assert asked["command"] == "startDebugging" and asked["arguments"]["request"] == "attach", asked
        child = client()
        child.ask("initialize", adapterID="x")
        child.ask("attach", **asked["arguments"]["configuration"])
        child.ask("setBreakpoints", source={"path": str(source)}, breakpoints=[{"line": line}])
        take_child(c, asked)
        assert child.go()["event"] == "stopped"
        assert child.frames(levels=1)[0]["name"] == "below" and child.value("level") == str(level)
        child.ask("continue", threadId=1)
        child.wait("terminated")
        exited = [e for e in child.seen if e.get("event") == "exited"]
        assert exited[0]["body"]["exitCode"] == level + 1
        child.end()
    c.wait("terminated")
    assert output_of(c, "stdout") == "16\n" and not c.has_come("stopped"), output_of(c, "stdout")
    c.end()


SPAWNS = """
#include <spawn.h>
#include <stdio.h>
#include <string.h>
#include <sys/wait.h>
extern char **environ;
int below(int level) {
    return level + 1;
}
int main(int count, char **words) {
    if (count > 1) return below(6);
    char *arguments[] = {words[0], "child", 0};
    pid_t child;
    int status = 0;
    posix_spawn(&child, "/proc/self/exe", 0, 0, arguments, environ);
    waitpid(child, &status, 0);
    printf("%d\\n", WEXITSTATUS(status));
    return 0;
}
"""


def test_a_spawned_child_becomes_a_session_of_its_own():
    program, source = compiled("spawns.c", SPAWNS, "-O0")
    c = launched_with_its_children(program)
    c.ask("configurationDone")
    asked = offered_child(c)
    child = client()
    child.ask("initialize", adapterID="x")
    child.ask("attach", **asked["arguments"]["configuration"])
    child.ask("setFunctionBreakpoints", breakpoints=[{"name": "below"}])
    take_child(c, asked)
    assert child.go()["event"] == "stopped"
    assert child.frames(levels=1)[0]["name"] == "below" and child.value("level") == "6"
    child.ask("continue", threadId=1)
    child.wait("terminated")
    child.end()
    c.wait("terminated")
    assert output_of(c, "stdout") == "7\n" and not c.has_come("stopped")
    c.end()


def test_a_child_that_nobody_wants_runs_on():
    program, source = compiled("forks.c", FORKS, "-O0")
    c = launched_with_its_children(program)
    c.ask("configurationDone")
    for _ in range(2):
        asked = offered_child(c)
        c.send_raw(json.dumps({"seq": 900, "type": "response", "request_seq": asked["seq"], "success": False, "command": "startDebugging", "message": "no"}).encode())
    c.wait("terminated")
    assert output_of(c, "stdout") == "16\n"
    c.end()


def test_children_are_left_alone_else():
    program, source = compiled("forks.c", FORKS, "-O0")
    for more in ({}, {"children": "debug"}):
        c = client()
        c.begin(program=str(program), **more)
        c.ask("setFunctionBreakpoints", breakpoints=[{"name": "below"}])
        c.ask("configurationDone")
        c.wait("terminated")
        assert output_of(c, "stdout") == "16\n"
        c.end()


def test_a_terminal_of_the_clients_own():
    import pty
    program, source = compiled("asks.c", """
#include <stdio.h>
#include <unistd.h>
int main(void) {
    char name[32];
    printf("%d name?\\n", isatty(0) && isatty(1));
    if (fgets(name, sizeof name, stdin)) printf("welcome %s", name);
    return 0;
}
""", "-O0")
    c = client()
    c.ask("initialize", adapterID="x", supportsRunInTerminalRequest=True)
    c.wait("initialized")
    number = c.send("launch", program=str(program), console="integratedTerminal", cwd=str(work))
    asked = offered_child(c)
    assert asked["command"] == "runInTerminal" and asked["arguments"]["cwd"] == str(work)
    holder, terminal = pty.fork()
    if holder == 0:
        os.execv(asked["arguments"]["args"][0], asked["arguments"]["args"])
    c.send_raw(json.dumps({"seq": 900, "type": "response", "request_seq": asked["seq"], "success": True, "command": "runInTerminal", "body": {}}).encode())
    assert c.answer_to(number)["success"]
    c.ask("configurationDone")
    heard = b""
    while b"name?" not in heard:
        heard += os.read(terminal, 1000)
    os.write(terminal, b"Wren\n")
    c.wait("terminated")
    while b"welcome" not in heard:
        heard += os.read(terminal, 1000)
    assert b"1 name?" in heard and b"welcome Wren" in heard, heard
    assert output_of(c, "stdout") == ""
    c.end()
    assert os.waitpid(holder, 0)[1] == 0, "the one that held the terminal is gone with us"
    os.close(terminal)


def test_a_terminal_that_is_refused():
    c = client()
    c.ask("initialize", adapterID="x", supportsRunInTerminalRequest=True)
    number = c.send("launch", program=str(demo / "lockflow"), console="externalTerminal")
    while not c.requests:
        c.receive()
    c.send_raw(json.dumps({"seq": 900, "type": "response", "request_seq": c.requests[0]["seq"], "success": False, "command": "runInTerminal", "message": "no"}).encode())
    assert "no terminal" in c.answer_to(number)["message"]
    c.end()


def test_a_program_is_only_run():
    c = flow(noDebug=True)
    told = at_lines(c, "lockflow.c", line_of("lockflow.c", "int minutes = 0"))
    assert not told[0]["verified"]
    assert c.go()["event"] == "terminated"
    c.end()
