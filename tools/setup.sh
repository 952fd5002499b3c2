#!/bin/sh
# Sets up what Wide Berth needs: system libraries through apt (Debian, Ubuntu), a virtual environment with pinned wheels.
# Runs again only when requirements.lock, pyproject.toml or this file change. Nothing is fetched when the program runs.
set -eu
VENV="$1"

# what and why: a virtual screen for tests and shots, OpenGL and X libraries that Qt and the 3D view load, fonts' finder
LIBRARIES="xvfb xauth libegl1 libgl1 libglx-mesa0 libgl1-mesa-dri libxkbcommon-x11-0 libxcb-cursor0 libxcb-icccm4
 libxcb-keysyms1 libxcb-image0 libxcb-render-util0 libxcb-xinerama0 libxcb-shape0 libdbus-1-3 libfontconfig1 libxrender1"

PYTHON=""
for candidate in "${PYTHON3:-}" python3 python3.13 python3.12 python3.11; do
  if [ -n "$candidate" ] && command -v "$candidate" >/dev/null 2>&1 \
     && "$candidate" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
    PYTHON="$candidate"
    break
  fi
done
if [ -z "$PYTHON" ]; then
  echo "wide-berth: Python 3.11 or newer is needed and was not found. Install it, or name it with PYTHON3=/path make ..." >&2
  exit 1
fi
"$PYTHON" -c 'import ensurepip, venv' 2>/dev/null || LIBRARIES="$LIBRARIES python3-venv"

if command -v dpkg-query >/dev/null 2>&1; then
  MISSING=""
  for library in $LIBRARIES; do
    dpkg-query -W -f='${Status}' "$library" 2>/dev/null | grep -q 'ok installed' || MISSING="$MISSING $library"
  done
  if [ -n "$MISSING" ]; then
    echo "wide-berth: installing system libraries (the window, its 3D view and a virtual screen need them):$MISSING"
    SUDO=""
    [ "$(id -u)" = 0 ] || SUDO="sudo"
    $SUDO apt-get update -qq
    # shellcheck disable=SC2086
    $SUDO env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $MISSING >/dev/null
  fi
else
  echo "wide-berth: no dpkg here; make sure that these or their likes are installed: $LIBRARIES" >&2
fi

if [ ! -x "$VENV/bin/python" ]; then
  echo "wide-berth: making the virtual environment $VENV"
  "$PYTHON" -m venv "$VENV"
fi
echo "wide-berth: installing the pinned packages into $VENV (about a minute the first time)"
# the lock names every package that is needed: four lots of them are fetched side by side, and compiled on all cores at the end
split -n r/4 requirements.lock "$VENV/lot."
RUNNING=""
for lot in "$VENV"/lot.*; do
  "$VENV/bin/pip" install -q --disable-pip-version-check --no-deps --no-compile -r "$lot" &
  RUNNING="$RUNNING $!"
done
for one in $RUNNING; do
  wait "$one"  # what fails ends the set-up here
done
"$VENV/bin/python" -m compileall -qq -j 0 "$VENV/lib" || :  # some packages ship files that are no Python for their own tests
"$VENV/bin/pip" install -q --disable-pip-version-check --no-deps --no-build-isolation -e .
