#!/usr/bin/env bash
# Runs a command on the display there is, or on a virtual one when there is none.
set -euo pipefail
if [ -z "${DISPLAY:-}" ] && [ -z "${WAYLAND_DISPLAY:-}" ]; then
  echo "No display here: running under Xvfb (a virtual screen)." >&2
  exec xvfb-run -a -s "-screen 0 1280x800x24" "$@"
fi
exec "$@"
