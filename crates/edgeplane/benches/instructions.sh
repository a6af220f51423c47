#!/usr/bin/env bash
# Instructions per fight of every encounter of a ruleset: those of a long study less those of a short one, so that
# loading and printing do not count. Needs valgrind (`apt-get install valgrind`, or the package of that name).
#
#     crates/edgeplane/benches/instructions.sh [RULESET] [ENCOUNTER...]
#
# FIGHTS_SHORT and FIGHTS_LONG set the lengths of the two studies (20 and 120).
set -euo pipefail
cd "$(dirname "$0")/../../.."
command -v valgrind > /dev/null || { echo "valgrind is not installed: apt-get install valgrind" >&2; exit 2; }
cargo build --quiet --release --bin edgeplane
ruleset=${1:-demo/weir-nine}
shift || true
encounters=("$@")
if [ ${#encounters[@]} -eq 0 ]; then
  mapfile -t encounters < <(grep -rhoE '^\[encounter\.[a-z0-9_]+\]' "$ruleset" | sed -E 's/^\[encounter\.(.*)\]$/\1/')
fi
short=${FIGHTS_SHORT:-20} long=${FIGHTS_LONG:-120}

# How many instructions a study of so many fights takes.
count() {
  valgrind --tool=callgrind --callgrind-out-file=/dev/null \
    "${CARGO_TARGET_DIR:-target}/release/edgeplane" trials "$ruleset" "$1" -n "$2" --threads 1 --format json 2>&1 > /dev/null |
    sed -nE 's/.*Collected : ([0-9]+).*/\1/p'
}

printf '%-20s %20s\n' encounter 'instructions/fight'
for encounter in "${encounters[@]}"; do
  printf '%-20s %20s\n' "$encounter" $((($(count "$encounter" "$long") - $(count "$encounter" "$short")) / (long - short)))
done
