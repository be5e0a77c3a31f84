#!/usr/bin/env bash
# The code is laid out as .clang-format says: at most 100 columns. Other versions of the formatter do it in another way.
set -euo pipefail
cd "$1"
if ! clang-format --version 2>/dev/null | grep -q 'version 14\.'; then
    echo "clang-format 14 is not here: the test of the layout is SKIPPED"; exit 77
fi
mapfile -t files < <(find core cli heap tests bench fuzz \( -name '*.cpp' -o -name '*.h' \) -not -path 'tests/programs/*' -not -name ledger.cpp)
clang-format --dry-run -Werror "${files[@]}" 2>&1 | head -40
