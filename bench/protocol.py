#!/usr/bin/env python3
"""Times what an editor waits for, each beside the same asked at the prompt (JSON through pipes, one command after the
other).  Usage: protocol.py BUILD_FOLDER"""
import json, os, statistics, subprocess, sys, time
from pathlib import Path

root = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(root / "tests/protocol"))
from client import Client, own_folder

build = Path(sys.argv[1]).resolve()
lantern, demo = build / "elm-lantern", build / "demo"
sheet = root / "demo/day-sheet.txt"
ROUNDS = 15


class Prompt:
    def __init__(self, program, *options):
        self.process = subprocess.Popen([lantern, "debug", program, "--format", "json", "--stdout", "/dev/null", *options],
                                        stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)

    def ask(self, *commands):
        self.process.stdin.write("\n".join(commands) + "\n")
        self.process.stdin.flush()
        answers = 0
        while answers < len(commands):
            answers += json.loads(self.process.stdout.readline())["kind"] == "answer"

    def end(self):
        self.process.stdin.close()
        self.process.stdout.read()
        self.process.wait()


def timed(work, rounds=ROUNDS):
    taken = []
    for _ in range(rounds):
        begun = time.perf_counter()
        work()
        taken.append(1000 * (time.perf_counter() - begun))
    taken.sort()
    return statistics.median(taken), taken[-2] if len(taken) > 4 else taken[-1]


def tell(what, goal, ours, theirs=None):
    beside = f"   prompt {theirs[0]:7.1f}" if theirs else ""
    print(f"{what:62} median {ours[0]:7.1f} ms  next to worst {ours[1]:7.1f}{beside}   goal {goal}")


def launch(program, function, **more):
    c = Client(lantern)
    c.ask("initialize", adapterID="bench", supportsVariablePaging=True)
    c.ask("launch", program=str(program), stdin=str(sheet), stdout="/dev/null", **more)
    c.ask("setFunctionBreakpoints", breakpoints=[{"name": function}])
    c.ask("configurationDone")
    c.wait("stopped", seconds=60)
    return c


def step(c):
    c.ask("next", threadId=1)
    c.wait("stopped", seconds=60)
    frame = c.ask("stackTrace", threadId=1, startFrame=0, levels=20)["stackFrames"][0]
    for scope in c.ask("scopes", frameId=frame["id"])["scopes"]:
        if not scope["expensive"]:
            c.ask("variables", variablesReference=scope["variablesReference"])
    return frame


def launches(program, function, *arguments):
    def ours():
        c = launch(program, function, args=list(arguments))
        ours.clients.append(c)
    ours.clients = []

    def theirs():
        p = Prompt(program, "--stdin", sheet, *(["--", *arguments] if arguments else []))
        p.ask(f"pause at {function}", "launch")
        theirs.prompts.append(p)
    theirs.prompts = []
    times = timed(ours, 7), timed(theirs, 7)
    for c in ours.clients:
        c.gone(30)
    for p in theirs.prompts:
        p.end()
    return times


def steps(program, function, *arguments):
    c = launch(program, function, args=list(arguments))
    p = Prompt(program, "--stdin", sheet, *(["--", *arguments] if arguments else []))
    p.ask(f"pause at {function}", "launch")
    times = timed(lambda: step(c)), timed(lambda: p.ask("over", "stack", "locals"))
    c.gone(30)
    p.end()
    return times


flow = demo / "lockflow"
tell("launch to stopped, lockflow", "40 ms", *launches(flow, "main"))
tell("next, stack, scopes, variables, lockflow", "5 ms", *steps(flow, "main"))
c = launch(flow, "pass_chamber")
frame = c.ask("stackTrace", threadId=1)["stackFrames"][0]["id"]
tell("hover, lockflow", "2 ms", timed(lambda: c.ask("evaluate", expression="chamber->level_cm", context="hover", frameId=frame)))
c.gone()

work = own_folder("bench")
(work / "many.cpp").write_text("""#include <vector>
#include <map>
int main() {
    std::vector<int> levels;
    std::map<int, int> tolls;
    for (int i = 0; i < 10000; i++) { levels.push_back(i); tolls[i] = i; }
    return levels.size() == tolls.size();
}
""")
subprocess.run(["g++", "-g", "-O0", "-o", work / "many", work / "many.cpp"], check=True)
c = Client(lantern)
c.begin(program=str(work / "many"))
c.ask("setBreakpoints", source={"path": str(work / "many.cpp")}, breakpoints=[{"line": 7}])
c.go()
variables = c.locals()
for name in ("levels", "tolls"):
    reference = variables[name]["variablesReference"]
    pages = []
    for first in range(0, 10000, 100):
        begun = time.perf_counter()
        c.ask("variables", variablesReference=reference, filter="indexed", start=first, count=100)
        pages.append(1000 * (time.perf_counter() - begun))
    pages.sort()
    tell(f"a page of 100 of 10,000, {name}", "20 ms", (statistics.median(pages), pages[-1]))
c.gone()

large = Path("/usr/bin/python3.11d")
if large.exists():
    small = work / "one.py"
    small.write_text("print(sum(range(10)))\n")
    tell("launch to stopped, python3.11d (60 MB of symbols)", "-", *launches(large, "_PyEval_EvalFrameDefault", str(small)))
    tell("next, stack, scopes, variables, python3.11d", "15 ms", *steps(large, "PyObject_Vectorcall", str(small)))
    tell("the same in its largest function (18,000 instructions)", "15 ms", *steps(large, "_PyEval_EvalFrameDefault", str(small)))
else:
    print("python3-dbg is not here: the large program was not measured")
