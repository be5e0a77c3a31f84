#!/usr/bin/env python3
"""Random conversations with `elm-lantern serve`: valid and invalid requests, in any order, on random programs. None may
hang, none may crash, and no process may be left.
Usage: soak.py BUILD_FOLDER [SESSIONS [REQUESTS [SEED]]]"""
import json, os, random, subprocess, sys, time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent))
from client import Client, own_folder

build = Path(sys.argv[1]).resolve()
sessions = int(sys.argv[2]) if len(sys.argv) > 2 else 40
requests = int(sys.argv[3]) if len(sys.argv) > 3 else 100
seed = int(sys.argv[4]) if len(sys.argv) > 4 else 1
root = Path(__file__).resolve().parents[2]
lantern = build / "elm-lantern"
ANSWER_WITHIN = 30      # seconds; a call of the program is given up by us before


def programs():
    found = [p for p in (build / "demo").iterdir() if p.is_file() and os.access(p, os.X_OK)]
    for p in sorted((build / "tests/programs").iterdir()):
        if p.is_file() and os.access(p, os.X_OK) and p.suffix == "" and p.stat().st_size < 3_000_000:
            found.append(p)
    return sorted(found)


class Session:
    def __init__(self, number):
        self.chance = random.Random(seed * 1_000_003 + number)
        self.program = self.chance.choice(all_programs)
        self.seen_references, self.seen_frames, self.addresses = [], [], []
        self.trace = []

    def junk(self):
        c = self.chance
        return c.choice([None, -1, 0, 1, 3, 1 << 40, -(1 << 62), 2.5, "", "x", "main", "0x10", [], {}, [1], {"a": None}, True, "é\u0000\ud7ff",
                         "*(int*)0", "a" * 5000, "%rax", "@", "((((", "count", "i", {"path": 7}])

    def reference(self):
        return self.chance.choice(self.seen_references) if self.seen_references and self.chance.random() < 0.9 else self.junk()

    def frame(self):
        return self.chance.choice(self.seen_frames) if self.seen_frames and self.chance.random() < 0.9 else self.junk()

    def address(self):
        return self.chance.choice(self.addresses) if self.addresses and self.chance.random() < 0.8 else self.chance.choice(["0x0", "0x400000", "-1", "zz", "0xffffffffffffffff"])

    def source(self):
        return {"path": str(self.chance.choice(sources))}

    def valid(self):
        c = self.chance
        line = c.randrange(1, 140)
        expression = c.choice(["1 + 1", "main", "count", "i", "argc", "*words", "flight", "barges", "%rip", "&main", "n", "this", "self",
                               "level", "x + ", "missing", "sizeof(int)", "&totals", "tolls", "name"])
        thread = c.choice([1, 1, 1, 1, 2, 3])
        step = {"threadId": thread, "granularity": c.choice(["statement", "line", "instruction"]), "singleThread": c.random() < 0.1}
        limits = c.choice([{}, {}, {"condition": expression}, {"hitCondition": c.choice(["3", "% 2", "> 1", "x"])}, {"logMessage": "at {" + expression + "}"}])
        return c.choice([
            ("threads", {}), ("stackTrace", {"threadId": thread, "startFrame": c.randrange(3), "levels": c.randrange(30)}),
            ("stackTrace", {"threadId": 1}), ("stackTrace", {"threadId": 1, "levels": 1}),
            ("scopes", {"frameId": self.frame()}), ("scopes", {"frameId": self.frame()}),
            ("variables", {"variablesReference": self.reference()}), ("variables", {"variablesReference": self.reference()}),
            ("variables", {"variablesReference": self.reference(), "start": c.randrange(20), "count": c.randrange(50), "format": {"hex": True}}),
            ("setVariable", {"variablesReference": self.reference(), "name": c.choice(["i", "count", "[0]", "level", "rax"]), "value": c.choice(["1", "x", "0x7f"])}),
            ("evaluate", {"expression": expression, "frameId": self.frame(), "context": c.choice(["hover", "watch", "clipboard", "variables"])}),
            ("evaluate", {"expression": c.choice(["locals", "stack", "= " + expression, "over", "into 3", "breakpoints", "registers", "help", "regions",
                                                  "frame 1", "disassembly", "words", "drop all", "threads", "explain count", "diagnose", "memory %rsp"]), "context": "repl"}),
            ("setExpression", {"expression": expression, "value": "3"}),
            ("completions", {"text": c.choice(["ba", "= co", "pause at ma", "x.", "é"]), "column": c.randrange(12)}),
            ("setBreakpoints", {"source": self.source(), "breakpoints": [{"line": line, **limits}]}),
            ("setBreakpoints", {"source": self.source(), "breakpoints": [{"line": n} for n in range(1, c.randrange(2, 30), 3)]}),
            ("setFunctionBreakpoints", {"breakpoints": [{"name": c.choice(["main", "nothing", "take_through", "*", "over", "::"])}]}),
            ("setInstructionBreakpoints", {"breakpoints": [{"instructionReference": self.address(), "offset": c.randrange(8)}]}),
            ("setExceptionBreakpoints", {"filters": c.sample(["throw", "catch", "panic", "signal", "none"], 2)}),
            ("dataBreakpointInfo", {"name": expression, "frameId": self.frame()}),
            ("setDataBreakpoints", {"breakpoints": [{"dataId": c.choice(["0/0/0/0/totals", "1/7ffe/0/0/i", "x", "0/0/0/0/count"]), "accessType": "write"}]}),
            ("breakpointLocations", {"source": self.source(), "line": line, "endLine": line + 20}),
            ("continue", {"threadId": thread}), ("next", step), ("next", step), ("next", step), ("stepIn", step), ("stepIn", step), ("stepOut", {"threadId": thread}),
            ("pause", {"threadId": 1}), ("pause", {"threadId": 1}),
            ("stepInTargets", {"frameId": self.frame()}), ("gotoTargets", {"source": self.source(), "line": line}), ("goto", {"threadId": 1, "targetId": 1}),
            ("readMemory", {"memoryReference": self.address(), "offset": c.randrange(-64, 64), "count": c.choice([0, 16, 5000, 1 << 30])}),
            ("writeMemory", {"memoryReference": self.address(), "data": c.choice(["AAAA", "", "x"])}),
            ("disassemble", {"memoryReference": self.address(), "instructionOffset": c.randrange(-40, 10), "instructionCount": c.randrange(60)}),
            ("exceptionInfo", {"threadId": 1}), ("modules", {}), ("loadedSources", {}), ("source", {"source": self.source(), "sourceReference": 0}),
            ("locations", {"locationReference": self.reference()}), ("cancel", {"requestId": c.randrange(60)}),
            ("restart", {}), ("terminate", {}), ("configurationDone", {}), ("initialize", {"adapterID": "again"}),
        ])

    def invalid(self):
        c = self.chance
        command, arguments = self.valid()
        if c.random() < 0.15:
            return c.choice(["fly", "", "launch", "attach"]), {"program": self.junk(), "pid": c.choice([0, -1, 1 << 40])}
        arguments = dict(arguments)
        for name in list(arguments):
            if c.random() < 0.6:
                arguments[name] = self.junk()
            elif c.random() < 0.3:
                del arguments[name]
        return command, arguments

    def learn(self, value):
        if isinstance(value, dict):
            for name, inner in value.items():
                if name in ("variablesReference", "declarationLocationReference") and isinstance(inner, int) and inner:
                    self.seen_references = (self.seen_references + [inner])[-30:]
                elif name in ("memoryReference", "instructionPointerReference"):
                    self.addresses = (self.addresses + [inner])[-20:]
                elif name == "stackFrames":
                    self.seen_frames = [f["id"] for f in inner][-10:] or self.seen_frames
                self.learn(inner)
        elif isinstance(value, list):
            for inner in value[:50]:
                self.learn(inner)

    def run(self):
        client = Client(lantern)
        c = self.chance
        try:
            early = c.random()
            if early < 0.95:
                client.response("initialize", adapterID="soak", supportsInvalidatedEvent=True)
            if early < 0.9:
                client.response("launch", program=str(self.program), stdin="/dev/null", cwd=str(work), stopOnEntry=c.random() < 0.7,
                                args=c.choice([[], ["day"], ["3"]]), heap=c.random() < 0.05)
            if early < 0.85:
                client.response("configurationDone")
            for _ in range(requests):
                if c.random() < 0.03:
                    client.write(c.choice([b"Content-Length: 3\r\n\r\n{}}", b"\r\n\r\n", b"Content-Length: 0\r\n\r\n", b"Content-Length: -4\r\n\r\n"]))
                    continue
                command, arguments = self.invalid() if c.random() < 0.2 else self.valid()
                self.trace.append((command, arguments))
                number = client.send(command, **arguments)
                if c.random() < 0.8:
                    self.learn(client.answer_to(number, ANSWER_WITHIN))
                if c.random() < 0.2:
                    time.sleep(0.002)
            process = next((e["body"].get("systemProcessId") for e in client.seen if e.get("event") == "process"), None)
            if c.random() < 0.5:
                client.response("disconnect")
            status = client.gone(ANSWER_WITHIN)
            assert status == 0, f"it ended with {status}"
            return process
        except Exception as error:
            where = what_it_does(client.process.pid) if client.process else ""
            if client.process:
                client.process.kill()
                client.process.wait()
            return f"{type(error).__name__}: {str(error)[:1500]}\n   program {self.program}\n   {where}\n   last: {json.dumps(self.trace[-4:])[:1500]}"


def what_it_does(process):
    told = []
    for each in [process] + [int(p) for p in subprocess.run(["pgrep", "-P", str(process)], capture_output=True, text=True).stdout.split()]:
        try:
            state = Path(f"/proc/{each}/stat").read_text().rsplit(")", 1)[1].split()[0]
            told.append(f"{each} {state} {Path(f'/proc/{each}/wchan').read_text()} {Path(f'/proc/{each}/syscall').read_text().strip()[:60]}")
        except OSError as error:
            told.append(f"{each} {error}")
    return "; ".join(told)


def left(process):
    try:
        state = Path(f"/proc/{process}/stat").read_text().rsplit(")", 1)[1].split()[0]
        return state not in "ZX"
    except (FileNotFoundError, ProcessLookupError):
        return False


work = own_folder("soak")
all_programs = programs()
sources = sorted(list((root / "demo").glob("*.c*")) + list((root / "tests/programs").glob("*.c*")) + list((root / "tests/programs").glob("*.rs")))
begun = time.monotonic()
failed, processes = [], []
with ThreadPoolExecutor(2) as pool:
    for number, result in enumerate(pool.map(lambda n: Session(n).run(), range(sessions))):
        if isinstance(result, str):
            failed.append((number, result))
            print(f"FAILED  session {number}: {result}", flush=True)
        elif result:
            processes.append(result)
time.sleep(0.3)
remaining = [p for p in processes if left(p)]
print(f"{sessions - len(failed)} of {sessions} sessions of {requests} requests went well in {time.monotonic() - begun:.0f} s; "
      f"{len(remaining)} processes were left")
sys.exit(1 if failed or remaining else 0)
