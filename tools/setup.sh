#!/usr/bin/env bash
# Everything a fresh Debian or Ubuntu machine needs: system libraries for Qt, a virtual environment, pinned packages.
# Safe to run again: what is there is left alone. With --postgres and --pointer, also the server and the
# X server with a pointer that tests use.
set -euo pipefail
cd "$(dirname "$0")/.."
venv=${BATHYX_VENV:-.venv}
stamp=$venv/.bathyx-setup
arguments="$*"

packages=(libegl1 libgl1 libglib2.0-0 libfontconfig1 libdbus-1-3 libxkbcommon0 libxkbcommon-x11-0 libxcb-cursor0
  libxcb-icccm4 libxcb-image0 libxcb-keysyms1 libxcb-randr0 libxcb-render-util0 libxcb-shape0 libxcb-xfixes0
  libxcb-xkb1 libx11-xcb1)

have() { dpkg-query -W -f '${Status}' "$1" 2>/dev/null | grep -q 'install ok installed'; }

# Ubuntu renamed libglib2.0-0 to libglib2.0-0t64; either will do.
missing=()
for p in "${packages[@]}"; do have "$p" || have "${p}t64" || missing+=("$p"); done

wants() { case " $arguments " in *" $1 "*) true ;; *) false ;; esac; }
may_install() { [ "$(id -u)" = 0 ] || { command -v sudo >/dev/null && sudo -n true 2>/dev/null; }; }
if wants --pointer; then
  for p in xvfb xdotool dbus at-spi2-core python3-gi gir1.2-atspi-2.0; do
    have "$p" || if may_install; then missing+=("$p"); else echo "No $p here and no right to install it: its tests are skipped"; fi
  done
fi
if wants --postgres && ! compgen -G '/usr/lib/postgresql/*/bin/initdb' >/dev/null; then
  if may_install; then missing+=(postgresql)
  else echo "No PostgreSQL here and no right to install it: its tests are skipped"; fi
fi

python=""
for candidate in python3.13 python3.12 python3.11 python3; do
  if command -v "$candidate" >/dev/null && "$candidate" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
    python=$candidate; break
  fi
done
if [ -z "$python" ]; then missing+=(python3 python3-venv)
elif ! "$python" -c 'import venv, ensurepip' 2>/dev/null; then missing+=("$(basename "$(readlink -f "$(command -v "$python")")")-venv"); fi

if [ ${#missing[@]} -gt 0 ]; then
  if ! command -v apt-get >/dev/null; then
    echo "Bathyx needs these libraries (names as Debian has them): ${missing[*]}" >&2; exit 1
  fi
  if [ "$(id -u)" = 0 ]; then root=(); elif command -v sudo >/dev/null && sudo -n true 2>/dev/null; then root=(sudo)
  elif command -v sudo >/dev/null && [ -t 0 ]; then root=(sudo)
  else echo "Bathyx needs these packages; install them as root: apt-get install ${missing[*]}" >&2; exit 1; fi
  echo "Installing system packages: ${missing[*]}"
  "${root[@]}" apt-get update -qq
  DEBIAN_FRONTEND=noninteractive "${root[@]}" apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
  [ -n "$python" ] || python=python3
  "$python" -c 'import sys; sys.exit(sys.version_info < (3, 11))' ||
    { echo "Bathyx needs Python 3.11 or newer; this machine's packages offer $("$python" --version)" >&2; exit 1; }
fi

if [ ! -f "$stamp" ] || ! cmp -s requirements.lock "$stamp"; then
  [ -x "$venv/bin/python" ] || "$python" -m venv "$venv"
  echo "Installing pinned packages into $venv"
  "$venv/bin/python" -m pip install -q --disable-pip-version-check -r requirements.lock
  "$venv/bin/python" -m pip install -q --disable-pip-version-check --no-deps --no-build-isolation -e .
  cp requirements.lock "$stamp"
fi
