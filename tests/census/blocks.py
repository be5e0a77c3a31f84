#!/usr/bin/env python3
"""Has the debugger count how often each block of a function runs, and compares it with how often a plain tracer, one instruction
at a time, came to the block's address. Prints a line for each function, and where the two part."""
import argparse
import collections
import html
import os
import re
import struct
import subprocess
import sys
import tempfile

sys.path.insert(0, os.path.dirname(os.path.abspath(__file__)))
import dump
import lines as census

LOADED_AT = 0x555555554000      # without random addresses


def runs_by_trace(options, program):
    main = next(f for f in program.functions if f.name in ('main', options.main))
    command = [options.tracer, hex(census.first_segment(options.program)), hex(main.entry), '20000000', options.program]
    data = subprocess.run(command, stdout=subprocess.PIPE, check=True).stdout
    return collections.Counter(at for at, _ in struct.iter_unpack('<QQ', data))


def runs_by_debugger(options, name, base):
    """By address in the file: the block's head says its address, the text behind it how often it ran."""
    with tempfile.TemporaryDirectory() as folder:
        picture = os.path.join(folder, 'code.svg')
        commands = [f'note blocks of {name}', 'pause on exit', 'launch', f'draw code {name} as {picture}']
        call = [options.debugger, 'debug', options.program, '--stdout', '/dev/null']
        for command in commands:
            call += ['--do', command]
        told = subprocess.run(call, stdout=subprocess.PIPE, text=True).stdout
        if not os.path.exists(picture):
            return None, told
        texts = [html.unescape(t) for t in re.findall(r'<text [^>]*>([^<]*)</text>', open(picture).read())]
    runs = {}
    for head, count in zip(texts, texts[1:]):
        found = re.search(r'(0x[0-9a-f]+)$', head)
        if found and (count.startswith('ran ') or count == 'has not run'):
            address = (base & ~0xffffff | int(found[1], 16)) - base
            if address < 0:
                address += 1 << 24
            runs[address] = int(re.sub(r'\D', '', count.split('×')[0])) if count.startswith('ran ') else 0
    return runs, told


def main():
    parser = argparse.ArgumentParser()
    parser.add_argument('--debugger', required=True)
    parser.add_argument('--tracer', required=True)
    parser.add_argument('--main', default='main')
    parser.add_argument('program')
    parser.add_argument('functions')
    options = parser.parse_args()
    options.program = os.path.realpath(options.program)
    return 0 if are_right(options, dump.Program(options.program)) else 1


def are_right(options, program):
    base = LOADED_AT if census.first_segment(options.program) == 0 else 0
    truth = runs_by_trace(options, program)
    failed = compared = 0
    for name in options.functions.split(','):
        if not any(f.name == name for f in program.functions):
            continue
        runs, told = runs_by_debugger(options, name, base)
        if not runs:
            print(f'{name}: nothing was counted\n{told[-600:]}')
            failed += 1
            continue
        wrong = {hex(at): (count, truth[at]) for at, count in runs.items() if count != truth[at]}
        print(f'{os.path.basename(options.program)} {name}: {len(runs)} blocks, {sum(runs.values())} runs, {len(wrong)} counted otherwise')
        if wrong:
            print('  counted, traced:', wrong)
        failed += bool(wrong)
        compared += 1
    return compared and not failed


if __name__ == '__main__':
    sys.exit(main())
