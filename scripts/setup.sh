#!/usr/bin/env bash
# Makes .venv and checks the system libraries that Qt and sound need. Safe to run again; quick the second time.
# `setup.sh tests`: with what only the tests need, a browser and a broker.
set -euo pipefail
cd "$(dirname "$0")/.."

libraries=(libEGL.so.1 libGL.so.1 libglib-2.0.so.0 libxkbcommon.so.0 libdbus-1.so.3 libfontconfig.so.1
  libxkbcommon-x11.so.0 libxcb-cursor.so.0 libxcb-shape.so.0 libxcb-icccm.so.4 libxcb-keysyms.so.1 libportaudio.so.2)
packages=(libegl1 libgl1 libglib2.0-0 libxkbcommon0 libdbus-1-3 libfontconfig1
  libxkbcommon-x11-0 libxcb-cursor0 libxcb-shape0 libxcb-icccm4 libxcb-keysyms1 libportaudio2)

missing=()
known=$(PATH="$PATH:/sbin:/usr/sbin" ldconfig -p)
for i in "${!libraries[@]}"; do
  grep -qF "${libraries[$i]}" <<<"$known" || missing+=("${packages[$i]}")
done
command -v Xvfb >/dev/null || missing+=(xvfb)
if [ "${1:-}" = tests ]; then
  command -v chromium >/dev/null || missing+=(chromium)
  command -v chromedriver >/dev/null || missing+=(chromium-driver)
  PATH="$PATH:/usr/sbin" command -v mosquitto >/dev/null || missing+=(mosquitto)
fi
system=
if [ ${#missing[@]} -gt 0 ]; then
  if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null; then
    echo "Installing what is needed of the system: ${missing[*]}"
    { apt-get update -qq && DEBIAN_FRONTEND=noninteractive RUNLEVEL=1 \
      apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null; } &
    system=$!  # beside .venv: the one waits for the network where the other unpacks
    trap wait EXIT
  else
    echo "Ribalta needs system packages that are missing here. Run this, then try again:" >&2
    echo "  sudo apt-get install ${missing[*]}" >&2
    exit 1
  fi
fi

python=${PYTHON:-}
# The newest that runs, the system's own before others: Debian's is a fifth faster than a plain build.
for one in /usr/bin/python3.1{3,2,1} python3.1{3,2,1}; do
  [ -n "$python" ] || ! "$one" -c 'import venv, ensurepip' 2>/dev/null || python=$one
done
[ -n "$python" ] || { echo "Ribalta needs Python 3.11, 3.12 or 3.13, and none is here: sudo apt-get install python3 python3-venv" >&2; exit 1; }
stamp=.venv/ribalta-$({ "$python" -VV; cat pyproject.toml constraints.txt; } | sha256sum | cut -c1-16)
if [ ! -e "$stamp" ]; then
  echo "Making .venv (half a minute to two, once)"
  "$python" -m venv --clear .venv
  pip=(.venv/bin/python -m pip --disable-pip-version-check)
  "${pip[@]}" install --quiet -c constraints.txt uv  # installs in a quarter of pip's time
  index=${PIP_INDEX_URL:-$("${pip[@]}" config get global.index-url 2>/dev/null || true)}  # uv does not read pip's
  [ -z "$index" ] || export UV_DEFAULT_INDEX=$index
  VIRTUAL_ENV=$PWD/.venv .venv/bin/uv pip install --quiet --system-certs --compile-bytecode --link-mode copy \
    -c constraints.txt -e '.[dev]'
  rm -f .venv/ribalta-*
  touch "$stamp"
fi
.venv/bin/python -m compileall -q src  # so that the first start is as quick as the next
[ -z "$system" ] || wait "$system" || { echo "What Ribalta needs of the system could not be installed: ${missing[*]}" >&2; exit 1; }
