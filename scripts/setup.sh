# Shared by ./start and ./test: brings the machine and this folder to the state they need.
# Each step looks first whether it is done, so that a second call takes a moment only.

say() { printf 'zealous-sieve: %s\n' "$*"; }
fail() { printf 'zealous-sieve: %s\n' "$*" >&2; exit 1; }

# One setup at a time in a folder; what it starts holds the lock too, so that a second waits for what a first
# that was killed has left.
lock_setup() {
  mkdir -p .cache
  exec 9> .cache/setup.lock
  chmod 600 .cache/setup.lock
  flock -n 9 || { say "another ./start or ./test is setting this folder up; waiting for it"; flock 9; }
}
unlock_setup() { exec 9>&-; }

# Run a program that ends with this script, by whatever signal.
with_us() { setpriv --pdeathsig TERM -- "$@"; }

as_root() {
  if [ "$(id -u)" = 0 ]; then "$@"
  elif command -v sudo >/dev/null 2>&1 && sudo -n true 2>/dev/null; then sudo "$@"
  else fail "needs these packages, and only root can install them: run  apt-get install ${*: -2}"
  fi
}

have_package() {
  case "$1" in
    postgresql) compgen -G '/usr/lib/postgresql/*/bin/initdb' >/dev/null ;;
    chromium) [ -x /usr/bin/chromium ] ;;
    python3-venv) "${PYTHON:-python3}" -c 'import ensurepip' 2>/dev/null ;;
  esac
}

need_system_packages() {
  local package missing=()
  for package in "$@"; do have_package "$package" || missing+=("$package"); done
  [ ${#missing[@]} -gt 0 ] || return 0
  say "installing ${missing[*]}"
  export DEBIAN_FRONTEND=noninteractive
  as_root apt-get update -qq
  as_root apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
  for package in "${missing[@]}"; do
    have_package "$package" || fail "$package could not be installed"
  done
}

# A step is done when its stamp holds the digest of the files it was made from.
digest() { cat "$@" | sha256sum | cut -d' ' -f1; }
done_before() { [ "$(cat "$1" 2>/dev/null)" = "$2" ]; }

need_python() {
  local python=${PYTHON:-python3} now
  now=$(digest requirements.txt pyproject.toml)$(pwd)
  if ! done_before .venv/stamp "$now"; then
    "$python" -c 'import sys; sys.exit(sys.version_info < (3, 11))' || fail "Python 3.11 or newer is needed"
    say "installing Python packages"
    [ -x .venv/bin/python ] && .venv/bin/python -c '' 2>/dev/null && .venv/bin/pip --version >/dev/null 2>&1 \
      || { rm -rf .venv; with_us "$python" -m venv .venv; }
    with_us .venv/bin/pip install -q --disable-pip-version-check -r requirements.txt
    with_us .venv/bin/pip install -q --disable-pip-version-check --no-deps --no-build-isolation -e .
    printf '%s' "$now" > .venv/stamp
  fi
  # Compiled kernels are kept apart for each state of the sources that they are made from.
  local made_by
  made_by=$(grep -E '^(numba|numpy|llvmlite)==' requirements.txt | sha256sum)
  NUMBA_CACHE_DIR="$PWD/.cache/kernels/$( (cat src/zealous_sieve/core/functions/*.py src/zealous_sieve/core/evidence/walking.py; echo "$made_by") | sha256sum | cut -c1-16)"
  export NUMBA_CACHE_DIR
}

# What both sides of the application need, installed side by side.
need_both() {
  with_us bash -c 'set -euo pipefail; . scripts/setup.sh; need_front_end' &
  local front=$!
  need_python
  wait $front
}

need_front_end() {
  local now
  command -v node >/dev/null 2>&1 || fail "Node.js 20 or newer is needed"
  now=$(digest frontend/package-lock.json)
  if ! done_before frontend/node_modules/.stamp "$now"; then
    say "installing front-end packages"
    (cd frontend && exec setpriv --pdeathsig TERM -- npm ci --silent --no-audit --no-fund)
    printf '%s' "$now" > frontend/node_modules/.stamp
  fi
  now=$( (cd frontend && find src index.html vite.config.ts package-lock.json -type f -print0 | sort -z | xargs -0 cat) | sha256sum | cut -d' ' -f1)
  if ! done_before src/zealous_sieve/web/static/.stamp "$now"; then
    say "building the front end"
    (cd frontend && exec setpriv --pdeathsig TERM -- npx vite build --logLevel warn)
    printf '%s' "$now" > src/zealous_sieve/web/static/.stamp
  fi
}
