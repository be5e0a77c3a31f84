#!/usr/bin/env python3
"""Plays a recorded debugging of lockflow through the Debug Adapter Protocol, as an editor would, and writes down both
sides.  Usage: play_in_editor.py ELM_LANTERN LOCKFLOW"""
import json, os, subprocess, sys
from pathlib import Path

lantern, program = sys.argv[1:3]
here = Path(__file__).resolve().parent
known = {"program": str(Path(program).resolve()), "sheet": str(here / "day-sheet.txt"), "source": str(here / "lockflow.c")}
adapter = subprocess.Popen([lantern, "serve"], stdin=subprocess.PIPE, stdout=subprocess.PIPE)
number, waiting = 0, []


def receive():
    length = 0
    while (line := adapter.stdout.readline().strip()):
        length = int(line.split(b":")[1])
    return json.loads(adapter.stdout.read(length))


def filled(value):
    """"$Locals" and its like stand for what was answered before."""
    if isinstance(value, dict):
        return {name: filled(inner) for name, inner in value.items()}
    if isinstance(value, list):
        return [filled(inner) for inner in value]
    return known[value[1:]] if isinstance(value, str) and value.startswith("$") else value


def learn(body):
    for frame in body.get("stackFrames", [])[:1]:
        known["frame"] = frame["id"]
    for scope in body.get("scopes", []):
        known[scope["name"]] = scope["variablesReference"]


def picked(body, path):
    """"variables.name" of a body that has a list of variables: one a line, with the others that are shown."""
    first, _, rest = path.partition(".")
    value = body.get(first)
    return value if not rest else [each.get(rest, "") for each in value or []]


def show(body, paths):
    lists = [path for path in paths if "." in path]
    for path in paths:
        if path not in lists and picked(body, path) is not None:
            value = picked(body, path)
            for each in value if isinstance(value, list) and value and isinstance(value[0], dict) else [value]:
                print(f"      {path}: {each if isinstance(each, str) else json.dumps(each, ensure_ascii=False)}".replace("\n", "\n        "))
    for row in zip(*(picked(body, path) for path in lists)):
        print("      " + "  ".join(str(each) for each in row))


for line in (here / "in-editor.jsonl").read_text().splitlines():
    step = json.loads(line)
    if "say" in step:
        print(f"\n{step['say']}")
    elif "ask" in step:
        number += 1
        content = json.dumps({"seq": number, "type": "request", "command": step["ask"], "arguments": filled(step.get("with", {}))}).encode()
        adapter.stdin.write(b"Content-Length: %d\r\n\r\n" % len(content) + content)
        adapter.stdin.flush()
        print(f"  → {step['ask']} {json.dumps(step['with'], ensure_ascii=False) if step.get('with') else ''}".rstrip())
        while (message := receive())["type"] != "response":
            waiting.append(message)
        if not message["success"]:
            sys.exit(f"refused: {message['body']['error']['format']}")
        body = message.get("body", {})
        learn(body)
        show(body, step.get("show", []))
    else:
        while not (found := [e for e in waiting if e["event"] == step["wait"] and
                             (step["wait"] != "output" or e["body"]["category"] == "console")]):
            waiting.append(receive())
        waiting.remove(found[0])
        print(f"  ← {step['wait']}")
        show(found[0].get("body", {}), step.get("show", []))
print("\nIt printed:\n" + "".join(e["body"]["output"] for e in waiting if e["event"] == "output" and e["body"]["category"] == "stdout"))
adapter.stdin.close()
sys.exit(adapter.wait())
