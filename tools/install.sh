# What ./nexorem, ./run-tests and .ci/run install. Sourced, with $here the project's folder. Every step is quick when there is nothing to do.

say() { echo "nexorem: $*" >&2; }

# apt-get, that waits while somebody else has its lock: up to ten minutes.
patient() { # LOG ARGUMENT...
  local log=$1 left=60
  shift
  until DEBIAN_FRONTEND=noninteractive apt-get "$@" >"$log" 2>&1; do
    grep -qE "Could not get lock|Unable to lock|Unable to acquire the dpkg" "$log" && [ $((left -= 1)) -gt 0 ] || return 1
    [ "$left" = 59 ] && say "waiting for another apt-get to end"
    sleep 10
  done
}

# Debian packages that are missing. As root they are installed; anyone else is told which.
debian() { # WHAT-IS-MISSING PACKAGE...
  local what=$1 log
  shift
  if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null; then
    say "installing $* ($what)"
    log=$(mktemp)
    if ! { patient "$log" update -qq && patient "$log" install -y -qq --no-install-recommends -o Dpkg::Options::=--force-confold "$@"; }; then
      tail -n 3 "$log" >&2
      say "apt-get could not install $*"
      exit 2
    fi
    rm -f "$log"
  else
    say "$what is missing. Ask an administrator to run: apt-get install --no-install-recommends $*"
    exit 2
  fi
}

python_packages() { # LOCK
  local lock="$here/$1" stamp="$here/.venv/$1.installed" python
  if [ -f "$stamp" ] && cmp -s "$lock" "$stamp"; then return; fi
  python=$(command -v python3.11 || command -v python3 || true)
  if [ -z "$python" ] || ! "$python" -c 'import sys; sys.exit(sys.version_info[:2] != (3, 11))'; then
    say "Python 3.11 is needed and was not found"; exit 2
  fi
  "$python" -c 'import ensurepip' 2>/dev/null || debian "Python's venv" python3-venv
  say "installing Python packages into .venv"
  # One that was left half-made is made anew.
  "$here/.venv/bin/python" -m pip --version >/dev/null 2>&1 || { rm -rf "$here/.venv"; "$python" -m venv "$here/.venv" >&2; }
  "$here/.venv/bin/python" -m pip install -q --disable-pip-version-check --require-hashes -r "$lock" >&2
  echo "$here/src" >"$("$here/.venv/bin/python" -c 'import sysconfig; print(sysconfig.get_path("purelib"))')/nexorem.pth"
  cp "$lock" "$stamp"
}

# The loops of the engine as machine code, kept beside it; in a second copy of the project they are made again.
kernels() {
  local sum stamp="$here/.venv/kernels.made"
  sum=$(cat "$here/src/nexorem/core/engine/kernels.py" "$here/src/nexorem/core/engine/warm.py" "$here/.venv/"*.installed | sha256sum)$here
  if [ -f "$stamp" ] && [ "$(cat "$stamp")" = "$sum" ]; then return; fi
  say "compiling the engine's loops"
  "$here/.venv/bin/python" -m nexorem.core.engine.warm
  echo "$sum" >"$stamp"
}

postgresql() {
  if ls /usr/lib/postgresql/*/bin/initdb >/dev/null 2>&1 || command -v initdb >/dev/null; then return; fi
  # Debian would make and start a cluster of its own; ours is private.
  if [ "$(id -u)" = 0 ] && [ ! -e /etc/postgresql-common/createcluster.conf ]; then
    mkdir -p /etc/postgresql-common && echo "create_main_cluster = false" >/etc/postgresql-common/createcluster.conf
  fi
  debian "PostgreSQL's server" postgresql
}

chromium() {
  if [ -x /usr/bin/chromium ] && [ -x /usr/bin/chromedriver ]; then return; fi
  debian "Chromium with its driver" chromium chromium-driver
}

java() {
  if command -v java >/dev/null; then return; fi
  debian "Java" openjdk-17-jre-headless
}

node() {
  command -v npm >/dev/null || { say "Node.js 20 with npm is needed and was not found"; exit 2; }
}

node_packages() { # FOLDER
  local folder="$here/$1" stamp
  stamp="$folder/node_modules/.installed"
  if [ -f "$stamp" ] && cmp -s "$folder/package-lock.json" "$stamp"; then return; fi
  node
  say "installing npm packages into $1"
  (cd "$folder" && npm ci --no-audit --no-fund --loglevel=error >&2)
  cp "$folder/package-lock.json" "$stamp"
}

front_end() {
  local sum stamp="$here/web/dist/.built"
  sum=$(cd "$here/web" && find src index.html package-lock.json vite.config.ts tsconfig.json -type f -print0 | sort -z | xargs -0 sha256sum | sha256sum)
  if [ -f "$stamp" ] && [ "$(cat "$stamp")" = "$sum" ]; then return; fi
  node_packages web
  say "building the front end"
  (cd "$here/web" && npm run --silent build >&2)
  echo "$sum" >"$stamp"
}

# What the examples of docs/examples are tried with; it does not begin to serve by being installed. Without it their tests are skipped.
proxies() {
  local policy=/usr/sbin/policy-rc.d mine=
  { [ -x /usr/sbin/nginx ] && [ -x /usr/sbin/apache2 ]; } || [ "$(id -u)" != 0 ] && return
  [ -e "$policy" ] || { printf '#!/bin/sh\nexit 101\n' >"$policy" && chmod +x "$policy" && mine=1; }
  debian "a proxy to try the examples with" nginx-light apache2-bin
  [ -z "$mine" ] || rm -f "$policy"
}
