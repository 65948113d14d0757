#!/usr/bin/env bash
# The whole test suite; Qt runs without a screen.
set -euo pipefail
cd "$(dirname "$0")/.."
export QT_QPA_PLATFORM=offscreen
export OPENBLAS_NUM_THREADS=1  # small matrices: a second thread only gets in the way
# three for two cores: some tests wait for a sound card, and go first
exec .venv/bin/python -m pytest -n 3 --dist loadfile --no-loadscope-reorder
