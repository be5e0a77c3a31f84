#!/usr/bin/env python3
"""Programs of the system run whole under `elm-lantern heap`: what each writes and how it ends is the
same as alone, and nothing is found in them. They bring what fixtures do not: threads of C++, memory
asked for before main, signals, allocators of their own, children. Usage: heap_on_programs.py BUILD"""
import os
import re
import shutil
import subprocess
import sys
import tempfile

COMMANDS = [
    ["ls", "-la", "/usr/include"],
    ["sort", "-r", "--parallel=2", "-S", "1M", "numbers.txt"],
    ["sed", "s/lock/weir/g", "words.txt"],
    ["awk", "{ n += NF } END { print n }", "words.txt"],
    ["tar", "cf", "-", "--mtime=@0", "words.txt", "numbers.txt"],
    ["gzip", "-nc", "words.txt"],
    ["xz", "-T2", "--block-size=65536", "-c", "words.txt"],
    ["diff", "words.txt", "numbers.txt"],
    ["perl", "-e", "my %n; $n{$_ % 977} .= chr(65 + $_ % 26) for 1 .. 20000; print map { $n{$_} } sort keys %n"],
    ["bash", "-c", "for i in {1..300}; do s=$((s + i)); done; echo $s; echo lock | tr a-z A-Z"],
    ["python3", "-c", "import json; print(json.dumps({str(i): [i] * 9 for i in range(999)}))"],
    ["python3", "-c", "import threading as t; a = [t.Thread(target=lambda: [str(i) for i in range(9999)]) for _ in range(8)]; [x.start() for x in a]; [x.join() for x in a]; print('all')"],
    ["git", "hash-object", "words.txt"],
    ["objdump", "-d", "--no-show-raw-insn", "/usr/bin/true"],
    ["readelf", "-aW", "/usr/bin/true"],
    ["gcc", "-E", "-P", "canal.c"],
    ["cmake", "-P", "canal.cmake"],
    ["clang-format", "canal.c"],
    ["node", "-e", "console.log([...Array(5000).keys()].map(String).sort().join())"],
]
FEWEST = 10  # with less this would test nothing

# python's small objects lie at addresses that --page end moves: what the report says may be.
GUARDS = [["--guard", "none"], ["--guard", "all"], ["--guard", "all", "--page", "end"]]


def run(command, folder):
    return subprocess.run(command, cwd=folder, stdin=subprocess.DEVNULL, capture_output=True, timeout=400)


def complaint(lantern, program, command, guard, folder, alone):
    written = os.path.join(folder, "written")
    options = [*guard, "--stdin", "/dev/null", "--stdout", written]
    ran = run([lantern, "heap", program, *options, "--", *command[1:]], folder)
    report = ran.stdout.decode()
    with open(written, "rb") as file:
        if file.read() != alone.stdout:
            return "writes something else"
    if f"the exit status {alone.returncode}" not in report:
        return "ends in another way"
    return None if re.search(r"\b0 findings", report) else "is said to have a fault"


def main():
    lantern = os.path.abspath(os.path.join(sys.argv[1], "elm-lantern"))
    failures, programs = [], 0
    with tempfile.TemporaryDirectory() as folder:
        with open(os.path.join(folder, "words.txt"), "w") as file:
            file.writelines(f"barge {i} waits at lock {i * 7919 % 83} below weir {i % 9}\n" for i in range(9000))
        with open(os.path.join(folder, "numbers.txt"), "w") as file:
            file.writelines(f"{i * 7919 % 50021}\n" for i in range(40000))
        with open(os.path.join(folder, "canal.c"), "w") as file:
            file.write("#include <stdio.h>\n#define TOLL 12\nint main(void) { return printf(\"%d\", TOLL); }\n")
        with open(os.path.join(folder, "canal.cmake"), "w") as file:
            file.write("foreach(i RANGE 500)\n list(APPEND all ${i})\nendforeach()\nlist(LENGTH all n)\nmessage(STATUS ${n})\n")
        for command in COMMANDS:
            program = shutil.which(command[0])
            if not program:
                print(f"{command[0]} is not here: SKIPPED")
                continue
            programs += 1
            alone = run([program, *command[1:]], folder)
            for guard in GUARDS:
                if command[0] == "python3" and "end" in guard:
                    continue
                wrong = complaint(lantern, program, command, guard, folder, alone)
                if wrong:
                    failures.append(f"{' '.join(command)[:60]} with {' '.join(guard)}: {wrong}")
    print(f"{programs} programs")
    print("\n".join(failures))
    return 1 if failures or programs < FEWEST else 0


sys.exit(main())
