#!/usr/bin/env bash
# Holds the layering: a core folder includes itself and what lies below it, core never includes cli.
set -euo pipefail
cd "$1"
order="support object dwarf machine runtime symbols target code unwind values heap expressions session analysis comparison"
check() {
    awk -v order="$order" '
        BEGIN { n = split(order, o, " "); for (i = 1; i <= n; i++) rank[o[i]] = i }
        match($0, /^[ \t]*#[ \t]*include "(core|cli|tests|bench)\/[a-z_]*/) {
            split(FILENAME, f, "/"); line = $0; sub(/^[^"]*"/, "", line); split(line, t, "/")
            if (t[1] == "tests" || t[1] == "bench") { print FILENAME ": includes " line; bad = 1 }
            if (f[1] == "core" && t[1] == "cli") { print FILENAME ": includes " line; bad = 1 }
            if (f[1] == "core" && t[1] == "core") {
                if (!(t[2] in rank)) { print FILENAME ": includes the unknown folder " t[2]; bad = 1 }
                else if (rank[t[2]] > rank[f[2]]) { print FILENAME ": includes " line ", which lies above it"; bad = 1 }
            }
        }
        END { exit bad }' "$@"
}
check $(find core cli -name '*.h' -o -name '*.cpp')
# The check itself must be able to fail.
scratch=$(mktemp -d); trap 'rm -rf "$scratch"' EXIT
mkdir -p "$scratch/core/support"
printf '#include "core/session/session.h"\n' > "$scratch/core/support/wrong.h"
cd "$scratch"
if check core/support/wrong.h > /dev/null; then echo "the check does not find an include that goes up"; exit 1; fi
# Nothing in core prints, reads the environment or exits.
cd "$1"
if grep -nE '\b(getenv|std::cout|std::cerr|printf|puts|exit)\(' -r core --include='*.cpp' --include='*.h' | grep -vE 'fmt::|_exit\(|snprintf'; then
    echo "core must not print, read the environment or exit"; exit 1
fi
# A report is made of a moment, never of a whole session.
if grep -n 'session/\(session\|parts\|debuggee\|selection\)\.h"' -r core/analysis; then echo "a report that asks for a session: take a Moment"; exit 1; fi
# What the processor lays down stands in core/machine, what the C library does in core/runtime.
laid_down='"_dl_|thread_base \+ ([0-9]|k[A-Z])|rotr\(|opcode == 0x|first_byte|std::byte\{0x[0-9a-f]{2}\}, std::byte'
find_laid_down() { grep -nE "$laid_down" "$@" --include='*.cpp' --include='*.h' -r | grep -vE '(^|/)core/(machine|runtime)/'; }
if find_laid_down core; then echo "a layout or an opcode outside of core/machine and core/runtime"; exit 1; fi
mkdir -p "$scratch/core/session"
printf 'auto guard = read(registers.thread_base + 0x30);\n' > "$scratch/core/session/wrong.cpp"
find_laid_down "$scratch/core" > /dev/null || { echo "the check does not find a layout"; exit 1; }
# A refusal does not name commands of one front end: what to do next is a code (core/support/advice.h).
names_a_command() { grep -nE '(Error\(|^ +).*"[^"]*(lists (them|what)|starts it|runs it again|elm-lantern (debug|attach|postmortem))[^"]*"\)+;' "$@" --include='*.cpp' -r; }
if names_a_command core; then echo "a refusal in core that names a command: use a code of Next"; exit 1; fi
printf 'throw RequestError("there is no thread 5", "threads lists them");\n' > "$scratch/core/session/wrong.cpp"
names_a_command "$scratch/core" > /dev/null || { echo "the check does not find a command in a refusal"; exit 1; }
echo "the layering holds"
