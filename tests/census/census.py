#!/usr/bin/env python3
"""Holds the debugger's breakpoints and steps in one program against what a plain tracer and an object dumper say: every line that
ran is met, every step stops at the next statement, every block ran as often as was counted. Exit status 1 where one does not."""
import argparse
import os
import sys

sys.path.insert(0, os.path.dirname(os.path.abspath(__file__)))
import blocks
import dump
import lines
import steps


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
    options.program = os.path.realpath(options.program)
    options.input, options.arguments, options.main, options.most, options.verbose = None, [], 'main', 300, True
    program = dump.Program(options.program)  # read once: of a program with Rust's library it takes longer than all the rest
    found = [lines.is_right(options, program)]
    options.into, with_into = False, options.into
    found.append(steps.are_right(options, program))
    found.append(blocks.are_right(options, program))
    options.into, options.functions = True, with_into
    found.append(steps.are_right(options, program))
    return 0 if all(found) else 1


if __name__ == '__main__':
    sys.exit(main())
