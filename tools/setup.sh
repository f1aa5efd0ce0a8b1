#!/bin/sh
# Makes everything Grevin needs, once: system libraries (as root), a virtual environment, the locked packages.
# Usage: tools/setup.sh [test]      With "test", what the tests need as well.
# Nothing is fetched when everything is there already, so later starts work without a network.
set -eu
cd "$(dirname "$0")/.."
kind=${1:-run}

say() { printf '%s\n' "$*" >&2; }

# Debian packages: a picture window needs the first list, tests draw offscreen with the same libraries.
wanted="libgl1 libegl1 libglib2.0-0 libdbus-1-3 libxkbcommon0 libfontconfig1 libxcb-cursor0 libxcb-icccm4 libxcb-keysyms1
 libxcb-image0 libxcb-render-util0 libxcb-xkb1 libxcb-randr0 libxcb-shape0 libxcb-sync1 libxcb-xfixes0 libxcb-shm0
 libxkbcommon-x11-0 libx11-xcb1"
# Only reports as PDF need these: without them everything else works.
for_pdf="libpango-1.0-0 libpangoft2-1.0-0 libharfbuzz-subset0"

find_python() {
    for name in python3.13 python3.12 python3.11 python3; do
        if command -v "$name" >/dev/null 2>&1 && "$name" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
            command -v "$name"
            return
        fi
    done
}

lacking() {
    command -v dpkg-query >/dev/null 2>&1 || return 0
    for package in "$@"; do
        state=$(dpkg-query -W -f '${Status}' "$package" 2>/dev/null || true)
        case "$state" in *" installed") ;; *) printf ' %s' "$package" ;; esac
    done
}

# shellcheck disable=SC2086
missing=$(lacking $wanted)
# shellcheck disable=SC2086
[ "$(id -u)" = 0 ] && missing="$missing$(lacking $for_pdf)"
python=$(find_python)
if [ -z "$python" ]; then
    missing="$missing python3 python3-venv"
elif ! "$python" -c 'import ensurepip' 2>/dev/null; then
    missing="$missing python3-venv"
fi
if [ -n "$missing" ]; then
    if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null 2>&1; then
        say "Installing system packages:$missing"
        DEBIAN_FRONTEND=noninteractive apt-get update -qq || say "The package lists could not be renewed; trying with the old ones."
        # shellcheck disable=SC2086
        DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $missing >/dev/null
        python=$(find_python)
    else
        say "These system packages are missing:$missing"
        say "Ask an administrator to run:  apt-get install$missing"
        if [ -z "$python" ] || [ "$kind" = run ]; then exit 2; fi
        say "Going on without them; the window's tests may fail."
    fi
fi
if [ -z "$python" ]; then
    say "Python 3.11 or later is needed and was not found."
    exit 2
fi

venv=.venv
lock=requirements.lock
[ "$kind" = test ] && lock=requirements-test.lock
stamp="$venv/ready-$kind"
sum=$(cat requirements.lock requirements-test.lock pyproject.toml | cksum)
if [ -x "$venv/bin/python" ] && [ "$(cat "$stamp" 2>/dev/null || true)" = "$sum $PWD" ]; then
    exit 0
fi
say "Setting up Python packages in $venv (once; about a minute)"
[ -x "$venv/bin/python" ] || "$python" -m venv "$venv"
"$venv/bin/python" -m pip install --quiet --disable-pip-version-check -r "$lock"
"$venv/bin/python" -m pip install --quiet --disable-pip-version-check --no-deps --editable .
printf '%s' "$sum $PWD" > "$stamp"
[ "$kind" = run ] || printf '%s' "$sum $PWD" > "$venv/ready-run"  # what the tests need holds what running needs
