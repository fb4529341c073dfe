#!/usr/bin/env bash
# Builds a Debian package with a virtual environment of its own, made in a clean root, into build/dist; wants root, for
# debootstrap. With "test": installs it in another clean root and starts the demo there.
set -euo pipefail
cd "$(dirname "$0")/.."
[ "$(id -u)" = 0 ] || { echo "This makes clean roots with debootstrap, which only root can: sudo make deb" >&2; exit 1; }
for tool in debootstrap dpkg-deb; do
  command -v "$tool" >/dev/null || { DEBIAN_FRONTEND=noninteractive apt-get install -y -qq "$tool" >/dev/null; }
done

suite=$(. /etc/os-release && echo "$VERSION_CODENAME")
mirror=$(cat /etc/apt/sources.list /etc/apt/sources.list.d/*.list /etc/apt/sources.list.d/*.sources 2>/dev/null |
  grep -v '^#' | grep -oE '[a-z+]+://[^ ]+/debian/?( |$)' | head -1 | tr -d ' ' || true)  # this machine's own
architecture=$(dpkg --print-architecture)
version=$(.venv/bin/python -c 'import ribalta; print(ribalta.__version__)')
package=build/dist/ribalta_${version}_${architecture}.deb

clean_root() { # FOLDER PACKAGES: a minimal system; it is made once, and copied from then on
  if [ ! -e "build/roots/$suite-$2.tar" ]; then
    mkdir -p build/roots && rm -rf build/roots/new
    debootstrap --variant=minbase ${2:+--include="$2"} "$suite" build/roots/new "$mirror" >build/roots/debootstrap.log
    tar -C build/roots/new -cf "build/roots/$suite-$2.tar" . && rm -rf build/roots/new
  fi
  rm -rf "$1" && mkdir -p "$1" && tar -C "$1" -xf "build/roots/$suite-$2.tar"
  cp /etc/resolv.conf "$1/etc/resolv.conf"
}

inside() { # FOLDER COMMAND …: in a root, with what a process needs of the kernel
  local root=$1
  shift
  mount --bind /dev "$root/dev" && mount -t proc proc "$root/proc"
  for each in pts shm; do mount --bind "/dev/$each" "$root/dev/$each"; done
  local ended=0
  chroot "$root" /usr/bin/env -i PATH=/usr/sbin:/usr/bin:/sbin:/bin HOME=/root LANG=C.UTF-8 "$@" || ended=$?
  umount "$root/dev/pts" "$root/dev/shm" "$root/proc" "$root/dev"
  return $ended
}

build() {
  bash scripts/wheel.sh
  mkdir -p build/wheels
  .venv/bin/python -m pip download --quiet --disable-pip-version-check --only-binary=:all: \
    -c constraints.txt -d build/wheels build/dist/*.whl
  root=build/roots/build
  clean_root "$root" python3-venv
  mkdir -p "$root/wheels" && cp build/wheels/*.whl constraints.txt "$root/wheels/"
  inside "$root" sh -c 'python3 -m venv /usr/lib/ribalta && /usr/lib/ribalta/bin/python -m pip install --quiet \
    --no-index --find-links /wheels -c /wheels/constraints.txt ribalta && \
    /usr/lib/ribalta/bin/python -m pip uninstall --quiet --yes pip setuptools'
  python3=$(inside "$root" python3 -c 'import sys; print("%d.%d" % sys.version_info[:2])')
  staging=build/deb
  rm -rf "$staging" && mkdir -p "$staging/DEBIAN" "$staging/usr/lib" "$staging/usr/bin"
  cp -a "$root/usr/lib/ribalta" "$staging/usr/lib/"
  find "$staging" -name __pycache__ -prune -exec rm -rf {} +
  cp -a build/share "$staging/usr/share"
  ln -s ../lib/ribalta/bin/ribalta "$staging/usr/bin/ribalta"
  chown -R root:root "$staging" && chmod -R u=rwX,go=rX "$staging"
  cat >"$staging/DEBIAN/control" <<END
Package: ribalta
Version: $version
Architecture: $architecture
Maintainer: The developers of Ribalta <developers@ribalta.invalid>
Section: video
Priority: optional
Installed-Size: $(du -sk "$staging/usr" | cut -f1)
Depends: python3, python$python3, $(grep -oP '(?<=^packages=\()[^)]*' <(tr '\n' ' ' <scripts/setup.sh | sed 's/packages=(/\npackages=(/') | tr -s ' ' | sed 's/ *$//; s/ /, /g')
Recommends: xvfb
Description: live production desk on which every cut lands on a prepared framing
 Several cameras, one program: framings are prepared and named, and a take that
 would show a moving camera waits until it is set. With macros, triggers,
 playlists, titles, sound, recording, streaming, and a demo with simulated
 cameras. It has a Python environment of its own.
END
  cat >"$staging/DEBIAN/postinst" <<'END'
#!/bin/sh
set -e
[ "$1" != configure ] || /usr/lib/ribalta/bin/python -m compileall -q /usr/lib/ribalta/lib || true
END
  cat >"$staging/DEBIAN/prerm" <<'END'
#!/bin/sh
set -e
find /usr/lib/ribalta -name __pycache__ -prune -exec rm -rf {} + || true
END
  chmod 755 "$staging/DEBIAN/postinst" "$staging/DEBIAN/prerm"
  dpkg-deb --root-owner-group --build "$staging" "$package" >/dev/null
  rm -rf "$staging" "$root"
  ls -l "$package"
}

try() {
  root=build/roots/test
  clean_root "$root" ""
  cp "$package" "$root/ribalta.deb" && cp scripts/demo_starts.sh "$root/"
  for each in /etc/apt/sources.list /etc/apt/sources.list.d /etc/apt/apt.conf.d /etc/ssl/certs /usr/local/share/ca-certificates; do
    [ ! -e "$each" ] || { mkdir -p "$root$(dirname "$each")" && rm -rf "$root$each" && cp -aL "$each" "$root$each"; }
  done
  inside "$root" sh -c 'apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq /ribalta.deb >/dev/null'
  inside "$root" sh -c 'ls /usr/share/applications/ribalta.desktop /usr/share/mime/packages/ribalta.xml && bash /demo_starts.sh ribalta /tmp/demo'
  inside "$root" sh -c 'DEBIAN_FRONTEND=noninteractive apt-get remove -y -qq ribalta >/dev/null && test ! -e /usr/lib/ribalta'
  rm -rf "$root"
  echo "It was installed in a clean root, the demo started, and it was removed again."
}

if [ "${1:-}" = test ]; then try; else build; fi
