# What ./start, ./check and ./bench share: installing what is missing, and a private MariaDB.
# Sourced by bash; expects `set -euo pipefail`.

[ -d "$HOME/.cargo/bin" ] && export PATH="$HOME/.cargo/bin:$PATH"
# mariadbd lives here on Debian, which is not on every user's path.
export PATH="$PATH:/usr/sbin:/sbin"

say() { printf '%s\n' "$*" >&2; }
die() { say "eager-tally: $*"; exit 1; }

# need PROGRAM-OR-FILE PACKAGE …: notes the packages of whatever is missing.
missing=()
need() {
  local what=$1; shift
  command -v "$what" >/dev/null 2>&1 && return
  [ -e "$what" ] && return
  missing+=("$@")
}

need_build() {
  command -v cargo >/dev/null 2>&1 || die "Rust is missing; install it with rustup (https://rustup.rs), then start again."
  need cc build-essential
  need pkg-config pkg-config
  need mariadb_config libmariadb-dev
  need mariadbd mariadb-server-core
  need mariadb-install-db mariadb-server-core
  need mariadb mariadb-client-core
}

need_browser() {
  need curl curl
  need openssl openssl
  need ngircd ngircd
  need faketime faketime
  need chromium chromium
  need chromedriver chromium-driver
}

# Installs what was noted as missing, as root or with sudo.
install_missing() {
  [ ${#missing[@]} -eq 0 ] && return
  local as=()
  if [ "$(id -u)" -ne 0 ]; then
    command -v sudo >/dev/null 2>&1 || die "these packages are missing, and there is no sudo to install them: ${missing[*]}"
    as=(sudo)
  fi
  say "Installing: ${missing[*]}"
  "${as[@]}" apt-get update -qq
  "${as[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
  missing=()
}

# Styles and scripts in one form, and scripts with types that fit; where Node is there.
check_scripts() {
  local tools=$top/tools/browser/check
  if ! command -v npm >/dev/null 2>&1; then
    say "Node is not here, so the form of styles and scripts and the types of scripts are not checked."
    return
  fi
  if [ ! -d "$tools/node_modules" ] && ! npm ci --prefix "$tools" --ignore-scripts --no-audit --no-fund --silent; then
    say "What checks styles and scripts could not be installed (npm ci in $tools), so they are not checked."
    return
  fi
  "$tools/node_modules/.bin/prettier" --check --log-level warn "$top"
  "$tools/node_modules/.bin/tsc" -p "$tools/tsconfig.json"
  # The markup is checked by the tests, on the pages that the program serves.
  export TALLY_MARKUP_CHECKER=$tools/node_modules/.bin/html-validate
}

port_is_free() { ! (exec 3<>"/dev/tcp/127.0.0.1/$1") 2>/dev/null; }

# A MariaDB of our own: data, socket, password and settings under one folder, on loopback only.
# db_start FOLDER; afterwards db_port and db_password_file say how to reach the database `tally`. Fails with a
# word to the operator when there is none.
db_start() {
  local folder=$1
  local as=()
  [ "$(id -u)" -eq 0 ] && as=(--user=root)
  mkdir -p "$folder"
  chmod 700 "$folder"
  folder=$(cd "$folder" && pwd)
  db_folder=$folder
  db_password_file=$folder/password
  # A socket's path must be short, and the folder's may be long.
  local socket
  socket=/tmp/eager-tally-$(printf '%s' "$folder" | cksum | cut -d' ' -f1).sock
  if [ -f "$folder/mariadb.pid" ] && kill -0 "$(cat "$folder/mariadb.pid")" 2>/dev/null; then
    db_port=$(cat "$folder/port")
    db_pid=$(cat "$folder/mariadb.pid")
    say "The database of an earlier start is still running; it is taken over."
    return
  fi
  rm -f "$folder/mariadb.pid"
  if [ ! -d "$folder/data/mysql" ]; then
    rm -rf "$folder/data"
    mariadb-install-db --no-defaults "${as[@]}" --datadir="$folder/data" \
      --auth-root-authentication-method=normal --skip-test-db >"$folder/install.log" 2>&1 \
      || { say "eager-tally: the database could not be set up; see $folder/install.log"; return 1; }
  fi
  if [ ! -s "$db_password_file" ]; then
    (umask 077 && head -c 24 /dev/urandom | base64 | tr '+/' '-_' >"$db_password_file")
  fi
  local password
  password=$(cat "$db_password_file")
  db_port=${TALLY_DB_PORT:-8490}
  while ! port_is_free "$db_port"; do db_port=$((db_port + 1)); done
  printf '%s\n' "$db_port" >"$folder/port"
  (umask 077 && cat >"$folder/init.sql" <<SQL
CREATE DATABASE IF NOT EXISTS tally CHARACTER SET utf8mb4;
CREATE OR REPLACE USER 'tally'@'127.0.0.1' IDENTIFIED BY '$password';
GRANT ALL ON ${db_grants:-tally.*} TO 'tally'@'127.0.0.1';
ALTER USER 'root'@'localhost' IDENTIFIED BY '$password';
SQL
  )
  # In a session of its own, so that a Ctrl-C reaches the application first.
  setsid mariadbd --no-defaults "${as[@]}" --datadir="$folder/data" --socket="$socket" \
    --pid-file="$folder/mariadb.pid" --port="$db_port" --bind-address=127.0.0.1 --skip-name-resolve \
    --init-file="$folder/init.sql" --innodb-flush-log-at-trx-commit=1 --innodb-log-file-size=256M \
    --innodb-buffer-pool-size=256M --character-set-server=utf8mb4 --max-connections=64 \
    --log-error="$folder/mariadb.log" >/dev/null 2>&1 &
  db_pid=$!
  # Its end is told by whoever notices, not by the shell.
  disown "$db_pid"
  local tries=0
  until MYSQL_PWD=$password mariadb --no-defaults -h127.0.0.1 -P"$db_port" -utally -e 'SELECT 1' tally >/dev/null 2>&1; do
    tries=$((tries + 1))
    kill -0 "$db_pid" 2>/dev/null || { say "eager-tally: the database did not start; see $folder/mariadb.log"; return 1; }
    [ "$tries" -lt 300 ] || { say "eager-tally: the database does not answer; see $folder/mariadb.log"; return 1; }
    sleep 0.1
  done
}

db_stop() {
  [ -n "${db_pid:-}" ] || return 0
  kill -TERM "$db_pid" 2>/dev/null || true
  local tries=0
  while kill -0 "$db_pid" 2>/dev/null && [ "$tries" -lt 300 ]; do sleep 0.1; tries=$((tries + 1)); done
  rm -f "$db_folder/init.sql"
}
