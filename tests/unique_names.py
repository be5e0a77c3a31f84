#!/usr/bin/env python3
"""The files of several folders may be compiled together (LANTERN_TOGETHER), as one. So names of types and
constants without linkage differ among them, from those in the headers too, and helpers of one name
must not take what another's arguments can be converted to: a call would go to the wrong one without
a word. Usage: unique_names.py SOURCE_FOLDER"""
import collections
import glob
import itertools
import os
import re
import sys

CONSTANT = re.compile(r"^(?:static )?constexpr ([^;]*?)=", re.M)
TYPE = re.compile(r"^(?:class|struct|enum|enum class) (\w+) (?:final )?(?:: (?:public )?[\w:]+ )?\{", re.M)
UNNAMED = re.compile(r"^namespace \{$(.*?)^\}  // namespace$", re.M | re.S)
ALIAS = re.compile(r"^using (\w+) = ([^;]*);|^using ([\w:]+::(\w+));", re.M)
ENUMERATOR = re.compile(r"^    (k[A-Z]\w*)(?: = [^,;]*)?,", re.M)
NAMESPACE = re.compile(r"^namespace ([\w:]+) \{", re.M)
HELPER = re.compile(r"^(?!return|struct|class|using|template|namespace|enum)[\w:][\w:<>,&* ]*?[&* ](\w+)\(([^;{}]*?)\) \{", re.M | re.S)
OWN_TYPE = re.compile(r"^(?:\w+::)*[A-Z]\w*(?:::\w+)*\*?$")
SYSTEM = ("close", "fork", "kill", "open", "pipe", "poll", "read", "send", "wait", "write")
REPORTS = ("core/analysis", "core/comparison")
HOLDER = re.compile(r"^std::(?:vector|span|map|set|list|function|optional|unique_ptr|shared_ptr)<")


def constants_and_types(text):
    for found in CONSTANT.finditer(text):
        whole = text[found.start() : text.find(";", found.start())]
        yield from re.findall(r"\b(k[A-Z]\w*)(?:\[[^\]]*\])? ?=", whole)
    yield from ENUMERATOR.findall(text)
    yield from (found[1] for found in TYPE.finditer(text))


# An inner namespace's name hides an outer one's, and is no other meaning of it; but everybody uses
# all of lantern::dwarf here and there.
def aliases(text):
    namespace = NAMESPACE.search(text)
    inside = namespace[1].removesuffix("::dwarf") if namespace else ""
    for found in ALIAS.finditer(text):
        yield (inside, found[1] or found[4]), found[2] or found[3]


def parameters(text):
    parts, depth = [""], 0
    for letter in text:
        depth += (letter in "<([{") - (letter in ">)]}")
        if letter == "," and depth == 0:
            parts.append("")
        else:
            parts[-1] += letter
    return [part for part in parts if part.strip()]


def type_of(parameter):
    text = re.sub(r"\bconst\b|&", "", re.sub(r"\s+", " ", parameter.split("=")[0]))
    named = re.match(r"(.*[ *>])\w+$", text.strip())
    return (named[1] if named else text).strip()


def helpers_in(text):
    for unnamed in UNNAMED.finditer(text):
        for found in HELPER.finditer(unnamed[1]):
            if found[1] == "main":  # of a program that a test writes
                continue
            taken = parameters(found[2])
            yield found[1], [type_of(one) for one in taken], sum("=" in one for one in taken)


def may_convert(one, other, in_braces):
    if one == other or in_braces:
        return True
    # Classes of ours are not made of other things without being asked, and neither are holders.
    return not any(kind.match(each) for kind in (OWN_TYPE, HOLDER) for each in (one, other))


def may_be_taken_for(one, other):
    return (
        len(one[1]) - one[2] <= len(other[1])
        and len(other[1]) - other[2] <= len(one[1])
        and all(may_convert(*pair, one[3] or other[3]) for pair in zip(one[1], other[1]))
    )


def contents(folders, kind):
    for folder in folders:
        for file in glob.glob(f"{root}/{folder}/**/*.{kind}", recursive=True):
            with open(file, encoding="utf-8") as source:
                yield os.path.relpath(file, root), source.read()


root = sys.argv[1]
core = sorted(os.path.relpath(folder, root) for folder in glob.glob(root + "/core/*/"))
engine = [folder for folder in core if folder not in REPORTS]
twice = 0
# What is compiled together, and whose headers it sees.
together = [(engine, engine), (REPORTS, core)]
together += [((folder,), ()) for folder in ("cli", "bench", "tests/unit", "tests/command_line")]
for folders, seen in together:
    where, helpers = collections.defaultdict(set), collections.defaultdict(list)
    meant = collections.defaultdict(lambda: collections.defaultdict(set))
    for name_of_file, text in contents(folders, "cpp"):
        for name in constants_and_types(text):
            where[name].add(name_of_file)
        for name, thing in aliases(text):
            meant[name][thing].add(name_of_file)
        for name, taken, with_default in helpers_in(text):
            if name in SYSTEM and re.search(r"^namespace lantern \{", text, re.M):
                print(f"{name} of {name_of_file} hides the system's from all that is compiled with it")
                twice += 1
            # What stands in braces is made into whatever is asked for, a null pointer too.
            in_braces = re.search(rf"\b{name}\([^()]*\{{", text) is not None
            helpers[name].append((name_of_file, taken, with_default, in_braces))
    for name_of_file, text in contents(seen, "h"):
        if re.search(r"^namespace lantern \{", text, re.M):
            for name in constants_and_types(text):
                if name in where:
                    where[name].add(name_of_file)
    for name, files in sorted(where.items()):
        if len(files) > 1:
            print(f"{name} is defined in {' and in '.join(sorted(files))}")
            twice += 1
    for (namespace, name), things in sorted(meant.items()):
        defined = where.get(name, ()) if namespace == "lantern" else ()
        files = set().union(*things.values(), defined)
        if len(things) > 1 or defined:
            print(f"{name} means different things in {' and in '.join(sorted(files))}")
            twice += 1
    for name, all_of_name in sorted(helpers.items()):
        for one, other in itertools.combinations(all_of_name, 2):
            if one[0] != other[0] and may_be_taken_for(one, other):
                print(f"{name} of {one[0]} could be called for that of {other[0]}: give one another name")
                twice += 1
sys.exit(1 if twice else 0)
