"""What an object dumper says of a program's line table and inlined calls. An independent reading of what core/symbols reads:
nothing here comes from the debugger."""
import bisect
import os
import re
import subprocess
import tempfile
from collections import defaultdict


def readelf(program, what):
    return subprocess.run(['readelf', '--debug-dump=' + what, program], stdout=subprocess.PIPE, stderr=subprocess.DEVNULL,
                          text=True, errors='replace', check=True).stdout.splitlines()


class Row:
    __slots__ = ('address', 'file', 'line', 'column', 'statement', 'view', 'end', 'is_call')

    def __init__(self, address, file, line, column, statement, view):
        self.address, self.file, self.line, self.column, self.statement, self.view = address, file, line, column, statement, view
        self.end = address
        self.is_call = False


class Unit:
    def __init__(self):
        self.producer = ""
        self.folders, self.files, self.rows = {}, {}, []

    def path(self, index):
        if index not in self.files:
            return ''
        folder, name = self.files[index]
        if not name.startswith('/'):
            base = self.folders.get(folder, '')
            if not base.startswith('/'):
                base = os.path.join(self.folders.get(0, ''), base)
            name = os.path.join(base, name)
        return os.path.normpath(name)


def read_lines(program, compilation_folders):
    """The line programs, by their offset in .debug_line."""
    units, unit = {}, None
    table = None
    version = 5
    state = None
    number = re.compile(r'to (0x[0-9a-f]+|-?\d+)')
    for text in readelf(program, 'rawline'):
        if text.startswith('  Offset:'):
            unit = Unit()
            offset = int(text.split()[1], 0)
            units[offset] = unit
            table = None
            state = None
            continue
        if unit is None:
            continue
        if text.startswith('  DWARF Version:'):
            version = int(text.split()[2])
            if version < 5:
                unit.folders[0] = compilation_folders.get(offset, ('', ''))[0]
                unit.files[0] = (0, compilation_folders.get(offset, ('', ''))[1])
        if "Initial value of 'is_stmt'" in text:
            default_statement = text.split()[-1] == '1'
        if text.startswith(' The Directory Table'):
            table = 'folders'
            continue
        if text.startswith(' The File Name Table'):
            table = 'files'
            continue
        if text.startswith(' Line Number Statements') or text.startswith(' No Line Number Statements'):
            table = 'program'
            state = None
            continue
        if table == 'folders':
            found = re.match(r'\s+(\d+)\s+(?:\(.*?\): )?(.*)$', text)
            if found:
                unit.folders[int(found[1])] = found[2]
        elif table == 'files':
            columns = re.match(r'\s+(\d+)\s+(\d+)\s+(.*)$', text)
            if columns:
                rest = columns[3]
                name = rest.split('): ')[-1].strip()
                if version < 5:
                    name = rest.split('\t')[-1].strip()
                elif re.match(r'0x[0-9a-f]{32}', rest):
                    name = rest.split('): ')[-1].strip()
                unit.files[int(columns[1])] = (int(columns[2]), name)
        elif table == 'program':
            found = re.match(r'\s+\[0x[0-9a-f]+\]\s+(.*)$', text)
            if not found:
                continue
            what = found[1]
            if state is None:
                state = {'address': 0, 'file': 1, 'line': 1, 'column': 0, 'statement': default_statement, 'view': -1, 'last': None, 'first': len(unit.rows)}

            def emit():
                state['view'] = state['view'] + 1 if state['last'] == state['address'] else 0
                state['last'] = state['address']
                unit.rows.append(Row(state['address'], state['file'], state['line'], state['column'], state['statement'], state['view']))

            if what.startswith('Special opcode'):
                numbers = number.findall(what)
                state['address'], state['line'] = int(numbers[0], 0), int(numbers[1], 0)
                emit()
            elif what.startswith('Copy'):
                emit()
            elif what.startswith('Advance Line'):
                state['line'] = int(number.findall(what)[0], 0)
            elif what.startswith('Advance PC'):
                state['address'] = int(number.findall(what)[0], 0)
            elif 'set Address' in what:
                state['address'] = int(number.findall(what)[0], 0)
                state['last'] = None  # rows are counted anew where a function begins
            elif what.startswith('Set column'):
                state['column'] = int(number.findall(what)[0], 0)
            elif what.startswith('Set File Name'):
                state['file'] = int(re.search(r'entry (\d+)', what)[1])
            elif what.startswith('Set is_stmt'):
                state['statement'] = what.split()[-1] == '1'
            elif 'End of Sequence' in what:
                rows = unit.rows[state['first']:]
                for row, following in zip(rows, rows[1:]):
                    row.end = following.address
                if rows:
                    rows[-1].end = state['address']
                unit.rows[state['first']:] = [row for row in rows if row.address != state['address']]
                if not rows or rows[0].address == 0:
                    del unit.rows[state['first']:]  # code that the linker has thrown away
                state = None
    return units


class Entry:
    def __init__(self, offset, tag, parent):
        self.offset, self.tag, self.parent = offset, tag, parent
        self.attributes, self.children = {}, []
        self.unit = None


def read_entries(program):
    """The entries of functions and inlined calls, and the units' roots."""
    entries, roots, stack = {}, [], []
    current = None
    start = re.compile(r'\s*<(\d+)><([0-9a-f]+)>: Abbrev Number: (\d+)(?: \((\w+)\))?')
    attribute = re.compile(r'\s*<[0-9a-f]+>\s+(DW_AT_\w+)\s*: ?(.*)$')
    for text in readelf(program, 'info'):
        found = start.match(text)
        if found:
            depth = int(found[1])
            del stack[depth:]
            if found[3] == '0':
                current = None
                continue
            current = Entry(int(found[2], 16), found[4], stack[-1] if stack else None)
            entries[current.offset] = current
            if stack:
                stack[-1].children.append(current)
            else:
                roots.append(current)
            current.unit = roots[-1]
            stack.append(current)
            continue
        if current is None:
            continue
        found = attribute.match(text)
        if found and found[1] not in current.attributes:
            current.attributes[found[1]] = found[2].strip()
    return entries, roots


def read_ranges(program):
    """Lists of ranges by offset, those of version 5 and the older ones."""
    lists, based = defaultdict(list), set()
    current = None
    for text in readelf(program, 'Ranges'):
        if '(base address)' in text and current is not None:
            based.add(current)
        found = re.match(r'\s+Offset: (0x[0-9a-f]+)', text)
        if found:
            current = int(found[1], 16)
            lists[current]
            continue
        if 'debug_ranges section' in text:
            current = None
        found = re.match(r'\s+([0-9a-f]{8,16}) ([0-9a-f]{16}) ([0-9a-f]{16})', text)
        if found:
            key = current if current is not None else int(found[1], 16)
            lists[key].append((int(found[2], 16), int(found[3], 16)))
    return lists, based


def section_bytes(program, name):
    with tempfile.NamedTemporaryFile() as out:
        done = subprocess.run(['objcopy', '-O', 'binary', '--only-section=' + name, '--set-section-flags', name + '=alloc', program, out.name],
                              stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        return out.read() if done.returncode == 0 else b''


def uleb(data, at):
    value = shift = 0
    while True:
        byte = data[at]
        at += 1
        value |= (byte & 0x7f) << shift
        shift += 7
        if byte < 0x80:
            return value, at


def range_list(data, at):
    """A list of version 5 without indexed addresses: the dumper shows only the first where a section has no table of offsets."""
    ranges, base = [], 0
    while True:
        kind = data[at]
        at += 1
        if kind == 0:
            return ranges
        if kind == 4:
            low, at = uleb(data, at)
            high, at = uleb(data, at)
            ranges.append((base + low, base + high))
        elif kind == 5:
            base = int.from_bytes(data[at:at + 8], 'little')
            at += 8
        elif kind == 6:
            ranges.append((int.from_bytes(data[at:at + 8], 'little'), int.from_bytes(data[at + 8:at + 16], 'little')))
            at += 16
        elif kind == 7:
            low = int.from_bytes(data[at:at + 8], 'little')
            size, at = uleb(data, at + 8)
            ranges.append((low, low + size))
        else:
            raise ValueError('a range by index')


def number(text):
    if text is None:
        return None
    text = re.sub(r'\(index: [^)]*\):?', '', text).strip()
    found = re.match(r'<?(0x[0-9a-f]+|\d+)', text)
    return int(found[1], 0) if found else None


def read_jumps(program):
    """The direct jumps, from where and where to, and what stands behind those that never go on."""
    jumps, ends, behind = [], set(), False
    command = ['objdump', '-d', '--no-show-raw-insn', program]
    for text in subprocess.run(command, stdout=subprocess.PIPE, text=True, errors='replace', check=True).stdout.splitlines():
        found = re.match(r'\s+([0-9a-f]+):\s+(\S+)(?:\s+([0-9a-f]+) <)?', text)
        if not found:
            continue
        if behind:
            ends.add(int(found[1], 16))
        behind = found[2] in ('jmp', 'ret', 'ud2', 'hlt')
        if found[2].startswith('j') and found[3]:
            jumps.append((int(found[1], 16), int(found[3], 16)))
    return jumps, sorted(ends)


class Call:
    """A function (the outermost) or a call that was inlined into it."""

    def __init__(self, entry, around, depth):
        self.entry_of, self.around, self.depth = entry, around, depth
        self.ranges, self.entry, self.view = [], None, None
        self.call_file, self.call_line = '', 0
        self.file, self.line, self.name = '', 0, ''
        self.inner = []

    def holds(self, address):
        return any(low <= address < high for low, high in self.ranges)

    def ends_at(self, address):
        return any(high == address and low < high for low, high in self.ranges)

    def is_within(self, other):
        at = self
        while at is not None:
            if at is other:
                return True
            at = at.around
        return False


class Program:
    def __init__(self, program):
        self.entries, self.roots = read_entries(program)
        self.lists, self.based = read_ranges(program)
        self.jumps, self.ends = read_jumps(program)
        self.range_bytes = section_bytes(program, '.debug_rnglists')
        folders = {}
        for root in self.roots:
            offset = number(root.attributes.get('DW_AT_stmt_list'))
            if offset is not None:
                folders[offset] = (self.text(root, 'DW_AT_comp_dir'), self.text(root, 'DW_AT_name'))
        self.units = read_lines(program, folders)
        for root in self.roots:
            unit = self.units.get(number(root.attributes.get('DW_AT_stmt_list')))
            if unit:
                unit.producer = self.text(root, 'DW_AT_producer')
        self.inlined, self.unclaimed, self.first_calls = {}, {}, {}
        self.functions = [f for f in (self.function(e) for e in self.entries.values() if e.tag == 'DW_TAG_subprogram') if f]

    def text(self, entry, name):
        return entry.attributes.get(name, '').split('): ')[-1].strip()

    def lines_of(self, entry):
        return self.units.get(number(entry.unit.attributes.get('DW_AT_stmt_list')))

    def ranges_of(self, entry):
        low, high = number(entry.attributes.get('DW_AT_low_pc')), number(entry.attributes.get('DW_AT_high_pc'))
        if 'DW_AT_ranges' in entry.attributes:
            at = number(entry.attributes['DW_AT_ranges'])
            if at not in self.lists and self.range_bytes:
                self.lists[at] = range_list(self.range_bytes, at)
            # The dumper leaves what is relative to the unit's begin as it is.
            base = 0 if at in self.based else number(entry.unit.attributes.get('DW_AT_low_pc')) or 0
            return [(base + a, base + b) for a, b in self.lists.get(at, [])]
        if low is not None and high is not None:
            return [(low, high if high > low else low + high)]
        return []

    def behind(self, entry):
        """The entry and what it stands for."""
        for _ in range(6):
            yield entry
            for name in ('DW_AT_abstract_origin', 'DW_AT_specification'):
                if name in entry.attributes:
                    entry = self.entries.get(number(entry.attributes[name]))
                    break
            else:
                return
            if entry is None:
                return

    def declare(self, call, entry):
        for each in self.behind(entry):
            if not call.name and 'DW_AT_name' in each.attributes:
                call.name = self.text(each, 'DW_AT_name')
            if not call.line and 'DW_AT_decl_line' in each.attributes:
                call.line = number(each.attributes['DW_AT_decl_line'])
                lines = self.lines_of(each)
                if lines and 'DW_AT_decl_file' in each.attributes:
                    call.file = lines.path(number(each.attributes['DW_AT_decl_file']))

    def function(self, entry):
        ranges = [r for r in self.ranges_of(entry) if r[0] and r[0] < r[1]]
        if not ranges:
            return None
        call = Call(entry, None, 0)
        call.ranges = ranges
        call.entry = ranges[0][0]
        self.declare(call, entry)
        return call

    def unrecorded(self, function, around, file, line):
        """A call that no entry tells of: the inlined function of the unit whose source begins nearest above the line."""
        unit = function.entry_of.unit
        if unit not in self.inlined:
            self.inlined[unit] = []
            for entry in self.entries.values():
                if entry.unit is unit and entry.tag == 'DW_TAG_subprogram' and 'DW_AT_inline' in entry.attributes:
                    call = Call(entry, None, 0)
                    self.declare(call, entry)
                    self.inlined[unit].append(call)
        above = [c for c in self.inlined[unit] if c.line and c.file == file and c.line <= line]
        if not above:
            return around
        whose = max(above, key=lambda c: c.line)
        names = [self.text(e.parent, 'DW_AT_name') for e in self.behind(around.entry_of) if e.parent is not None]
        if around.name and around.name in [n.split('<')[0] for n in names]:
            return around  # a constructor
        key = (id(function), id(around), whose.entry_of.offset)
        if key not in self.unclaimed:
            call = Call(whose.entry_of, around, around.depth + 1)
            call.name, call.file, call.line = whose.name, whose.file, whose.line
            self.unclaimed[key] = call
        return self.unclaimed[key]

    def expand(self, function):
        """Adds the inlined calls of a function; all of them, outermost first."""
        all_calls = []

        def walk(entry, around):
            for child in entry.children:
                if child.tag == 'DW_TAG_inlined_subroutine':
                    call = Call(child, around, around.depth + 1)
                    call.ranges = [r for r in self.ranges_of(child) if r[0] < r[1]]
                    call.entry = number(child.attributes.get('DW_AT_entry_pc'))
                    low = number(child.attributes.get('DW_AT_low_pc'))
                    if call.entry is not None and low is not None and call.entry < low:
                        call.entry += low
                    if call.entry is None:
                        call.entry = low if low is not None else min((r[0] for r in call.ranges), default=None)
                    call.view = number(child.attributes.get('DW_AT_GNU_entry_view'))
                    call.call_line = number(child.attributes.get('DW_AT_call_line')) or 0
                    lines = self.lines_of(child)
                    if lines and 'DW_AT_call_file' in child.attributes:
                        call.call_file = lines.path(number(child.attributes['DW_AT_call_file']))
                    self.declare(call, child)
                    around.inner.append(call)
                    all_calls.append(call)
                    walk(child, call)
                elif child.tag in ('DW_TAG_lexical_block', 'DW_TAG_try_block'):
                    walk(child, around)

        function.inner = []
        walk(function.entry_of, function)
        return all_calls


class Position:
    """A row, the file it names, and the inlined call it stands in."""
    __slots__ = ('address', 'file', 'line', 'statement', 'call')

    def __init__(self, address, file, line, statement, call):
        self.address, self.file, self.line, self.statement, self.call = address, file, line, statement, call


def positions_of(program, function):
    """By address, in order: the rows of a function with the calls they stand in, by the rules of docs/design/positions.md."""
    calls = program.expand(function)
    lines = program.lines_of(function.entry_of)
    numbered = any(c.view is not None for c in calls)
    by_address = defaultdict(list)
    for row in lines.rows:
        if function.holds(row.address):
            by_address[row.address].append(row)
    result = {}
    for address, rows in by_address.items():
        found = []
        if address == function.entry:  # what was left of the function before it stands in front
            rows = rows[max(i for i, row in enumerate(rows) if row.view == 0):]
        for row in rows:
            file = lines.path(row.file) if row.line else ''

            def later(call):
                while call is not function:
                    if call.entry == address and call.view is not None and row.view < call.view:
                        return True
                    call = call.around
                return False

            candidates = [c for c in calls if c.holds(address) and not later(c)]
            usual = max(candidates, key=lambda c: c.depth, default=function)
            sure = False
            for point in (c for c in calls if c.entry == address and not c.holds(address) and not later(c)):
                candidates.append(point)
                if point.view == row.view and point.depth > usual.depth:
                    usual, sure = point, True
            sure = sure or (usual is not function and usual.entry == address and usual.view == row.view)
            if not (sure or not row.line or (not numbered and len(rows) == 1)):
                candidates += [c for c in calls if c.ends_at(address) and not c.holds(address)]

                def fit(c):
                    return c.line if c.line and c.file == file and c.line <= row.line else 0

                best = max([function] + candidates, key=fit)
                if fit(best) > fit(usual):
                    usual = best
                if not fit(usual) and usual.line and usual.file:
                    usual = program.unrecorded(function, usual, file, row.line)
            found.append(Position(address, file, row.line, row.statement and row.line > 0, usual))
        if not numbered:
            for call in sorted((c for c in calls if c.holds(address) and c.entry == address and c.call_line), key=lambda c: c.depth):
                before = next((i for i, p in enumerate(found) if p.call.is_within(call)), len(found))
                if not any(p.call is call.around and p.file == call.call_file and p.line == call.call_line for p in found[:before]):
                    found.insert(before, Position(address, call.call_file, call.call_line, True, call.around))
        result[address] = found
    mark_joined(program, function, result)
    return result


def joined_rows(program, unit):
    """Those of a unit that jumps join, by their lines alone: see mark_joined."""
    if unit.producer.startswith('GNU '):
        return
    last, marked = {}, set()
    for row in unit.rows:
        last[row.address] = row
        if row.statement:
            marked.add(row.address)
    addresses = sorted(last)
    for source, target in program.jumps:
        row, at = last.get(target), bisect.bisect_right(addresses, source) - 1
        if row is None or target in marked or not row.line or at < 0:
            continue
        before = last[addresses[at]]
        if before.line and (before.file, before.line) != (row.file, row.line):
            yield row


def mark_joined(program, function, positions):
    """clang and rustc mark no statement where the row before, by address, is of the same line. Where a jump comes to such a row from
    another line, one begins all the same."""
    if program.text(function.entry_of.unit, 'DW_AT_producer').startswith('GNU '):
        return
    addresses = sorted(positions)

    def last_before(source, call):
        at = bisect.bisect_right(addresses, source) - 1
        while at >= 0 and not positions[addresses[at]][-1].line:
            # What stands behind an instruction that goes elsewhere has not been come to from there.
            if bisect.bisect_right(program.ends, addresses[at]) > bisect.bisect_right(program.ends, addresses[at - 1]):
                return None
            at -= 1
        if at < 0:
            return None
        position = positions[addresses[at]][-1]
        if position.call is call or not position.call.is_within(call):
            return position.file, position.line
        inner = position.call
        while inner.around is not call:
            inner = inner.around
        return inner.call_file, inner.call_line

    joined = []
    for source, target in program.jumps:
        found = positions.get(target) if function.holds(source) else None
        if not found or any(p.statement for p in found) or not found[-1].line:
            continue
        before = last_before(source, found[-1].call)
        if before and before != (found[-1].file, found[-1].line):
            joined.append(found[-1])
    for position in joined:
        position.statement = True
