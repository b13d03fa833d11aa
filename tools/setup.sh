#!/usr/bin/env bash
# Makes .venv from a lock file and sees to the system libraries that a window needs.
# Usage: tools/setup.sh [app|dev]   (from anywhere; safe to run again, does nothing when all is current)
#   app  what `make demo` needs: no compiler, no development packages
#   dev  what `make test` needs besides: a virtual display and the test tools
set -euo pipefail
cd "$(dirname "$0")/.."
for_what=${1:-dev}

# Names of system packages differ between distributions and their releases, so libraries are asked for by loading
# them, and only what does not load is looked up here: file, then apt (a|b: whichever exists), dnf, pacman, zypper.
NAMES='
libglib-2.0.so.0          libglib2.0-0t64|libglib2.0-0  glib2                glib2               libglib-2_0-0
libgthread-2.0.so.0       libglib2.0-0t64|libglib2.0-0  glib2                glib2               libgthread-2_0-0
libGL.so.1                libgl1                        libglvnd-glx         libglvnd            libGL1
libEGL.so.1               libegl1                       libglvnd-egl         libglvnd            libEGL1
libfreetype.so.6          libfreetype6                  freetype             freetype2           libfreetype6
libfontconfig.so.1        libfontconfig1                fontconfig           fontconfig          libfontconfig1
libxkbcommon.so.0         libxkbcommon0                 libxkbcommon         libxkbcommon        libxkbcommon0
libdbus-1.so.3            libdbus-1-3                   dbus-libs            dbus                libdbus-1-3
libxcb-cursor.so.0        libxcb-cursor0                xcb-util-cursor      xcb-util-cursor     libxcb-cursor0
libxcb-util.so.1          libxcb-util1                  xcb-util             xcb-util            libxcb-util1
libxcb-icccm.so.4         libxcb-icccm4                 xcb-util-wm          xcb-util-wm         libxcb-icccm4
libxcb-keysyms.so.1       libxcb-keysyms1               xcb-util-keysyms     xcb-util-keysyms    libxcb-keysyms1
libxcb-image.so.0         libxcb-image0                 xcb-util-image       xcb-util-image      libxcb-image0
libxcb-render-util.so.0   libxcb-render-util0           xcb-util-renderutil  xcb-util-renderutil libxcb-render-util0
libxkbcommon-x11.so.0     libxkbcommon-x11-0            libxkbcommon-x11     libxkbcommon-x11    libxkbcommon-x11-0
libxcb-shape.so.0         libxcb-shape0                 libxcb               libxcb              libxcb-shape0
libxcb-xinerama.so.0      libxcb-xinerama0              libxcb               libxcb              libxcb-xinerama0
libxcb-randr.so.0         libxcb-randr0                 libxcb               libxcb              libxcb-randr0
libxcb-render.so.0        libxcb-render0                libxcb               libxcb              libxcb-render0
libxcb-shm.so.0           libxcb-shm0                   libxcb               libxcb              libxcb-shm0
libxcb-sync.so.1          libxcb-sync1                  libxcb               libxcb              libxcb-sync1
libxcb-xfixes.so.0        libxcb-xfixes0                libxcb               libxcb              libxcb-xfixes0
libxcb-xkb.so.1           libxcb-xkb1                   libxcb               libxcb              libxcb-xkb1
libxcb.so.1               libxcb1                       libxcb               libxcb              libxcb1
libX11-xcb.so.1           libx11-xcb1                   libX11-xcb           libx11              libX11-xcb1
libX11.so.6               libx11-6                      libX11               libx11              libX11-6
Xvfb                      xvfb                          xorg-x11-server-Xvfb xorg-server-xvfb    xorg-x11-server-Xvfb
xvfb-run                  xvfb                          xorg-x11-server-Xvfb xorg-server-xvfb    xorg-x11-server-Xvfb
xauth                     xauth                         xorg-x11-xauth       xorg-xauth          xauth
xdotool                   xdotool                       xdotool              xdotool             xdotool
venv                      python3-venv                  python3              python              python3
'

manager=""
for name in apt-get dnf pacman zypper; do
    if command -v "$name" >/dev/null; then manager=$name; break; fi
done

packages_of() {  # the packages, in this distribution's words, that bring the files named
    for file in "$@"; do
        line=$(printf '%s' "$NAMES" | awk -v file="$file" '$1 == file')
        # A library of no name here usually comes with one that has: it is looked for again afterwards.
        [ -n "$line" ] || continue
        case $manager in
            dnf) echo "$line" | awk '{print $3}' ;;
            pacman) echo "$line" | awk '{print $4}' ;;
            zypper) echo "$line" | awk '{print $5}' ;;
            *)
                found=""
                for candidate in $(echo "$line" | awk '{print $2}' | tr '|' ' '); do
                    if apt-cache show "$candidate" >/dev/null 2>&1; then found=$candidate; break; fi
                done
                echo "${found:-$(echo "$line" | awk '{print $2}' | sed 's/.*|//')}" ;;
        esac
    done | sort -u | tr '\n' ' '
}

bring() {  # install what brings the files named, or say how
    [ $# -gt 0 ] || return 0
    if [ "$manager" = apt-get ] && [ "$(id -u)" = 0 ]; then
        apt-get update -qq
        packages=$(packages_of "$@")
        echo "Installing system packages: $packages"
        # shellcheck disable=SC2086
        DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $packages >/dev/null
        return 0
    fi
    packages=$(packages_of "$@")
    echo "Not found on this system: $*. Run this, then start again:" >&2
    case $manager in
        apt-get) echo "  sudo apt-get install -y --no-install-recommends $packages" >&2 ;;
        dnf) echo "  sudo dnf install -y $packages" >&2 ;;
        pacman) echo "  sudo pacman -S --needed $packages" >&2 ;;
        zypper) echo "  sudo zypper install -y $packages" >&2 ;;
        *) echo "  install, by the means of your distribution, what brings: $*" >&2 ;;
    esac
    exit 1
}

PYTHON=""
for name in python3.11 python3.12 python3.13 python3.14 python3; do
    if command -v "$name" >/dev/null && "$name" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
        PYTHON=$name
        break
    fi
done
if [ -z "$PYTHON" ]; then
    echo "Verispect needs Python 3.11 or newer; on Debian 12 and later: apt-get install python3 python3-venv" >&2
    exit 1
fi
if [ ! -x .venv/bin/python ]; then
    "$PYTHON" -c 'import venv, ensurepip' 2>/dev/null || bring venv
fi

stamp=.venv/.lock-stamp
sum_of() { cat "requirements/$1.lock" pyproject.toml | sha256sum | cut -d' ' -f1; }
is_current() { grep -qs "^$1 $(sum_of "$1")\$" "$stamp"; }
# What is enough for the tests is enough for the window.
if ! { [ -x .venv/bin/python ] && { is_current "$for_what" || is_current dev; }; }; then
    echo "Setting up .venv (once; a few minutes on a slow line)"
    [ -x .venv/bin/python ] || "$PYTHON" -m venv .venv
    pip="-m pip install -q --disable-pip-version-check"
    # Wheels alone: nothing is compiled here.
    # prysm, a test dependency in plain Python, comes as source only.
    .venv/bin/python $pip --only-binary :all: --no-binary prysm --require-hashes -r "requirements/$for_what.lock"
    .venv/bin/python $pip --only-binary :all: "setuptools>=77,<80"
    .venv/bin/python $pip --no-deps --no-build-isolation -e .
    echo "$for_what $(sum_of "$for_what")" > "$stamp"
fi

# Where Python is told to keep no compiled modules of its own, each start would compile ours anew.
.venv/bin/python -m compileall -q src || true

# Which libraries do not load, by the loader's own account.
unloadable() {
    qt=$(.venv/bin/python -c 'import importlib.util as u, pathlib; print(pathlib.Path(u.find_spec("PyQt6").origin).parent)')
    for file in "$qt"/QtWidgets*.so "$qt"/QtGui*.so "$qt"/Qt6/lib/libQt6XcbQpa.so.6 "$qt"/Qt6/plugins/platforms/libqxcb.so; do
        ldd "$file" 2>/dev/null | awk '/not found/ {print $1}'
    done | sort -u
}
missing=$(unloadable)
has_display=${DISPLAY:-}${WAYLAND_DISPLAY:-}${QT_QPA_PLATFORM:-}
if [ "$for_what" = dev ] || [ -z "$has_display" ]; then
    command -v Xvfb >/dev/null || missing="$missing Xvfb"
    command -v xvfb-run >/dev/null || missing="$missing xvfb-run"
    command -v xauth >/dev/null || missing="$missing xauth"
fi
if [ "$for_what" = dev ]; then
    command -v xdotool >/dev/null || missing="$missing xdotool"
fi
# shellcheck disable=SC2086
bring $missing
left=$(unloadable)
if [ -n "$left" ]; then
    echo "These libraries are still not found: $left. Install, by the means of your distribution, what brings them." >&2
    exit 1
fi
