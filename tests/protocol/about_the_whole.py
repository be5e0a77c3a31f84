"""A program from its start to its end, its values, what is changed."""
from common import *


def test_a_program_is_run_to_its_end_and_what_it_writes_is_told():
    c = flow()
    assert c.go()["event"] == "terminated"
    alone = subprocess.run([demo / "lockflow"], stdin=open(sheet), capture_output=True, text=True)
    assert output_of(c, "stdout") == alone.stdout
    exited = [e for e in c.seen if e["type"] == "event" and e["event"] == "exited"]
    assert [e["body"]["exitCode"] for e in exited] == [alone.returncode]
    assert c.end() == 0


def test_a_breakpoint_stops_steps_go_on_and_values_are_told():
    c = flow()
    line = line_of("lockflow.c", "int headroom_cm")
    set_there = at_lines(c, "lockflow.c", line)
    assert set_there[0]["verified"] and set_there[0]["line"] == line
    stop = c.go()["body"]
    assert stop["reason"] == "breakpoint" and stop["threadId"] == 1 and stop["allThreadsStopped"]
    assert stop["hitBreakpointIds"] == [set_there[0]["id"]]
    frames = c.frames()
    assert [f["name"] for f in frames[:3]] == ["pass_chamber", "take_through", "main"], frames
    assert frames[0]["line"] == line and Path(frames[0]["source"]["path"]) == root / "demo/lockflow.c"
    assert frames[-1]["presentationHint"] == "subtle" and "presentationHint" not in frames[0]
    values = c.locals()
    assert values["change_cm"]["value"].startswith("not set yet"), values["change_cm"]
    assert "notSet" in values["change_cm"]["presentationHint"]["attributes"]
    assert c.move("next")["body"]["reason"] == "step"
    assert c.frames(levels=1)[0]["line"] == line + 1
    assert c.locals()["headroom_cm"]["value"] == "200"     # 320 - 120, from the source
    assert "was not set" in c.locals()["headroom_cm"]["type"], c.locals()["headroom_cm"]
    changed = {v["name"]: v["value"] for v in c.variables(c.scope("Changed since the last stop"))}
    assert changed == {"headroom_cm": "not set → 200"}, changed
    assert c.move("stepOut")["body"]["reason"] == "step"
    assert c.frames(levels=1)[0]["name"] == "take_through"
    returned = c.variables(c.scope("Returned"))
    assert returned[0]["name"] == "pass_chamber" and re.fullmatch(r"-?\d+", returned[0]["value"]), returned
    c.end()


def test_pointers_members_and_elements_are_opened_step_by_step():
    c = flow()
    at_lines(c, "lockflow.c", line_of("lockflow.c", "totals.water_cm[lock] += water"))
    c.go()
    barge = c.locals()["barge"]
    assert barge["variablesReference"] and barge["memoryReference"].startswith("0x")
    members = {m["name"]: m for m in c.variables(barge["variablesReference"])}
    assert list(members) == ["name", "draught_cm", "arrival_minute", "direction"]
    first = sheet.read_text().splitlines()
    assert members["draught_cm"]["value"] == first[1].split(",")[0].strip()
    assert members["draught_cm"]["evaluateName"] == "barge->draught_cm"
    assert c.value("barge->draught_cm") == members["draught_cm"]["value"]
    flight = c.ask("evaluate", expression="flight")
    assert flight["indexedVariables"] == 4
    third = c.variables(flight["variablesReference"], filter="indexed", start=2, count=1)
    assert [t["name"] for t in third] == ["[2]"] and third[0]["evaluateName"] == "flight[2]"
    inner = {m["name"]: m for m in c.variables(third[0]["variablesReference"])}
    assert inner["depth_cm"]["value"] == "310" and inner["depth_cm"]["evaluateName"] == "flight[2].depth_cm"
    c.end()


def test_a_value_is_changed_and_the_program_goes_on_with_it():
    c = flow()
    at_lines(c, "lockflow.c", line_of("lockflow.c", "printf(\"%-10"))
    c.go()
    frame = c.frames(levels=1)[0]
    changed = c.ask("setVariable", variablesReference=c.scope("Locals", frame), name="wait", value="77")
    assert changed["value"] == "77"
    assert c.has_come("invalidated") or c.wait("invalidated")
    c.ask("setExpression", expression="barges[i].draught_cm", value="99", frameId=frame["id"])
    assert c.value("barges[i].draught_cm", frameId=frame["id"]) == "99"
    at_lines(c, "lockflow.c")
    c.ask("continue", threadId=1)
    c.wait("terminated")
    first = output_of(c, "stdout").splitlines()[0]
    assert "waits  77 min" in first and " 99 cm" in first, first
    c.end()
