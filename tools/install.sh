# Sourced by start and check: installs what is missing, and does nothing when nothing is.
# Every step leaves a stamp in var/stamps that names what it installed, and is skipped while that has not changed.
set -euo pipefail
ROOT=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
cd "$ROOT"
STAMPS=$ROOT/var/stamps
mkdir -p "$STAMPS"

say() { printf '%s\n' "$*" >&2; }
stop() { say "$*"; exit 1; }
stamped() { [ -f "$STAMPS/$1" ] && [ "$(cat "$STAMPS/$1")" = "$2" ]; }
stamp() { printf '%s' "$2" >"$STAMPS/$1"; }
sum_of() { cat "$@" | sha256sum | cut -c1-64; }

# Debian packages, as root or through sudo.
need_packages() {
  local missing=()
  local package
  for package in "$@"; do
    dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q 'ok installed' || missing+=("$package")
  done
  [ ${#missing[@]} -gt 0 ] || return 0
  say "Installing from Debian: ${missing[*]}"
  local as_root=()
  if [ "$(id -u)" != 0 ]; then
    command -v sudo >/dev/null || stop "Missing: ${missing[*]}. Ask an administrator for: apt-get install ${missing[*]}"
    as_root=(sudo)
  fi
  "${as_root[@]}" apt-get update -qq -o DPkg::Lock::Timeout=600
  "${as_root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq -o DPkg::Lock::Timeout=600 --no-install-recommends "${missing[@]}" >&2
}

find_python() {
  local candidate
  for candidate in python3 /usr/bin/python3 python3.13 python3.12 python3.11; do
    if "$candidate" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
      command -v "$candidate"
      return
    fi
  done
  stop "Python 3.11 or newer is needed: apt-get install python3 python3-venv"
}

# need_python LOCK: a virtual environment with the lock file's packages and this project.
need_python() {
  local lock=$1 key
  key="$ROOT $(sum_of "$lock" pyproject.toml)"
  if stamped "python-$(basename "$lock")" "$key" && [ -x .venv/bin/python ] && .venv/bin/python -c 'import texelcore' 2>/dev/null; then
    return 0
  fi
  if ! .venv/bin/python -c '' 2>/dev/null || [ "$(.venv/bin/python -c 'import sys; print(sys.prefix)')" != "$ROOT/.venv" ]; then
    say "Making the virtual environment"
    rm -rf .venv
    local python
    python=$(find_python)
    "$python" -c 'import venv, ensurepip' 2>/dev/null || need_packages python3-venv
    "$python" -m venv .venv
  fi
  say "Installing Python packages ($lock)"
  .venv/bin/python -m pip install -q --disable-pip-version-check --require-hashes -r "$lock" 2> >(grep -v '^WARNING: Location' >&2 || true)
  .venv/bin/python -m pip install -q --disable-pip-version-check --no-deps --no-build-isolation -e . 2> >(grep -v '^WARNING: Location' >&2 || true)
  stamp "python-$(basename "$lock")" "$key"
}

# Node.js 20.19 or newer: the machine's own, or the one that is published as a Python package.
need_node() {
  local works='const [a, b] = process.versions.node.split(".").map(Number); process.exit(a > 20 || (a === 20 && b >= 19) ? 0 : 1)'
  if ! node -e "$works" 2>/dev/null; then
    if ! .venv/bin/node -e "$works" 2>/dev/null; then
      say "Installing Node.js"
      .venv/bin/python -m pip install -q --disable-pip-version-check --require-hashes -r requirements/node.lock
    fi
    export PATH="$ROOT/.venv/bin:$PATH"
  fi
  local key
  key="$ROOT $(sum_of web/package-lock.json)"
  if ! stamped node "$key" || [ ! -d web/node_modules ]; then
    say "Installing front-end packages"
    (cd web && npm ci --silent --no-fund --no-audit >&2)
    stamp node "$key"
  fi
}

# The built front end, when any of its sources has changed.
need_page() {
  local key
  key=$(cd web && find src index.html package-lock.json vite.config.ts -type f -print0 | sort -z | xargs -0 sha256sum | sha256sum)
  if ! stamped page "$key" || [ ! -f web/dist/index.html ]; then
    say "Building the front end"
    (cd web && npm run --silent build >&2)
    # Compressed once here, and served so by WhiteNoise.
    .venv/bin/python -m whitenoise.compress --quiet web/dist/assets
    stamp page "$key"
  fi
}
