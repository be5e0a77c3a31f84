"""What the conversations with `elm-lantern serve` have in common: the programs, and the witnesses of what is so."""
import base64, json, os, re, signal, subprocess, sys, time, traceback
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent))
from client import Client, Refused, own_folder

build = Path(sys.argv[1]).resolve()
recording = Path(sys.argv[2]).resolve() if len(sys.argv) > 2 else None
root = Path(__file__).resolve().parents[2]
lantern, demo, fixtures = build / "elm-lantern", build / "demo", build / "tests/programs"
sheet = root / "demo/day-sheet.txt"
work = own_folder("protocol")


def client(**more):
    return Client(lantern, recording, **more)


def flow(**more):
    c = client()
    c.begin(program=str(demo / "lockflow"), stdin=str(sheet), **more)
    return c


def line_of(source, text, nth=1):
    """The line of a demo's source that holds the text."""
    for number, line in enumerate((root / "demo" / source).read_text().splitlines(), 1):
        if text in line:
            nth -= 1
            if not nth:
                return number
    raise ValueError(text)


def at_lines(c, source, *lines):
    asked = [line if isinstance(line, dict) else {"line": line} for line in lines]
    return c.ask("setBreakpoints", source={"path": str(root / "demo" / source)}, breakpoints=asked)["breakpoints"]


def address_of(program, symbol):
    for line in subprocess.run(["nm", program], capture_output=True, text=True).stdout.splitlines():
        parts = line.split()
        if len(parts) == 3 and parts[2] == symbol:
            return int(parts[0], 16)
    raise ValueError(symbol)


def compiled(name, text, *options, compiler="gcc"):
    source = work / name
    source.write_text(text)
    program = work / Path(name).stem
    subprocess.run([compiler, "-g", *options, "-o", program, source], check=True)
    return program, source


def output_of(c, category):
    return "".join(e["body"]["output"] for e in c.seen if e["type"] == "event" and e["event"] == "output" and
                   e["body"]["category"] == category)


def process_of(c):
    return [e["body"]["systemProcessId"] for e in c.seen if e["type"] == "event" and e["event"] == "process"][0]


def is_there(process):
    try:
        return state_of(process) not in "ZX"
    except FileNotFoundError:
        return False


def until(holds, seconds=60):
    """Waits until it holds; what comes of it is given back."""
    end = time.monotonic() + seconds
    while not (found := holds()):
        assert time.monotonic() < end, "it did not come to hold"
        time.sleep(0.01)
    return found


def state_of(process):
    return Path(f"/proc/{process}/stat").read_text().rsplit(")", 1)[1].split()[0]


def catches(process, number):
    """The process has a handler for the signal."""
    caught = re.search(r"SigCgt:\s*(\w+)", Path(f"/proc/{process}/status").read_text()).group(1)
    return int(caught, 16) >> (number - 1) & 1
