#!/usr/bin/env bash
# Sourced by lexipod-demo and run-tests: makes .venv beside the project and installs what is missing.
# Sets $python. A second call with nothing changed takes a fraction of a second.
set -euo pipefail
root="$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)"
want="${1:-run}"   # run, or test
unset PYTHONDONTWRITEBYTECODE  # what is compiled is kept, or every helper process would compile it anew

find_python() {
  for name in python3.13 python3.12 python3.11 python3; do
    if command -v "$name" >/dev/null 2>&1 && "$name" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
      command -v "$name"; return 0
    fi
  done
  return 1
}

install_packages() {  # Debian packages, when we may; else says which
  local missing="$*"
  if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null 2>&1; then
    echo "Installing system packages: $missing"
    { apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $missing; } >/dev/null 2>&1 && return 0
  fi
  echo "These system packages are missing; please install them and call this again:" >&2
  echo "  sudo apt-get install $missing" >&2
  return 1
}

base="$(find_python || true)"
if [ -z "$base" ]; then
  install_packages python3 python3-venv python3-pip || exit 1
  base="$(find_python)" || { echo "Python 3.11 or newer is needed." >&2; exit 1; }
fi
"$base" -c 'import ensurepip, venv' 2>/dev/null || install_packages python3-venv || exit 1

venv="$root/.venv"
python="$venv/bin/python"
stamp="$venv/.lexipod-$want"
mark="$(cat "$root/pyproject.toml" | cksum) $("$base" -c 'import sys; print(sys.version)') $root"
if [ ! -x "$python" ] || ! "$python" -c 'import sys' 2>/dev/null; then
  rm -rf "$venv"
  echo "Making the environment in .venv …"
  "$base" -m venv "$venv"
fi
if [ "$(cat "$stamp" 2>/dev/null)" != "$mark" ]; then
  echo "Installing dependencies …"
  extra=""; [ "$want" = test ] && extra="[test]"
  "$python" -m pip install --quiet --disable-pip-version-check --no-compile -e "$root$extra"
  printf '%s' "$mark" > "$stamp"
fi

# Qt's own needs: the shared libraries that a minimal system lacks.
libraries() { "$python" - "$@" <<'PY'
import ctypes, sys
for pair in sys.argv[1:]:
    library, package = pair.split(":")
    try:
        ctypes.CDLL(library)
    except OSError:
        print(package)
PY
}
needed="libEGL.so.1:libegl1 libGL.so.1:libgl1 libglib-2.0.so.0:libglib2.0-0 libdbus-1.so.3:libdbus-1-3 libfontconfig.so.1:libfontconfig1 libxkbcommon.so.0:libxkbcommon0"
if [ "$want" = run ]; then
  needed="$needed libxcb-cursor.so.0:libxcb-cursor0 libxcb-icccm.so.4:libxcb-icccm4 libxcb-keysyms.so.1:libxcb-keysyms1 libxcb-shape.so.0:libxcb-shape0 libxkbcommon-x11.so.0:libxkbcommon-x11-0"
fi
# shellcheck disable=SC2086
missing="$(libraries $needed | tr '\n' ' ')"
if [ -n "${missing// /}" ]; then
  install_packages $missing || exit 1
fi
# An HPGL reader of its own, to hold plotter files against; where it cannot be had, that one test is left out.
if [ "$want" = test ] && ! command -v hp2xx >/dev/null 2>&1; then
  install_packages hp2xx || echo "Without hp2xx one test of plotter files is left out."
fi
