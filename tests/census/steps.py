#!/usr/bin/env python3
"""Steps through one call of a function, from its first statement to its end, and compares each stop with the statements that were
passed: a plain tracer tells where the program was, an object dumper which rows of the line table stand there. --into counts
those of inlined functions too, other than libraries'. Prints a line for each function, and where the two part."""
import argparse
import json
import os
import struct
import subprocess
import sys

sys.path.insert(0, os.path.dirname(os.path.abspath(__file__)))
import dump
import lines as census

LIBRARY = ('/usr/include/', '/usr/lib/', '/rustc/', '/lib/')
SYSTEM_RUST = '/lib/rustlib/src/rust/'


def is_library(path):
    return path.startswith(LIBRARY) or SYSTEM_RUST in path


def first_call(options, program, function):
    """Where the program was during the function's first call, callees left out, in order. Kept: it is the same in each run."""
    if function.entry in program.first_calls:
        return program.first_calls[function.entry]
    command = [options.tracer, hex(census.first_segment(options.program)), hex(function.entry), '20000000', options.program] + options.arguments
    data = subprocess.run(command, stdout=subprocess.PIPE, check=True, env=census.environment(options)).stdout
    stack, found = [], []
    for at, pointer in struct.iter_unpack('<QQ', data):
        while stack and pointer > stack[-1]:
            stack.pop()
        if not function.holds(at):
            continue
        if at == function.entry and (not stack or pointer < stack[-1]):
            stack.append(pointer)
        if len(stack) == 1:
            found.append(at)
    program.first_calls[function.entry] = found
    return found


def expected_stops(options, function, positions, trace, start, line):
    """What the steps are to stop at, from the given place on."""
    passed = [(i, p) for i, at in enumerate(trace) for p in positions.get(at, [])]
    begin = next((k for k, (i, p) in enumerate(passed) if p.address == start and p.line == line and p.call is function), None)
    if begin is None:
        begin = next((k for k, (i, p) in enumerate(passed) if p.address >= start), 0)
        begin -= 1
    current = (function, function.file, line)
    stops = []
    for _, position in passed[begin + 1:]:
        if not position.statement:
            continue
        outer_or_same = current[0].is_within(position.call)
        is_foreign = is_library(position.file) and not is_library(current[1])
        if not outer_or_same and (not options.into or is_foreign):
            continue
        if outer_or_same and position.call is not current[0] and is_foreign:
            continue
        if position.call is current[0] and (position.file, position.line) == current[1:]:
            continue
        current = (position.call, position.file, position.line)
        stops.append((os.path.basename(position.file), position.line))
    return stops


def compare(options, program, name):
    function = next((f for f in program.functions if f.name == name), None)
    label = f'{os.path.basename(options.program)} {name} {"into" if options.into else "over"}'
    if function is None:
        return f'{label}: no such function with code', True
    positions = dump.positions_of(program, function)
    trace = first_call(options, program, function)
    if not trace:
        return f'{label}: its own code was not called', True
    word = 'into' if options.into else 'over'
    found = census.script(options, [f'pause at {name}', 'launch', 'drop all'] + [word] * options.most, ('breakpoint-set', 'stop'))
    sites = next((o['breakpoint'].get('sites', []) for o in found if o['kind'] == 'breakpoint-set'), [])
    stops = [o for o in found if o['kind'] == 'stop']
    if not stops or not sites or 'line' not in stops[0]:
        return f'{label}: the debugger did not stop there', False
    wanted = expected_stops(options, function, positions, trace, int(sites[0]['address'], 16), stops[0]['line'])
    # Functions that are really called are gone into and out of again: their own statements are not this function's.
    base = int(stops[0]['address'], 16) - int(sites[0]['address'], 16)

    def has_come_back(stop):
        return 'returned' in stop.get('why', '') or 'further out' in stop.get('why', '')

    got = [(os.path.basename(o.get('file', '')), o.get('line', 0)) for o in stops[1:]]
    cut = len(wanted) > options.most
    wanted = wanted[:options.most]
    if options.into:
        # Coming back from a real call is a stop of its own, in the middle of a statement.
        inside = [o for o in stops[1:] if 'address' in o and function.holds(int(o['address'], 16) - base)]
        got = []
        for stop in inside:
            place = (os.path.basename(stop.get('file', '')), stop.get('line', 0))
            if not has_come_back(stop) or (len(got) < len(wanted) and wanted[len(got)] == place):
                got.append(place)
    same = next((i for i, (a, b) in enumerate(zip(wanted, got)) if a != b), min(len(wanted), len(got)))
    complete = same == len(wanted)
    # Behind the last statement the function is left.
    behind = stops[same + 1] if len(stops) > same + 1 else None
    leaves = options.into or cut or not complete or behind is None or behind.get('reason') in ('exited', 'killed', 'signal') or has_come_back(behind)
    text = f'{label}: {len(wanted)} statements passed, {same} stops as they were passed{"" if complete and leaves else ", then they part"}'
    if not (complete and leaves):
        text += f'\n  passed {wanted[max(0, same - 3):same + 6]}\n  stops  {got[max(0, same - 3):same + 6]}'
    return text, complete and leaves


def main():
    parser = argparse.ArgumentParser()
    parser.add_argument('--debugger', required=True)
    parser.add_argument('--tracer', required=True)
    parser.add_argument('--input')
    parser.add_argument('--into', action='store_true')
    parser.add_argument('--most', type=int, default=300)
    parser.add_argument('program')
    parser.add_argument('functions', help='with commas between')
    parser.add_argument('arguments', nargs='*')
    options = parser.parse_args()
    options.program = os.path.realpath(options.program)
    return 0 if are_right(options, dump.Program(options.program)) else 1


def are_right(options, program):
    all_right = True
    for name in options.functions.split(','):
        text, is_right = compare(options, program, name)
        print(text)
        all_right &= is_right
    return all_right


if __name__ == '__main__':
    sys.exit(main())
