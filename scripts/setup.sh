# Sourced by start, test and jv: each function makes one thing be there, says so when it must, and is quick when it is.

# Logs of this user alone: another user's cannot be written to.
logs="${TMPDIR:-/tmp}/jorvik-$(id -u)"
mkdir -p -m 700 "$logs" 2>/dev/null || logs="$(mktemp -d)"
[ -w "$logs" ] || logs="$(mktemp -d)"

say() { echo "${0##*/}: $*"; }

fail() {
  echo "${0##*/}: $*" >&2
  exit 1
}

# Debian packages: those named that have not put their file in place yet.
need_debian() {
  local missing=()
  while [ $# -gt 0 ]; do
    compgen -G "$2" >/dev/null || missing+=("$1")
    shift 2
  done
  [ ${#missing[@]} -eq 0 ] && return
  [ "$(id -u)" = 0 ] || fail "Debian's packages ${missing[*]} are missing; install them as root, then start again."
  say "installing ${missing[*]}"
  { apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq "${missing[@]}"; } >$logs/apt.log 2>&1 ||
    fail "Debian's packages ${missing[*]} could not be installed; $logs/apt.log says why."
}

need_base() {
  command -v python3 >/dev/null || need_debian python3 /usr/bin/python3 python3-venv /usr/lib/python3*/ensurepip
  python3 -c 'import sys; sys.exit(sys.version_info < (3, 11))' || fail "Python 3.11 or newer is needed; $(python3 --version) is here."
  need_debian postgresql '/usr/lib/postgresql/*/bin/initdb'
}

# The Python environment, with what a requirements file asks for. A stamp says what was installed last.
need_python() {
  local stamp=".venv/.stamp-$1" wanted
  wanted="$(cat requirements*.txt pyproject.toml | sha256sum)"
  [ -f "$stamp" ] && [ "$(cat "$stamp")" = "$wanted" ] && [ -x .venv/bin/python ] && return
  say "installing Python packages from $1"
  [ -x .venv/bin/python ] || python3 -m venv .venv || fail "a Python environment could not be made in .venv; is python3-venv there?"
  { .venv/bin/python -m pip install -q -r "$1" && .venv/bin/python -m pip install -q --no-deps -e .; } >$logs/pip.log 2>&1 ||
    fail "the Python packages of $1 could not be installed; $logs/pip.log says why."
  echo "$wanted" >"$stamp"
}

need_node() {
  command -v npm >/dev/null || need_debian nodejs /usr/bin/node npm /usr/bin/npm
  local major
  major="$(node -p 'process.versions.node.split(".")[0]')"
  [ "$major" -ge 20 ] || fail "Node 20 or newer is needed to build the screen; $(node --version) is here."
  local stamp=ui/node_modules/.stamp wanted
  wanted="$(sha256sum <ui/package-lock.json)"
  [ -f "$stamp" ] && [ "$(cat "$stamp")" = "$wanted" ] && return
  say "installing the screen's packages"
  (cd ui && npm ci --no-audit --no-fund) >$logs/npm.log 2>&1 ||
    fail "the screen's packages could not be installed; $logs/npm.log says why."
  echo "$wanted" >"$stamp"
}

# The built screen, made anew when one of its sources changed.
need_screen() {
  local stamp=ui/.built wanted
  wanted="$(find ui/src ui/public ui/index.html ui/vite.config.ts ui/package-lock.json -type f -print0 | sort -z | xargs -0 sha256sum | sha256sum)"
  [ -f "$stamp" ] && [ "$(cat "$stamp")" = "$wanted" ] && [ -f ui/dist/index.html ] && return
  need_node
  say "building the screen"
  (cd ui && npx --no-install vite build) >$logs/build.log 2>&1 ||
    fail "the screen could not be built; $logs/build.log says why."
  echo "$wanted" >"$stamp"
}
