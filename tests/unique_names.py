#!/usr/bin/env python3
"""Names without linkage differ within a folder: its files may be compiled together (LANTERN_TOGETHER),
and which of them share a unit changes with every new file. Usage: unique_names.py SOURCE_FOLDER"""
import collections
import glob
import os
import re
import sys

CONSTANT = re.compile(r"^(?:static )?constexpr ([^;]*?)=", re.M)
TYPE = re.compile(r"^(?:class|struct) (\w+) (?:final )?(?:: public \w+ )?\{", re.M)


def names_in(text):
    for found in CONSTANT.finditer(text):
        whole = text[found.start() : text.find(";", found.start())]
        yield from re.findall(r"\b(k[A-Z]\w*)(?:\[[^\]]*\])? ?=", whole)
    yield from (found[1] for found in TYPE.finditer(text))


root = sys.argv[1]
folders = glob.glob(root + "/core/*/") + [root + "/cli/"]
twice = 0
for folder in sorted(folders):
    where = collections.defaultdict(set)
    for file in glob.glob(folder + "**/*.cpp", recursive=True):
        with open(file, encoding="utf-8") as source:
            for name in names_in(source.read()):
                where[name].add(os.path.relpath(file, root))
    for name, files in sorted(where.items()):
        if len(files) > 1:
            print(f"{name} is defined in {' and in '.join(sorted(files))}")
            twice += 1
sys.exit(1 if twice else 0)
