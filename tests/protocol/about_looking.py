"""Memory, code, modules, stacks, variables, expressions."""
from common import *


def test_memory_is_read_and_written():
    c = flow()
    at_lines(c, "lockflow.c", line_of("lockflow.c", "print_day(takings)"))
    c.go()
    address = c.ask("evaluate", expression="&flight")["memoryReference"]
    symbol = address_of(demo / "lockflow", "flight")
    assert int(address, 16) & 0xfff == symbol & 0xfff
    read = c.ask("readMemory", memoryReference=address, offset=12, count=4)
    assert int.from_bytes(base64.b64decode(read["data"]), "little") == 300
    c.ask("writeMemory", memoryReference=address, offset=12, data=base64.b64encode((123).to_bytes(4, "little")).decode())
    assert c.value("flight[1].depth_cm") == "123"
    assert c.wait("memory")["body"]["count"] == 4
    nowhere = c.ask("readMemory", memoryReference="0x10", count=64)
    assert nowhere["unreadableBytes"] == 64 and "data" not in nowhere
    regions = [line.split()[0].split("-") for line in Path(f"/proc/{process_of(c)}/maps").read_text().splitlines()]
    ends = [(int(a[1], 16), int(b[0], 16)) for a, b in zip(regions, regions[1:]) if 0 < int(b[0], 16) - int(a[1], 16) <= 1 << 20]
    if ends:
        end, next_begin = ends[0]
        across = c.ask("readMemory", memoryReference=hex(end - 8), count=next_begin - end + 64)
        assert len(base64.b64decode(across["data"])) == 8 and across["unreadableBytes"] == next_begin - end, (hex(end), across)
    assert "base 64" in c.refused("writeMemory", memoryReference=address, data="***")
    c.end()


def test_code_before_and_behind_an_instruction():
    c = flow()
    at_lines(c, "lockflow.c", line_of("lockflow.c", "int minutes = 0"))
    c.go()
    here = c.frames(levels=1)[0]["instructionPointerReference"]
    rows = c.ask("disassemble", memoryReference=here, instructionOffset=-5, instructionCount=15, resolveSymbols=True)["instructions"]
    assert len(rows) == 15 and rows[5]["address"] == here
    bias = int(here, 16) & ~0xfff
    dump = subprocess.run(["objdump", "-d", "--no-show-raw-insn", demo / "lockflow"], capture_output=True, text=True).stdout
    truth = [int(a, 16) for a in re.findall(r"^\s+([0-9a-f]+):\t", dump, re.M)]
    base = int(here, 16) - min((t for t in truth if t & 0xfff == int(here, 16) & 0xfff), default=0)
    index = truth.index(int(here, 16) - base)
    assert [int(r["address"], 16) - base for r in rows] == truth[index - 5:index + 10]
    assert "wait_minutes" in rows[5]["symbol"] and rows[5]["line"] == line_of("lockflow.c", "int minutes = 0")
    c.end()


def test_modules_and_sources():
    c = flow(stopOnEntry=True)
    c.go()
    modules = c.ask("modules")["modules"]
    assert any(m["path"] == str(demo / "lockflow") and m["isUserCode"] for m in modules)
    assert any("libc.so.6" in m["name"] and not m["isUserCode"] for m in modules)
    part = c.ask("modules", startModule=1, moduleCount=1)
    assert part["modules"] == modules[1:2] and part["totalModules"] == len(modules)
    sources = c.ask("loadedSources")["sources"]
    assert str(root / "demo/lockflow.c") in [s["path"] for s in sources]
    text = c.ask("source", source={"path": str(root / "demo/lockflow.c")}, sourceReference=0)["content"]
    assert text == (root / "demo/lockflow.c").read_text()
    c.end()


def test_a_deep_stack_is_told_in_pages():
    program, source = compiled("deep.c", """
static int down(int n) {
    return n ? down(n - 1) + 1 : *(volatile int *)0;
}
int main(void) { return down(5000); }
""", "-O0")
    c = client()
    c.begin(program=str(program))
    c.go()
    first = c.ask("stackTrace", threadId=1, startFrame=0, levels=20)
    assert len(first["stackFrames"]) == 20 and first["totalFrames"] > 20
    later = c.ask("stackTrace", threadId=1, startFrame=4990, levels=20)["stackFrames"]
    assert [f["name"] for f in later[:12]] == ["down"] * 11 + ["main"]
    assert c.locals(later[3])["n"]["value"] == "4993"
    c.end()


def test_inlined_calls_are_frames_and_values_that_are_nowhere_say_why():
    program, source = compiled("quick.c", """
#include <stdio.h>
#include <stdlib.h>
static inline __attribute__((always_inline)) int lift(int level, int by) {
    int doubled = by * 2;
    printf("%d\\n", level + doubled);
    return level + doubled;
}
int main(int count, char **words) {
    int unused = count * 3;
    return lift(atoi(words[1]), 4) == 0;
}
""", "-O2")
    c = client()
    c.begin(program=str(program), args=["30"])
    c.ask("setBreakpoints", source={"path": str(source)},
          breakpoints=[{"line": source.read_text().splitlines().index('    printf("%d\\n", level + doubled);') + 1}])
    c.go()
    frames = c.frames()
    assert frames[0]["name"] == "lift [inlined]" and frames[1]["name"] == "main", frames[:3]
    assert c.locals(frames[0])["doubled"]["value"] == "8"
    main = c.locals(frames[1])
    assert main["words"]["value"].startswith("no value") or main["words"]["value"].startswith("0x"), main
    c.end()


def test_registers_by_group():
    c = flow(stopOnEntry=True)
    c.go()
    groups = {g["name"]: g["variablesReference"] for g in c.variables(c.scope("Registers"))}
    general = {r["name"]: r for r in c.variables(groups["general"])}
    here = c.frames(levels=1)[0]["instructionPointerReference"]
    assert general["rip"]["value"].split()[0] == here and general["rip"]["evaluateName"] == "%rip"
    changed = c.ask("setVariable", variablesReference=groups["general"], name="rbx", value="0x77")
    assert int(changed["value"].split()[0], 0) == 0x77 and int(c.value("%rbx").split()[0], 0) == 0x77
    c.end()


def test_statics_of_the_file():
    c = flow(stopOnEntry=True)
    c.go()
    statics = {v["name"]: v for v in c.variables(c.scope("Statics of this file"))}
    assert set(statics) == {"flight", "totals"}, statics
    c.end()


def test_numbers_in_hexadecimal():
    c = flow()
    at_lines(c, "lockflow.c", line_of("lockflow.c", "int minutes = 0"))
    c.go()
    assert c.ask("evaluate", expression="flight[0].depth_cm", format={"hex": True})["result"] == hex(320)
    reference = c.ask("evaluate", expression="flight[0]")["variablesReference"]
    assert c.variables(reference, format={"hex": True})[0]["value"] == hex(320)
    frame = c.frames(levels=1, format={"parameters": True, "parameterNames": True, "parameterValues": True, "line": True})[0]
    assert frame["name"] == f"wait_minutes(place_in_queue = 0) line {frame['line']}", frame
    c.end()


def test_ten_thousand_elements_in_pages():
    program, source = compiled("many.cpp", """
#include <vector>
#include <map>
#include <cstdio>
int main() {
    std::vector<int> levels;
    std::map<int, int> tolls;
    for (int i = 0; i < 10000; i++) { levels.push_back(i * 3); tolls[i] = i * 5; }
    std::printf("%zu\\n", levels.size());
}
""", "-O0", compiler="g++")
    c = client()
    c.begin(program=str(program))
    c.ask("setBreakpoints", source={"path": str(source)}, breakpoints=[{"line": 9}])
    c.go()
    values = c.locals()
    assert values["levels"]["indexedVariables"] == 10000 and values["tolls"]["indexedVariables"] == 10000
    for first in (0, 5000, 9900):
        page = c.variables(values["levels"]["variablesReference"], filter="indexed", start=first, count=100)
        assert [v["value"] for v in page] == [str(i * 3) for i in range(first, first + 100)]
        assert page[99]["evaluateName"] == f"levels[{first + 99}]" and c.value(page[99]["evaluateName"]) == page[99]["value"]
    page = c.variables(values["tolls"]["variablesReference"], filter="indexed", start=9990, count=100)
    assert [v["name"] for v in page] == [f"[{i}]" for i in range(9990, 10000)]
    assert [v["value"] for v in page] == [str(i * 5) for i in range(9990, 10000)]
    c.end()


def test_hovering_never_runs_the_program():
    c = flow()
    at_lines(c, "lockflow.c", line_of("lockflow.c", "int wait = wait_minutes"))
    c.go()
    assert "not called" in c.refused("evaluate", expression="wait_minutes(3)", context="hover")
    assert c.ask("evaluate", expression="count", context="hover")["result"].isdigit()
    whole = c.ask("evaluate", expression="barges", context="clipboard")["result"]
    assert whole.count("draught_cm") >= 3
    c.end()


def test_the_prompts_commands_work_in_the_console():
    c = flow(stopOnEntry=True)
    c.go()
    locals_text = c.value("locals", context="repl")
    assert "locals of main" in locals_text and "count" in locals_text
    assert "breakpoint" in c.value("pause at take_through", context="repl")
    c.ask("evaluate", expression="continue", context="repl")
    assert c.wait("continued")["body"]["allThreadsContinued"]
    assert c.wait("stopped")["body"]["reason"] == "breakpoint"
    assert c.frames(levels=1)[0]["name"] == "take_through"
    assert c.value("totals.barges", context="repl") == "0"
    assert "totals.barges = 0" in c.value("= totals.barges", context="repl")
    assert c.refused("evaluate", expression="frobnicate now", context="repl")
    c.end()


def test_completions():
    c = flow(stopOnEntry=True)
    c.go()
    frame = c.frames(levels=1)[0]["id"]
    told = c.ask("completions", text="barges[0].dr", column=13, frameId=frame)["targets"]
    assert any("draught_cm" in t["label"] for t in told), told
    told = c.ask("completions", text="brea", column=5, frameId=frame)["targets"]
    assert any(t["label"] == "breakpoints" for t in told)
    c.end()


def test_where_a_variable_is_declared():
    c = flow()
    at_lines(c, "lockflow.c", line_of("lockflow.c", "int minutes = 0"))
    c.go()
    reference = c.locals()["minutes"]["declarationLocationReference"]
    place = c.ask("locations", locationReference=reference)
    assert place["line"] == line_of("lockflow.c", "int minutes = 0") and place["source"]["name"] == "lockflow.c"
    c.end()


def test_lines_that_count_from_nought_and_sources_by_uri():
    c = client()
    c.ask("initialize", adapterID="x", linesStartAt1=False, columnsStartAt1=False, pathFormat="uri")
    c.wait("initialized")
    c.ask("launch", program=str(demo / "lockflow"), stdin=str(sheet))
    line = line_of("lockflow.c", "int minutes = 0")
    uri = (root / "demo/lockflow.c").as_uri()
    told = c.ask("setBreakpoints", source={"path": uri}, breakpoints=[{"line": line - 1}])["breakpoints"][0]
    assert told["verified"] and told["line"] == line - 1
    c.go()
    frame = c.frames(levels=1)[0]
    assert frame["line"] == line - 1 and frame["source"]["path"] == uri
    c.end()
