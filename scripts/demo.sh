#!/usr/bin/env bash
# Starts Juxtatune on a fresh copy of the demo book.
set -euo pipefail
cd "$(dirname "$0")/.."
exec bash scripts/on-display.sh .venv/bin/juxtatune --demo
