#!/usr/bin/env bash
# Builds the wheel into build/dist. With "test": installs it in a clean environment and starts the demo from there.
set -euo pipefail
cd "$(dirname "$0")/.."
python=.venv/bin/python
rm -rf build/dist && mkdir -p build/dist
"$python" -m pip wheel --quiet --disable-pip-version-check --no-deps -w build/dist .
ls build/dist/*.whl
[ "${1:-}" = test ] || exit 0
clean=$(mktemp -d)
trap 'rm -rf "$clean"' EXIT
"$python" -m venv "$clean/venv"
"$clean/venv/bin/python" -m pip install --quiet --disable-pip-version-check -c constraints.txt build/dist/*.whl
cd "$clean"  # nothing of the source tree is in reach
bash "$OLDPWD/scripts/demo_starts.sh" "$clean/venv/bin/ribalta" "$clean"
