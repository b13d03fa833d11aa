#!/usr/bin/env bash
# Opens the window on the demo plan; with no display, under a virtual one, and says so.
set -euo pipefail
cd "$(dirname "$0")/.."
if [ -n "${DISPLAY:-}" ] || [ -n "${WAYLAND_DISPLAY:-}" ] || [ -n "${QT_QPA_PLATFORM:-}" ]; then
    exec .venv/bin/verispect --demo "$@"
fi
echo "No display found: the window opens on a virtual one (Xvfb), where nobody sees it. Ctrl+C ends it."
exec xvfb-run -a -s "-screen 0 1280x800x24" .venv/bin/verispect --demo "$@"
