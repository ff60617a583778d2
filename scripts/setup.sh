#!/usr/bin/env bash
# Prepares a fresh machine: virtual environment, packages at the versions of constraints.txt, system libraries Qt needs.
set -euo pipefail
venv=${1:-.venv}
here=$(cd "$(dirname "$0")/.." && pwd)
cd "$here"

# The libraries Qt's window and offscreen platforms load; names as in Debian and its relatives.
libraries="libgl1 libegl1 libdbus-1-3 libfontconfig1 libxkbcommon-x11-0 libglib2.0-0 libxcb-cursor0 libxcb-icccm4 \
libxcb-image0 libxcb-keysyms1 libxcb-randr0 libxcb-render-util0 libxcb-shape0 libxcb-xinerama0 libxcb-xkb1"

install_system() {  # install_system WHY PACKAGE...
    local why=$1; shift
    if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null; then
        echo "Installing system packages ($why): $*"
        apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq "$@" >/dev/null
    else
        echo "$why. Please run this once, then try again:" >&2
        echo "    sudo apt-get update && sudo apt-get install -y $*" >&2
        exit 1
    fi
}

python=
for candidate in python3 python3.14 python3.13 python3.12 python3.11; do
    # A name may be on the path and still not run, so each is asked for its version.
    if "$candidate" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
        python=$candidate
        break
    fi
done
if [ -z "$python" ]; then
    echo "Inertian needs Python 3.11 or newer; $(python3 --version 2>/dev/null || echo 'no Python') was found." >&2
    exit 1
fi
"$python" -c 'import ensurepip, venv' 2>/dev/null || install_system "Python's venv module is missing" python3-venv

[ -x "$venv/bin/python" ] || "$python" -m venv "$venv"
echo "Installing Python packages into $venv (once)"
"$venv/bin/python" -m pip install --quiet --disable-pip-version-check -c constraints.txt -e '.[dev]'
bash scripts/reference_data.sh "$venv"

qt=$("$venv/bin/python" -c 'import PyQt6, pathlib; print(pathlib.Path(PyQt6.__file__).parent / "Qt6")')
missing() {
    QT_QPA_PLATFORM=offscreen "$venv/bin/python" -c 'from PyQt6 import QtWidgets' 2>/dev/null || echo QtWidgets
    ldd "$qt"/plugins/platforms/libqxcb.so "$qt"/plugins/platforms/libqoffscreen.so 2>/dev/null | grep 'not found' || true
}
if [ -n "$(missing)" ]; then
    # shellcheck disable=SC2086
    install_system "Qt misses system libraries" $libraries
    [ -z "$(missing)" ] || { echo "Qt still misses:" >&2; missing >&2; exit 1; }
fi
