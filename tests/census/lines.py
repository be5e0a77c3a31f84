#!/usr/bin/env python3
"""Counts the lines of a source file that ran and that a breakpoint on the line met. What ran is told by a plain tracer at the
addresses that an object dumper gives; what was met by the debugger's own counts. Prints one line; --verbose names the others."""
import argparse
import json
import os
import subprocess
import sys

sys.path.insert(0, os.path.dirname(os.path.abspath(__file__)))
import dump


def first_segment(program):
    for text in subprocess.run(['readelf', '--wide', '--segments', program], stdout=subprocess.PIPE, text=True, check=True).stdout.splitlines():
        if text.split()[:1] == ['LOAD']:
            return int(text.split()[2], 16)
    return 0


def environment(options):
    return dict(os.environ, TRACE_INPUT=options.input) if options.input else dict(os.environ)


def covered(options, addresses):
    command = [options.tracer, hex(first_segment(options.program)), '0', '0', options.program] + options.arguments
    listed = '\n'.join(hex(a) for a in sorted(addresses)) + '\n'
    done = subprocess.run(command, input=listed, stdout=subprocess.PIPE, text=True, check=True, env=environment(options))
    return {int(text, 16) for text in done.stdout.split()}


def script(options, commands, kind):
    command = \
        [options.debugger, 'debug', options.program, '--format', 'json', '--stdout', '/dev/null']
    if options.input:
        command += ['--stdin', options.input]
    for each in commands:
        command += ['--do', '-' + each]
    done = subprocess.run(command + ['--'] + options.arguments, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, errors='replace')
    return [o for o in (json.loads(text) for text in done.stdout.splitlines() if text.startswith('{')) if o.get('kind') in kind]


def main():
    parser = argparse.ArgumentParser()
    parser.add_argument('--debugger', required=True)
    parser.add_argument('--tracer', required=True)
    parser.add_argument('--input')
    parser.add_argument('--verbose', action='store_true')
    parser.add_argument('program')
    parser.add_argument('source')
    parser.add_argument('arguments', nargs='*')
    options = parser.parse_args()
    options.program = os.path.realpath(options.program)
    return 0 if is_right(options, dump.Program(options.program)) else 1


def is_right(options, program):
    by_line = {}
    for unit in program.units.values():
        wanted = {i for i in unit.files if unit.path(i).endswith(options.source)}
        for row in unit.rows:
            if row.file in wanted and row.statement and row.line:
                by_line.setdefault(row.line, set()).add(row.address)
        for row in dump.joined_rows(program, unit):
            if row.file in wanted:
                by_line.setdefault(row.line, set()).add(row.address)
    ran_addresses = covered(options, set().union(*by_line.values()) if by_line else set())
    ran = {line for line, addresses in by_line.items() if addresses & ran_addresses}
    commands = [f'pause at {options.source}:{line} when 0' for line in sorted(by_line)]
    found = script(options, commands + ['launch', 'breakpoints'], ('breakpoints', 'error'))
    lists = [o for o in found if o['kind'] == 'breakpoints']
    met, placeless, wrong = set(), 0, []
    for breakpoint in (lists[-1]['breakpoints'] if lists else []):
        line = int(breakpoint['place'].rsplit(':', 1)[1])
        if breakpoint.get('passes', 0) or breakpoint.get('hits', 0):
            met.add(line)
        placeless += not breakpoint.get('sites')
        for site in breakpoint.get('sites', []):
            if site.get('line') != line or not site.get('file', '').endswith(options.source):
                wrong.append((line, site))
    missed = sorted(ran - met)
    print(f'{os.path.basename(options.program)} {options.source}: {len(by_line)} lines with statements, {len(ran)} ran, {len(ran & met)} met, '
          f'{len(missed)} missed, {placeless} without a place, {len(wrong)} sites of another line')
    if options.verbose:
        for line in missed:
            print('  missed', line, [hex(a) for a in sorted(by_line[line] & ran_addresses)])
        for line, site in wrong[:20]:
            print('  wrong', line, site)
        print('  met although it did not run:', sorted(met - ran)[:20])
    return not (missed or placeless or wrong)


if __name__ == '__main__':
    sys.exit(main())
