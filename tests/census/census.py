#!/usr/bin/env python3
"""Holds the debugger's breakpoints and steps in one program against what a plain tracer and an object dumper say: every line that
ran is met, every step stops at the next statement, every block ran as often as was counted. Exit status 1 where one does not."""
import argparse
import os
import subprocess
import sys

here = os.path.dirname(os.path.abspath(__file__))


def main():
    parser = argparse.ArgumentParser()
    parser.add_argument('--debugger', required=True)
    parser.add_argument('--tracer', required=True)
    parser.add_argument('program')
    parser.add_argument('source')
    parser.add_argument('functions', help='to step through, with commas between')
    parser.add_argument('into', help='those of them that `into` is held against too')
    options = parser.parse_args()
    if not os.path.exists(options.program):
        print(f'{options.program} was not built: its compiler is not here. SKIPPED')
        return 77
    common = ['--debugger', options.debugger, '--tracer', options.tracer]
    failed = 0
    failed |= subprocess.run([sys.executable, f'{here}/lines.py', '--verbose'] + common + [options.program, options.source]).returncode
    failed |= subprocess.run([sys.executable, f'{here}/steps.py'] + common + [options.program, options.functions]).returncode
    failed |= subprocess.run([sys.executable, f'{here}/steps.py', '--into'] + common + [options.program, options.into]).returncode
    failed |= subprocess.run([sys.executable, f'{here}/blocks.py'] + common + [options.program, options.functions]).returncode
    return 1 if failed else 0


if __name__ == '__main__':
    sys.exit(main())
