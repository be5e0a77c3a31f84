#!/usr/bin/env bash
# Every object that elm-lantern writes is one that docs/session.schema.json allows; and the schema can refuse.
set -euo pipefail
source_folder=$1 build=$2
if ! /usr/bin/python3 -c 'import jsonschema' 2>/dev/null; then
    echo "python3-jsonschema is not here: the schema test is SKIPPED"; exit 77
fi
work=$(mktemp -d); trap 'rm -rf "$work"' EXIT
cat > "$work/all.lantern" <<'S'
help
help value
find functions
find globals
find types
find files
find functions /^f/ limit 2
find types in locks.c
find code fill
find code locks.c:63
find address main
type struct chamber
type enum state
type global_count
globals
globals /^g/ in locks.c of int limit 3
value global_count
explain global_count
form global_count as hex
pause at fill
pause at mean when count == 3
pin rate
pin locals
-pin 1 +
breakpoints
launch
locals
stack
source
source main
over
over 2
pin
continue
change rate = 5
explain rate
value *chamber
value chamber->gates from 1
value *chamber raw
value chamber->name as bytes
value tolls[0..2]
value &factorial as instructions
-value nothing_here
-value 1 +
-dance
registers
registers all
disassembly
disassembly main by source
became fill
became
disassembly main counts bytes
memory &global_count count 32
memory %rsp count 4 as pointer
memory 0 count 4
memory keep before &global_count count 4
memory fill &global_count count 4 with 05
memory compare before
draw lower
draw lower keep early
draw lower since early
draw tolls
draw tolls histogram
find bytes 05 05 in all limit 3
regions
words 2
processes
caller
registers
callee
frame 1
over insn
out
off 1
on 1
-into
unpin all
keep depth = 310
value @depth + 1
restart
reach factorial
over insn
into insn 3
drop all
continue
-over
-locals
restart
reach mean
S
"$build/elm-lantern" debug "$build/tests/programs/locks-gcc-O0-dwarf5-pie" --script "$work/all.lantern" --out "$work/record" --format json > "$work/lines.jsonl" 2> /dev/null
"$build/elm-lantern" debug "$build/tests/programs/locks-gcc-O2-dwarf5-pie" --stdout /dev/null --do 'reach main' --do 'locals' --do 'over 5' --do 'locals' --do stack --format json >> "$work/lines.jsonl" || true
"$build/elm-lantern" debug "$build/tests/programs/locks-nosymbols" --stdout /dev/null --do 'pause at factorial' --do launch --do stack --do out --format json >> "$work/lines.jsonl"
for how in null zero abort call deep; do
    "$build/elm-lantern" debug "$build/tests/programs/trouble-gcc" --do launch --do '-stack' --do '-continue' --format json -- $how >> "$work/lines.jsonl" 2> /dev/null
done
cat > "$work/control.lantern" <<'S'
signals
signals SIGUSR1 pass
pause at plugin_toll later
pause on exit
pause on syscall write
pause on thread start
note at control.c:19 toll, turn / 2.0, &passages after 3 every 2
launch count 2 10
threads
drop 3
drop 4
continue
notes
plot
breakpoints
restart
drop all
reach watch
pause on write level
pause on access levels[1] after 1
pause on write day.sheet
breakpoints
continue
over 2 pace 0.001
continue
continue
continue
continue
continue
continue
continue
S
"$build/elm-lantern" debug "$build/tests/programs/control-gcc-O0" --stdout /dev/null --script "$work/control.lantern" --format json >> "$work/lines.jsonl" 2> /dev/null || true
"$build/elm-lantern" debug "$build/tests/programs/control-gcc-O0" --stdout /dev/null --do 'launch watch' --do 'reach watch' --do 'pause on write level' --do 'pause on write day.sheet' --do continue --do continue --do continue --do continue --do continue --format json >> "$work/lines.jsonl" 2> /dev/null || true
"$build/elm-lantern" debug "$build/tests/programs/heap" --stdout /dev/null --do 'launch leak' --do 'reach look_here' --do heap --do 'heap blocks limit 3' --do 'heap types' --do 'heap leaks' --do 'heap path kept_in_global' --do 'heap check' --do 'heap keep a' --do 'heap keep b' --do 'heap since a' --format json >> "$work/lines.jsonl" 2> /dev/null || true
"$build/elm-lantern" heap "$build/tests/programs/misuses-gcc-O0" --stdout /dev/null --format json -- free-twice >> "$work/lines.jsonl" 2> /dev/null || true
"$build/elm-lantern" heap "$build/tests/programs/misuses-gcc-O0" --guard none --stdout /dev/null --format json -- write-freed >> "$work/lines.jsonl" 2> /dev/null || true
"$build/elm-lantern" debug "$build/tests/programs/misuses-gcc-O0" --heap --stdout /dev/null --do 'pause at misuses.c:53' --do 'launch write-freed innocent' --do 'heap life label' --do 'heap places' --do 'pause on heap freed' --do continue --format json >> "$work/lines.jsonl" 2> /dev/null || true
"$build/elm-lantern" diagnose "$build/tests/programs/failures-gcc-O0" --format json -- loop >> "$work/lines.jsonl" 2> /dev/null || true
"$build/elm-lantern" debug "$build/tests/programs/heap" --stdout /dev/null --do 'launch damage text' --do 'reach look_here' --do 'heap check' --format json >> "$work/lines.jsonl" 2> /dev/null || true
"$build/elm-lantern" debug "$build/tests/programs/control-gcc-O0" --stdout /dev/null --do 'reach loops' --do 'over 4 pace 0.001' --format json >> "$work/lines.jsonl"
"$build/elm-lantern" debug "$build/tests/programs/steps-gcc-O0" --stdout /dev/null --do 'pause on throw' --do 'pause on catch' --do 'reach values_returned' --do 'over 3' --do continue --do continue --do 'divert catching' --do 'leave 3' --format json >> "$work/lines.jsonl" 2> /dev/null || true
printf '%s\n' 'pause on write level' 'pause at Lock::toll' 'pause at deepest' 'nonsense' launch 'drop 1' continue locals continue stack 'stack 1..5' out 'find functions' globals 'value &flight[3]' |
    "$build/elm-lantern" debug "$build/tests/programs/everyday" --stdout /dev/null --format json >> "$work/lines.jsonl" || true
for pair in unset steps only_prints jump_back; do "$build/elm-lantern" compare "$build/tests/programs/parting-$pair-a" "$build/tests/programs/parting-$pair-b" --run --format json >> "$work/lines.jsonl" || true; done
XDG_CONFIG_HOME="$work/settings" "$build/elm-lantern" settings --format json >> "$work/lines.jsonl"
"$build/elm-lantern" survey "$build/tests/programs/locks-gcc-O2-dwarf5-pie" --out "$work/survey" --format json >> "$work/lines.jsonl"
"$build/elm-lantern" survey "$build/tests/programs/locks-nosymbols" "$build/tests/programs/barges-dwarf4" --format json >> "$work/lines.jsonl"
cat "$work/survey/survey.json" >> "$work/lines.jsonl"
"$build/elm-lantern" debug "$build/tests/programs/barges-dwarf5" --do 'type canal::Narrow' --do 'find code deepest' --do 'find types Way' --format json >> "$work/lines.jsonl"
cat "$work/record/session.jsonl" >> "$work/lines.jsonl"
/usr/bin/python3 - "$source_folder/docs/session.schema.json" "$work/lines.jsonl" <<'P'
import json, sys, jsonschema
schema = json.load(open(sys.argv[1]))
validator = jsonschema.Draft202012Validator(schema)
seen = {}
for number, line in enumerate(open(sys.argv[2], encoding="utf-8"), 1):
    entry = json.loads(line)
    seen[entry["kind"]] = seen.get(entry["kind"], 0) + 1
    by_kind = next(d for d in schema["$defs"].values() if d.get("properties", {}).get("kind", {}).get("const") == entry["kind"])
    errors = list(jsonschema.Draft202012Validator({**schema, "oneOf": [by_kind]}).iter_errors(entry))
    if errors or not validator.is_valid(entry):
        best = jsonschema.exceptions.best_match(errors)
        sys.exit(f"line {number}: {line.strip()[:300]}\n{best.message if best else 'matches no kind or more than one'}")
wanted = {d["properties"]["kind"]["const"] for d in schema["$defs"].values() if "kind" in d.get("properties", {})}
if wanted - set(seen): sys.exit(f"never written, so never checked: {sorted(wanted - set(seen))}")
for wrong in ({"kind": "stop"}, {"kind": "dance"}, {"kind": "notice", "level": "done", "text": 5}, {"kind": "locals", "frame": 0, "function": "f", "variables": [{"name": "x", "type": "int"}]}):
    if validator.is_valid(wrong): sys.exit(f"the schema lets {wrong} pass")
print("checked", sum(seen.values()), "objects:", ", ".join(f"{k} {v}" for k, v in sorted(seen.items())))
P
