#!/usr/bin/env bash
# Makes .venv from the lock file, and sees to the system libraries a window needs.
# Usage: tools/setup.sh   (from anywhere; safe to run again, does nothing when all is current)
set -euo pipefail
cd "$(dirname "$0")/.."

SYSTEM="libglib2.0-0 libgl1 libegl1 libfontconfig1 libxkbcommon0 libdbus-1-3
 xvfb xauth xdotool libxcb-cursor0 libxcb-icccm4 libxcb-keysyms1 libxcb-image0 libxcb-render-util0
 libxkbcommon-x11-0 libxcb-shape0 libxcb-xinerama0 libxcb-randr0"

missing_system() {
    command -v dpkg-query >/dev/null || return 0
    for package in $SYSTEM "$@"; do
        state=$(dpkg-query -W -f='${Status}' "$package" 2>/dev/null || true)
        case "$state" in *"ok installed"*) ;; *) printf '%s ' "$package" ;; esac
    done
}

PYTHON=""
for name in python3.11 python3.12 python3.13 python3; do
    if command -v "$name" >/dev/null && "$name" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
        PYTHON=$name
        break
    fi
done
if [ -z "$PYTHON" ]; then
    echo "Verispect needs Python 3.11 or newer; on Debian 12: apt-get install python3.11 python3.11-venv" >&2
    exit 1
fi
extra=""
if ! "$PYTHON" -c 'import venv, ensurepip' 2>/dev/null; then extra="python3-venv"; fi

wanted=$(missing_system $extra)
if [ -n "$wanted" ]; then
    if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null; then
        echo "Installing system packages: $wanted"
        apt-get update -qq
        DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $wanted >/dev/null
    else
        echo "These system packages are missing. Run this, then start again:" >&2
        echo "  sudo apt-get install -y --no-install-recommends $wanted" >&2
        exit 1
    fi
fi

stamp=.venv/.lock-stamp
current=$(cat requirements/dev.lock pyproject.toml | sha256sum | cut -d' ' -f1)
if [ ! -x .venv/bin/python ] || [ "$(cat "$stamp" 2>/dev/null)" != "$current" ]; then
    echo "Setting up .venv (once; a few minutes on a slow line)"
    [ -x .venv/bin/python ] || "$PYTHON" -m venv .venv
    .venv/bin/python -m pip install -q --disable-pip-version-check --require-hashes -r requirements/dev.lock
    .venv/bin/python -m pip install -q --disable-pip-version-check --no-deps --no-build-isolation -e .
    echo "$current" > "$stamp"
fi
