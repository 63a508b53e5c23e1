# Set-up shared by ./start and ./test: packages of the system, the virtual environment, a PostgreSQL of our own.
# Sourced with bash; expects REPO to be the checkout and to be run from it. Safe to run twice, as root or not.

export UV_SYSTEM_CERTS=1 # the machine's own certificates, as pip and apt use them
unset PYTHONDONTWRITEBYTECODE # a dozen processes are started here, and each would compile everything anew

say() { printf '%s\n' "$*" >&2; }

# need_packages PACKAGE...: installs those that are missing, with sudo when not root.
need_packages() {
  local missing=() package
  for package in "$@"; do
    dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q 'ok installed' || missing+=("$package")
  done
  [ ${#missing[@]} -eq 0 ] && return
  say "Installing ${missing[*]}"
  local become=()
  [ "$(id -u)" -eq 0 ] || become=(sudo)
  local try
  for try in 1 2 3 4 5 6; do # the package lists' lock is not waited for
    "${become[@]}" apt-get update -q >/dev/null 2>&1 && break
    sleep $((try * 3))
  done
  # The package would start a cluster of its own on the usual port; ours is all that is needed.
  if [[ " ${missing[*]} " == *" postgresql-15 "* ]]; then
    "${become[@]}" mkdir -p /etc/postgresql-common/createcluster.d
    echo "create_main_cluster = false" |
      "${become[@]}" tee /etc/postgresql-common/createcluster.d/50-brisk-sentry.conf >/dev/null
  fi
  "${become[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -q -o DPkg::Lock::Timeout=300 \
    "${missing[@]}" >"$BRISK_DATA/apt.log" 2>&1 || { say "apt-get failed; see $BRISK_DATA/apt.log"; exit 1; }
}

# need_python LOCK: brings .venv to what the lock file says; does nothing when it is there already.
need_python() {
  local lock="requirements/$1.txt" stamp=".venv/.$1-installed"
  local wanted
  wanted="$(cat "$lock" requirements/uv.txt pyproject.toml | sha256sum)"
  [ -x .venv/bin/brisk-sentry ] && [ "$(cat "$stamp" 2>/dev/null)" = "$wanted" ] && return
  if [ ! -x .venv/bin/python ]; then
    python3 -c 'import ensurepip' 2>/dev/null || need_packages python3-venv
    say "Making the virtual environment"
    python3 -m venv .venv
  fi
  say "Installing Python packages"
  [ -x .venv/bin/uv ] || .venv/bin/pip install -q --disable-pip-version-check --require-hashes -r requirements/uv.txt
  .venv/bin/uv pip install -q --no-deps --require-hashes -r "$lock"
  .venv/bin/uv pip install -q --no-deps --no-build-isolation -e .
  echo "$wanted" >"$stamp"
}

# need_compiled: loops over samples as machine code, which the first that measures would otherwise wait for.
need_compiled() {
  local source
  for source in brisk_core/*/compiled.py; do
    find "${source%/*}/__pycache__" -name 'compiled.*.nbi' -newer "$source" 2>/dev/null | grep -q . && continue
    say "Compiling $source"
    .venv/bin/python -c "import importlib; importlib.import_module('$(tr / . <<<"${source%.py}")')"
  done
}

# need_walls: the library that keeps what reads files from calls that it never needs.
need_walls() { need_packages libseccomp2; }

# need_printing: the libraries that lay out pages for PDF.
need_printing() { need_packages libpango-1.0-0 libpangoft2-1.0-0 libharfbuzz0b libharfbuzz-subset0; }

# as_server COMMAND...: runs a server command as the user that owns the cluster, which is never root.
as_server() {
  if [ "$(id -u)" -eq 0 ]; then
    (cd / && setpriv --reuid=postgres --regid=postgres --init-groups "$@")
  else
    "$@"
  fi
}

# DATABASE_OPTIONS adds options of the server, such as those of a database that nobody will miss.
# start_database NAME: starts a cluster of our own on loopback and exports DATABASE_URL, unless it is set.
# Sets CLUSTER to its folder when this call started it, so that the caller can stop it.
start_database() {
  CLUSTER=""
  [ -n "${DATABASE_URL:-}" ] && return
  need_packages postgresql-15
  local bin=/usr/lib/postgresql/15/bin folder="$BRISK_DATA/$1"
  if [ "$(id -u)" -eq 0 ] && ! as_server test -x "$BRISK_DATA"; then
    # The server's user cannot reach the data folder (under /root, say): the cluster lies where it can.
    folder="/var/lib/brisk-sentry/$(printf '%s' "$BRISK_DATA" | sha256sum | cut -c1-12)/$1"
  fi
  mkdir -p "$folder"
  [ "$(id -u)" -eq 0 ] && chown postgres: "$folder"
  if [ ! -s "$folder/password" ]; then
    (umask 077 && python3 -c 'import secrets; print(secrets.token_urlsafe(24))' >"$folder/password")
    [ "$(id -u)" -eq 0 ] && chown postgres: "$folder/password"
  fi
  if [ ! -s "$folder/data/PG_VERSION" ]; then
    say "Making the database"
    rm -rf "$folder/data"
    as_server "$bin/initdb" -D "$folder/data" -U brisk --pwfile="$folder/password" -A scram-sha-256 -E UTF8 \
      --locale=C.UTF-8 --no-sync >"$folder.initdb.log" 2>&1 || { say "initdb failed; see $folder.initdb.log"; exit 1; }
  fi
  local port
  port="$(cat "$folder/port" 2>/dev/null || true)"
  end_former_database "$folder" serves
  if ! { [ -n "$port" ] && "$bin/pg_isready" -q -h 127.0.0.1 -p "$port" && [ -s "$folder/data/postmaster.pid" ]; }; then
    port="$(python3 -c 'import socket; s = socket.socket(); s.bind(("127.0.0.1", 0)); print(s.getsockname()[1])')"
    echo "$port" >"$folder/port"
    as_server "$bin/pg_ctl" -D "$folder/data" -l "$folder/data/server.log" -w -t 60 \
      -o "-p $port -c listen_addresses=127.0.0.1 -c unix_socket_directories='' -c max_connections=100 ${DATABASE_OPTIONS:-}" start \
      >/dev/null 9>&- 8>&- || { say "the database did not start; see $folder/data/server.log"; exit 1; }
    CLUSTER="$folder"
  fi
  DATABASE_FOLDER="$folder"
  OWN_DATABASE="postgresql://brisk:$(cat "$folder/password")@127.0.0.1:$port"
  export DATABASE_URL="$OWN_DATABASE/brisk"
  "$bin/psql" "$OWN_DATABASE/postgres" -tAq -c "SELECT 1 FROM pg_database WHERE datname = 'brisk'" | grep -q 1 ||
    "$bin/psql" "$OWN_DATABASE/postgres" -q -c "CREATE DATABASE brisk"
}

# end_former_database FOLDER [serves]: waits until a server of our own, whose house was killed, is gone, or serves. Ended
# in the very moment in which it begins anew, it can stay between the two for good; after a minute it is killed.
end_former_database() {
  local bin=/usr/lib/postgresql/15/bin folder="$1" pid port try
  port="$(cat "$folder/port" 2>/dev/null || true)"
  for try in $(seq 120); do
    as_server "$bin/pg_ctl" -D "$folder/data" status >/dev/null 2>&1 || return 0
    [ "${2:-}" != serves ] || [ -z "$port" ] || ! "$bin/pg_isready" -q -h 127.0.0.1 -p "$port" || return 0
    sleep 0.5
  done
  say "A database of this house neither serves nor ends; it is killed."
  as_server "$bin/pg_ctl" -D "$folder/data" -m immediate -t 10 -w stop >/dev/null 2>&1 && return 0
  pid="$(head -n 1 "$folder/data/postmaster.pid" 2>/dev/null || true)"
  if [ -n "$pid" ] && grep -qsF "$folder/data" "/proc/$pid/cmdline"; then
    kill -KILL "$pid"
    sleep 1
  fi
}

# use_application_role: from here on our own database is used as a role that can do no more than web and workers need.
use_application_role() {
  [ -n "${OWN_DATABASE:-}" ] || return 0
  local psql=/usr/lib/postgresql/15/bin/psql
  [ -s "$DATABASE_FOLDER/application-password" ] ||
    (umask 077 && python3 -c 'import secrets; print(secrets.token_urlsafe(24))' >"$DATABASE_FOLDER/application-password")
  {
    cat scripts/application_role.sql
    printf "ALTER ROLE brisk_app PASSWORD '%s';\n" "$(cat "$DATABASE_FOLDER/application-password")"
  } | PGOPTIONS="-c client_min_messages=warning" "$psql" "$OWN_DATABASE/brisk" -q -v ON_ERROR_STOP=1
  export DATABASE_URL="postgresql://brisk_app:$(cat "$DATABASE_FOLDER/application-password")@${OWN_DATABASE#*@}/brisk"
}

# wait_for_former: what runs the processes of this house, and was left by a start that was killed, is closing them.
wait_for_former() {
  local pid try
  pid="$(cat "$BRISK_DATA/supervisor.pid" 2>/dev/null || true)"
  for try in $(seq 120); do
    { [ -n "$pid" ] && grep -qs supervisord "/proc/$pid/cmdline"; } || return 0
    [ "$try" -lt 120 ] || kill -KILL "$pid" 2>/dev/null || true
    sleep 0.5
  done
}

# hand_over_database: stops our own cluster and has supervisor run it, which starts it again when it ends.
hand_over_database() {
  : >"$BRISK_DATA/database.conf"
  [ -n "${DATABASE_FOLDER:-}" ] || return 0
  local bin=/usr/lib/postgresql/15/bin become="setpriv --pdeathsig INT "
  as_server "$bin/pg_ctl" -D "$DATABASE_FOLDER/data" -m fast -w stop >/dev/null 2>&1 || true
  CLUSTER=""
  [ "$(id -u)" -eq 0 ] && become+="--reuid=postgres --regid=postgres --init-groups "
  cat >"$BRISK_DATA/database.conf" <<END
[program:database]
command = $become$bin/postgres -D "$DATABASE_FOLDER/data" -p $(cat "$DATABASE_FOLDER/port") -c listen_addresses=127.0.0.1 -c unix_socket_directories='' -c max_connections=100
directory = /
priority = 1
autorestart = true
startretries = 1000000
stopsignal = INT
stopwaitsecs = 20
redirect_stderr = true
stdout_logfile = $BRISK_DATA/database.log
stdout_logfile_maxbytes = 5MB
END
}

# database_stamp [TEXT]: prints the comment on our own database, or sets it; prints nothing for a database of others.
database_stamp() {
  [ -n "${OWN_DATABASE:-}" ] || return 0
  local words="SELECT shobj_description(oid, 'pg_database') FROM pg_database WHERE datname = 'brisk'"
  [ $# -eq 0 ] || words="COMMENT ON DATABASE brisk IS '$1'"
  /usr/lib/postgresql/15/bin/psql "$OWN_DATABASE/brisk" -tAq -c "$words"
}

# stop_database: stops the cluster that start_database started.
stop_database() {
  [ -n "${CLUSTER:-}" ] || return 0
  as_server /usr/lib/postgresql/15/bin/pg_ctl -D "$CLUSTER/data" -m fast -w stop >/dev/null 2>&1 || true
  CLUSTER=""
}
