#!/usr/bin/env python3
"""Holds `elm-lantern serve` to the Debug Adapter Protocol, with a client of our own. What is expected comes from the
programs themselves, from nm, objdump and readelf, and from the sources.
Usage: conversations.py BUILD_FOLDER [RECORDING] [NAME …]"""
import sys, time, traceback
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent))
import common
import about_the_whole, about_breakpoints, about_moving, about_looking, about_beginnings, about_faults

modules = [about_the_whole, about_breakpoints, about_moving, about_looking, about_beginnings, about_faults]
wanted = sys.argv[3:]
tests = [(name, test) for module in modules for name, test in vars(module).items()
         if name.startswith("test_") and (not wanted or any(w in name for w in wanted))]
if common.recording:
    common.recording.unlink(missing_ok=True)
failed = 0
for name, test in tests:
    begun = time.monotonic()
    try:
        test()
        print(f"passed  {name}  {time.monotonic() - begun:.2f} s")
    except Exception:
        failed += 1
        print(f"FAILED  {name}")
        traceback.print_exc(limit=4, file=sys.stdout)
print(f"{len(tests) - failed} of {len(tests)} passed")
sys.exit(1 if failed or not tests else 0)
