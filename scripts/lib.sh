# What start, stop and test share. Sourced; needs $root.
data="$root/.data"

say() { printf '%s\n' "$*"; }
need_root() { if [ "$(id -u)" = 0 ]; then "$@"; else sudo "$@"; fi; }

# Installs Debian packages that are missing.
install_packages() {
  local missing=()
  for package in "$@"; do
    dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q 'ok installed' || missing+=("$package")
  done
  [ ${#missing[@]} = 0 ] && return
  say "installing ${missing[*]}"
  need_root apt-get update -qq
  need_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
}

postgres_bin() { ls -d /usr/lib/postgresql/*/bin 2>/dev/null | sort -V | tail -n 1; }

# PostgreSQL refuses to run as root: then it runs as the user that its package made.
as_postgres() { if [ "$(id -u)" = 0 ]; then (cd / && runuser -u postgres -- "$@"); else "$@"; fi; }

# A process number that stands for a live process, not for a zombie.
is_alive() { [ -n "${1:-}" ] && [ -r "/proc/$1/stat" ] && [ "$(sed 's/.*) //' "/proc/$1/stat" 2>/dev/null | cut -c1)" != Z ]; }

database_is_up() { # folder port
  local pid
  pid=$(as_postgres head -n 1 "$1/postmaster.pid" 2>/dev/null || true)
  is_alive "$pid" && "$(postgres_bin)/pg_isready" -q -h 127.0.0.1 -p "$2"
}

# Starts a cluster of our own on loopback, making it first if need be. start_database FOLDER PORT PASSWORD [OPTION…]
start_database() {
  local folder=$1 port=$2 password=$3
  shift 3
  mkdir -p "$folder"
  if [ ! -s "$folder/PG_VERSION" ]; then
    local secret
    secret=$(mktemp)
    printf '%s\n' "$password" >"$secret"
    if [ "$(id -u)" = 0 ]; then
      # Every folder above must let the postgres user through.
      local above=$folder
      while [ "$above" != / ]; do
        above=$(dirname "$above")
        chmod o+x "$above"
      done
      chown postgres "$folder" "$secret"
    fi
    chmod 700 "$folder"
    as_postgres "$(postgres_bin)/initdb" -D "$folder" -U hull --pwfile="$secret" -A scram-sha-256 -E UTF8 --locale=C.UTF-8 >/dev/null
    rm -f "$secret"
  fi
  database_is_up "$folder" "$port" && return
  as_postgres rm -f "$folder/postmaster.pid"
  as_postgres "$(postgres_bin)/pg_ctl" -D "$folder" -l "$folder/server.log" -W \
    -o "-p $port -c listen_addresses=127.0.0.1 -c unix_socket_directories='' $*" start >/dev/null
  for _ in $(seq 100); do
    database_is_up "$folder" "$port" && return
    sleep 0.1
  done
  say "PostgreSQL did not start; see $folder/server.log" >&2
  return 1
}

stop_database() { # folder
  local pid
  pid=$(as_postgres head -n 1 "$1/postmaster.pid" 2>/dev/null || true)
  is_alive "$pid" && as_postgres "$(postgres_bin)/pg_ctl" -D "$1" -m fast -w stop >/dev/null
  return 0
}

make_database() { # port password name
  PGPASSWORD=$2 psql -h 127.0.0.1 -p "$1" -U hull -d postgres -tAc "SELECT 1 FROM pg_database WHERE datname='$3'" | grep -q 1 ||
    PGPASSWORD=$2 createdb -h 127.0.0.1 -p "$1" -U hull "$3"
}

# Installs the packages of a folder if its lock file changed since.
npm_packages() { # folder
  local stamp="$1/node_modules/.installed"
  [ -f "$stamp" ] && cmp -s "$stamp" "$1/package-lock.json" && return
  (cd "$1" && npm ci --ignore-scripts --no-audit --no-fund --loglevel=error)
  cp "$1/package-lock.json" "$stamp"
}

# Installs the independent libraries that results are compared with.
python_packages() {
  [ -f "$root/.venv/.installed" ] && cmp -s "$root/.venv/.installed" "$root/outside/requirements.txt" && return
  python3 -m venv "$root/.venv"
  "$root/.venv/bin/pip" install --quiet --disable-pip-version-check -r "$root/outside/requirements.txt"
  cp "$root/outside/requirements.txt" "$root/.venv/.installed"
}

build_front_end() {
  npm_packages "$root/web"
  (cd "$root/web" && node build.mjs 2>/dev/null)
}
