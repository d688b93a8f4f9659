# Sourced by start, test and jv. Each step makes one thing available, prints its seconds, and is quick when there is
# nothing to do.

# Without bytecode every process compiles all of its imports again, which takes longer than the rest of its start.
unset PYTHONDONTWRITEBYTECODE

# Logs belong to this user alone: another user's cannot be written to.
logs="${TMPDIR:-/tmp}/jorvik-$(id -u)"
mkdir -p -m 700 "$logs" 2>/dev/null || logs="$(mktemp -d)"
[ -w "$logs" ] || logs="$(mktemp -d)"

say() { echo "${0##*/}: $*"; }

fail() {
  echo "${0##*/}: $*" >&2
  exit 1
}

# step NAME COMMAND...: run a command and print how long it took.
step() {
  local name="$1" begin="${EPOCHREALTIME/[.,]/}" tenths
  shift
  "$@"
  tenths=$(((${EPOCHREALTIME/[.,]/} - begin) / 100000))
  say "$name ($((tenths / 10)).$((tenths % 10)) s)"
}

# together FUNCTION...: run functions side by side; stop all of them when one fails.
together() {
  local branch pids=()
  for branch in "$@"; do
    (set -euo pipefail; "$branch") &
    pids+=($!)
  done
  while [ ${#pids[@]} -gt 0 ]; do
    wait -n || {
      kill "${pids[@]}" 2>/dev/null || true
      wait
      exit 1
    }
    pids=("${pids[@]:1}")
  done
}

# need_debian PACKAGE FILE...: install the Debian packages whose file is not in place.
need_debian() {
  local missing=()
  while [ $# -gt 0 ]; do
    compgen -G "$2" >/dev/null || missing+=("$1")
    shift 2
  done
  [ ${#missing[@]} -eq 0 ] && return
  [ "$(id -u)" = 0 ] || fail "Debian's packages ${missing[*]} are missing. Install them as root, then run this again."
  step "Debian packages ${missing[*]}" apt_install "${missing[@]}"
}

apt_install() {
  { apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq "$@"; } >"$logs/apt.log" 2>&1 ||
    fail "Debian's packages $* could not be installed. The reason is in $logs/apt.log."
}

# The programs that the other steps run.
need_programs() {
  command -v python3 >/dev/null || need_debian python3 /usr/bin/python3 python3-venv '/usr/lib/python3*/ensurepip'
  python3 -c 'import sys; sys.exit(sys.version_info < (3, 11))' || fail "Python 3.11 or newer is needed; this is $(python3 --version)."
  command -v npm >/dev/null || need_debian nodejs /usr/bin/node npm /usr/bin/npm
  [ "$(node -p 'process.versions.node.split(".")[0]')" -ge 20 ] || fail "Node 20 or newer is needed; this is $(node --version)."
}

need_database() { need_debian postgresql '/usr/lib/postgresql/*/bin/initdb'; }

need_database_and_browsers() {
  need_debian postgresql '/usr/lib/postgresql/*/bin/initdb' chromium /usr/bin/chromium \
    chromium-headless-shell /usr/bin/chromium-headless-shell
}

# An empty Python environment in .venv, and uv: the one on the PATH, or one inside the environment.
python_environment() {
  uv="$(command -v uv || echo .venv/bin/uv)"
  [ -x .venv/bin/python ] && [ -x "$uv" ] && return
  step "Python environment" make_environment
}

make_environment() {
  if [ "$uv" = .venv/bin/uv ]; then
    { python3 -m venv .venv && .venv/bin/python -m pip install -q --require-hashes -r scripts/uv.txt; } >"$logs/uv.log" 2>&1
  else
    "$uv" venv -q --python python3 .venv >"$logs/uv.log" 2>&1
  fi || fail "The Python environment in .venv could not be made. The reason is in $logs/uv.log."
}

# need_python FILE: install the packages of a requirements file. A stamp holds what was installed last.
need_python() {
  local stamp=".venv/.stamp-$1" wanted
  wanted="$(cat "$1" pyproject.toml scripts/uv.txt | sha256sum)"
  [ -x .venv/bin/python ] && [ -f "$stamp" ] && [ "$(<"$stamp")" = "$wanted" ] && return
  python_environment
  step "Python packages of $1" install_python "$1"
  echo "$wanted" >"$stamp"
}

install_python() {
  { "$uv" pip install -q --python .venv/bin/python --require-hashes -r "$1" &&
    "$uv" pip install -q --python .venv/bin/python --no-deps -e .; } >"$logs/uv.log" 2>&1 ||
    fail "The Python packages of $1 could not be installed. The reason is in $logs/uv.log."
}

# need_compiled PART...: compile parts of the core. A stamp holds the sources and the place of what was compiled last.
need_compiled() {
  local stamp=".venv/.stamp-compiled-$*" wanted cache="${JORVIK_CACHE:-$HOME/.cache/jorvik}"
  wanted="$cache $(find src/jorvik/core -name '*.py' -print0 | sort -z | xargs -0 cat requirements.txt | sha256sum)"
  [ -d "$cache" ] && [ -f "$stamp" ] && [ "$(<"$stamp")" = "$wanted" ] && return
  step "compiled $*" compile_parts "$@"
  echo "$wanted" >"$stamp"
}

compile_parts() {
  .venv/bin/python -m jorvik.core.compiling "$@" >"$logs/compile.log" 2>&1 ||
    fail "The core ($*) could not be compiled. The reason is in $logs/compile.log."
}

need_node_packages() {
  local stamp=ui/node_modules/.stamp wanted
  wanted="$(sha256sum <ui/package-lock.json)"
  [ -f "$stamp" ] && [ "$(<"$stamp")" = "$wanted" ] && return
  step "npm packages" install_node_packages
  echo "$wanted" >"$stamp"
}

install_node_packages() {
  (cd ui && npm ci --no-audit --no-fund) >"$logs/npm.log" 2>&1 ||
    fail "The npm packages could not be installed. The reason is in $logs/npm.log."
}

# The built screen. A stamp holds the sources that it was built from.
need_screen() {
  local stamp=ui/.built wanted
  wanted="$(find ui/src ui/public ui/index.html ui/vite.config.ts ui/package-lock.json -type f -print0 | sort -z | xargs -0 sha256sum | sha256sum)"
  [ -f "$stamp" ] && [ "$(<"$stamp")" = "$wanted" ] && [ -f ui/dist/index.html ] && return
  need_node_packages
  step "screen" build_screen
  echo "$wanted" >"$stamp"
}

build_screen() {
  (cd ui && npx --no-install vite build) >"$logs/build.log" 2>&1 ||
    fail "The screen could not be built. The reason is in $logs/build.log."
}
