# Shared by the scripts beside it; meant to be sourced. Says what it does, installs what is missing, builds.
set -euo pipefail
root=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
build=${LANTERN_BUILD:-$root/build}
export LC_ALL=C.UTF-8

say() { printf '\n== %s\n' "$*"; }

# What a plain Debian 12 needs to build and run, and what the tests use besides.
build_packages=(ca-certificates g++ cmake ninja-build pkg-config libc6-dev libfmt-dev libspdlog-dev libcxxopts-dev nlohmann-json3-dev
    libelf-dev zlib1g-dev libdeflate-dev libzstd-dev liblzma-dev libmd-dev libiberty-dev libdebuginfod-dev libtomlplusplus-dev libyaml-cpp-dev libzydis-dev libedit-dev libcairo2-dev libgraphviz-dev fonts-dejavu-core)
test_packages=(gcc clang clang-format libc++-dev libc++abi-dev lld dwz debuginfod binutils libgtest-dev libbenchmark-dev python3 python3-jsonschema procps python3-dev chromium)

fuzz_packages=(clang libclang-rt-14-dev)

# Installs those of the named packages that are missing. Nothing to do takes no network and no time.
install_packages() {
    local missing=() package
    for package in "$@"; do
        dpkg-query -W -f '${Status}' "$package" 2>/dev/null | grep -q 'install ok installed' || missing+=("$package")
    done
    if [ ${#missing[@]} -eq 0 ]; then say "all ${#} packages are installed"; return; fi
    say "installing ${missing[*]}"
    local run=()
    if [ "$(id -u)" -ne 0 ]; then
        command -v sudo > /dev/null || { echo "these packages must be installed by root: ${missing[*]}" >&2; exit 1; }
        run=(sudo)
    fi
    "${run[@]}" apt-get update -qq
    "${run[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${missing[@]}"
}

# The published client of the Debug Adapter Protocol comes from npm; its test says so, loudly, where it could not be had.
install_node() {
    if command -v node > /dev/null && command -v npm > /dev/null; then return; fi
    (install_packages nodejs npm) || say "node and npm could not be installed: what needs them is skipped"
}

# build_lantern TESTS BENCH [CMAKE OPTION...], the first two ON or OFF
build_lantern() {
    local tests=$1 bench=$2
    shift 2
    say "building in $build"
    mkdir -p "$build"
    cmake -S "$root" -B "$build" -G Ninja -DCMAKE_BUILD_TYPE=Release -DLANTERN_WERROR=ON -DLANTERN_TOGETHER=ON -DLANTERN_TESTS="$tests" -DLANTERN_BENCH="$bench" "$@" > "$build/configure.log" 2>&1 ||
        { cat "$build/configure.log" >&2; exit 1; }
    grep -iE 'warning|SKIPPED' "$build/configure.log" || true
    # One large unit for each processor: more at once only take the caches from each other.
    cmake --build "$build" --parallel "$(nproc)"
}
