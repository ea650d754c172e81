# Sourced by ./start and ./test: install what is missing, and only that. Needs Debian or a machine that has the tools.

ROOT="$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)"
VAR="${NEEDLEPOINT_VAR:-$ROOT/var}"
mkdir -p "$VAR"

say() { printf '  %s\n' "$*"; }

# need PACKAGE PROBE: remember a Debian package whose probe (a command or a file pattern) is not there.
MISSING=()
need() { command -v "$2" >/dev/null 2>&1 || compgen -G "$2" >/dev/null || MISSING+=("$1"); }

# need_python_with PACKAGE MODULE: the same for a package without which the machine's own Python lacks a module.
need_python_with() { command -v uv >/dev/null 2>&1 || python3 -c "import $2" 2>/dev/null || MISSING+=("$1"); }

# What runs needs on any Debian, beside the database and Node.
need_to_run() {
  need postgresql '/usr/lib/postgresql/*/bin/initdb'
  need nodejs node
  need npm npm
  need python3 python3
  need_python_with python3-venv ensurepip
  need libgl1 '/usr/lib/*/libGL.so.1'
  need libglib2.0-0 '/usr/lib/*/libglib-2.0.so.0'
}

install_missing() {
  [ ${#MISSING[@]} -eq 0 ] && return
  if ! command -v apt-get >/dev/null || [ "$(id -u)" -ne 0 ]; then
    echo "Please install: ${MISSING[*]} (on Debian: sudo apt-get install ${MISSING[*]})" >&2
    exit 1
  fi
  say "installing ${MISSING[*]}"
  export DEBIAN_FRONTEND=noninteractive
  apt-get update -qq >"$VAR/apt.log" 2>&1 || true
  if ! apt-get install -y --no-install-recommends -o DPkg::Lock::Timeout=120 "${MISSING[@]}" >>"$VAR/apt.log" 2>&1; then
    tail -5 "$VAR/apt.log" >&2
    echo "Installing failed; the log is $VAR/apt.log." >&2
    exit 1
  fi
}

sum_of() { find "$@" -type f -print0 | LC_ALL=C sort -z | xargs -0 sha256sum | sha256sum; }

# is_done NAME FILE…: whether the step succeeded with the files as they are.
is_done() { [ "$(cat "$VAR/done-$1" 2>/dev/null)" = "$(sum_of "${@:2}")" ]; }

# once NAME COMMAND… -- FILE…: run the command only if one of the files changed since it last succeeded.
once() {
  local name="$1" command=() ; shift
  while [ "$1" != "--" ]; do command+=("$1"); shift; done
  shift
  is_done "$name" "$@" && return 0
  say "$name"
  if ! (cd "$ROOT" && "${command[@]}") >"$VAR/$name.log" 2>&1; then
    tail -20 "$VAR/$name.log" >&2
    echo "The step “$name” failed; its log is $VAR/$name.log." >&2
    exit 1
  fi
  sum_of "$@" >"$VAR/done-$name"
}

find_uv() {
  UV="$(command -v uv || true)"
  [ -n "$UV" ] && return
  UV="$VAR/uv/bin/uv"
  [ -x "$UV" ] && return
  say "installing uv"
  python3 -m venv "$VAR/uv" && "$VAR/uv/bin/pip" install -q --disable-pip-version-check "uv>=0.9" >"$VAR/uv.log" 2>&1
}

# prepare_python [--with-tests]: with what the tests need as well; what they need is enough to run.
prepare_python() {
  find_uv
  [ -d "$ROOT/.venv" ] || rm -f "$VAR/done-python" "$VAR/done-python-with-tests"
  PYTHON="$ROOT/.venv/bin/python"
  local files=("$ROOT/pyproject.toml" "$ROOT/uv.lock" "$ROOT/.python-version")
  # Compiled here, once: else every process that may not write beside its packages compiles them at each start.
  local sync=("$UV" sync --frozen --compile-bytecode)
  if [ "${1:-}" = --with-tests ]; then
    once python-with-tests "${sync[@]}" -- "${files[@]}"
  elif ! is_done python-with-tests "${files[@]}"; then
    once python "${sync[@]}" --no-dev -- "${files[@]}"
  fi
}

web_npm() { cd "$ROOT/web" && npm ci --no-audit --no-fund; }
web_client() { cd "$ROOT/web" && npx --no-install openapi-typescript openapi.json -o src/api/schema.d.ts; }
web_build() {
  cd "$ROOT/web" && npx --no-install vite build && "$ROOT/.venv/bin/python" -m whitenoise.compress -q "$ROOT/web/dist"
}

prepare_web() {
  [ -d "$ROOT/web/node_modules" ] || rm -f "$VAR/done-packages"
  [ -f "$ROOT/web/dist/index.html" ] || rm -f "$VAR/done-pages"
  once packages web_npm -- "$ROOT/web/package.json" "$ROOT/web/package-lock.json"
  [ -f "$ROOT/web/src/api/schema.d.ts" ] || rm -f "$VAR/done-client"
  once client web_client -- "$ROOT/web/openapi.json" "$ROOT/web/package-lock.json"
  once pages web_build -- "$ROOT/web/src" "$ROOT/web/public" "$ROOT/web/index.html" "$ROOT/web/vite.config.ts" \
    "$ROOT/web/package-lock.json"
}
