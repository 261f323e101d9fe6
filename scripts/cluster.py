"""A PostgreSQL cluster of the project's own, on loopback, on a free port, owned by an unprivileged user.

cluster.py start    initialise where needed, start, and write .local/database.json
cluster.py stop
cluster.py template

KARDO_CLUSTER=tests means another one beside it, for what may be lost: it writes .local/database-tests.json, and waits
for no disk. Tests copy their databases from one that holds the tables already (`template`)."""

import glob
import hashlib
import json
import os
import pwd
import secrets
import shutil
import socket
import subprocess
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
LOCAL = ROOT / ".local"
WHICH = os.environ.get("KARDO_CLUSTER", "")
WRITTEN = LOCAL / f"database{WHICH and '-' + WHICH}.json"


def _as_owner(command: list[str], **options) -> subprocess.CompletedProcess:
    """Run as the cluster's owner: `postgres` when we are root, ourselves otherwise."""
    if os.geteuid() == 0:
        command = ["runuser", "-u", "postgres", "--", *command]
    return subprocess.run(command, cwd="/", **options)


def _binary(name: str) -> str:
    found = sorted(glob.glob(f"/usr/lib/postgresql/*/bin/{name}")) or [shutil.which(name) or ""]
    if not found[-1]:
        sys.exit("PostgreSQL is not installed: apt-get install postgresql-15 postgresql-15-postgis-3")
    return found[-1]


def _home() -> Path:
    """Where the cluster lives: .local/, or a folder of its own where `postgres` cannot enter the checkout."""
    wanted = LOCAL / f"postgres{WHICH and '-' + WHICH}"
    if os.geteuid() != 0:
        wanted.mkdir(parents=True, exist_ok=True)
        return wanted
    wanted.mkdir(parents=True, exist_ok=True)
    owner = pwd.getpwnam("postgres")
    os.chown(wanted, owner.pw_uid, owner.pw_gid)
    if _as_owner(["test", "-w", str(wanted)]).returncode == 0:
        return wanted
    wanted.rmdir()
    elsewhere = Path("/var/tmp") / f"kardo-{hashlib.sha256(f'{ROOT}{WHICH}'.encode()).hexdigest()[:12]}"
    elsewhere.mkdir(mode=0o700, exist_ok=True)
    if elsewhere.is_symlink() or elsewhere.stat().st_uid not in (0, owner.pw_uid):
        sys.exit(f"{elsewhere} belongs to somebody else; remove it.")
    os.chown(elsewhere, owner.pw_uid, owner.pw_gid)
    return elsewhere


def _free_port() -> int:
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return s.getsockname()[1]


def _is_free(port: int) -> bool:
    """Whether a port can be had again: whoever connects knows the database by it."""
    with socket.socket() as s:
        s.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            s.bind(("127.0.0.1", port))
        except OSError:
            return False
        return port > 0


def revive() -> None:
    """Start the cluster again where it does not answer any more."""
    if WRITTEN.exists() and not _answers(json.loads(WRITTEN.read_text())):
        print("PostgreSQL does not answer; started again", flush=True)
        start()


def _initialise(data: Path, password: str) -> None:
    with tempfile.NamedTemporaryFile("w", suffix=".pw") as file:
        file.write(password)
        file.flush()
        if os.geteuid() == 0:
            shutil.chown(file.name, "postgres")
        _as_owner(
            [
                _binary("initdb"),
                "-D",
                str(data),
                "-U",
                "kardo",
                "--auth=scram-sha-256",
                f"--pwfile={file.name}",
                "-E",
                "UTF8",
                "--locale=C.UTF-8",
            ],
            check=True,
            stdout=subprocess.DEVNULL,
        )


def _answers(known: dict) -> bool:
    with socket.socket() as s:
        s.settimeout(1)
        return s.connect_ex(("127.0.0.1", known["port"])) == 0


def start() -> None:
    """Start the cluster; a running one is kept, and one that was killed is recovered by PostgreSQL itself."""
    home = _home()
    data = home / "data"
    known = (
        json.loads(WRITTEN.read_text())
        if WRITTEN.exists()
        else {"user": "kardo", "password": secrets.token_urlsafe(24)}
    )
    fresh = _as_owner(["test", "-e", str(data / "PG_VERSION")]).returncode != 0
    if fresh:
        known = {"user": "kardo", "password": secrets.token_urlsafe(24)}
        _initialise(data, known["password"])
    running = _as_owner([_binary("pg_ctl"), "-D", str(data), "status"], stdout=subprocess.DEVNULL).returncode == 0
    if not (running and "port" in known and _answers(known)):
        if running:
            _as_owner([_binary("pg_ctl"), "-D", str(data), "-m", "fast", "-w", "stop"], stdout=subprocess.DEVNULL)
        known["port"] = known["port"] if _is_free(known.get("port", 0)) else _free_port()
        options = (
            f"-c listen_addresses=127.0.0.1 -c port={known['port']} -c unix_socket_directories='' -c"
            f" fsync={'off' if WHICH == 'tests' else 'on'}"
        )
        _as_owner(
            [_binary("pg_ctl"), "-D", str(data), "-o", options, "-l", str(home / "log"), "-w", "start"],
            check=True,
            stdout=subprocess.DEVNULL,
        )
    WRITTEN.write_text(json.dumps(known))
    WRITTEN.chmod(0o600)
    if fresh:
        _psql(known, "postgres", "CREATE DATABASE kardo")


def template() -> str:
    """The name of a database with the tables of this checkout's migrations, made where there is none yet."""
    migrations = sorted((ROOT / "kardo" / "server").rglob("migrations/*.py"))
    digest = hashlib.sha256(b"".join(file.read_bytes() for file in migrations)).hexdigest()[:12]
    name, known = f"kardo_template_{digest}", json.loads(WRITTEN.read_text())
    if name in _databases(known):
        return name
    _psql(known, "postgres", f"DROP DATABASE IF EXISTS {name}_half; CREATE DATABASE {name}_half")
    migrate = [sys.executable, "manage.py", "migrate", "--verbosity", "0"]
    subprocess.run(migrate, cwd=ROOT, env={**os.environ, "KARDO_DB_NAME": f"{name}_half"}, check=True)
    _psql(known, "postgres", f"ALTER DATABASE {name}_half RENAME TO {name}")
    return name


def away(name: str) -> None:
    """Cut a database off, as a restart would: whoever is connected is not any more, and nobody comes in."""
    known = json.loads(WRITTEN.read_text())
    cut = f"SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = '{name}'"
    _psql(known, "postgres", f"ALTER DATABASE {name} ALLOW_CONNECTIONS false; {cut}")


def back(name: str) -> None:
    """Let people into a database again."""
    _psql(json.loads(WRITTEN.read_text()), "postgres", f"ALTER DATABASE {name} ALLOW_CONNECTIONS true")


def _databases(known: dict) -> list[str]:
    return _psql(known, "postgres", "SELECT datname FROM pg_database").split()


def _psql(known: dict, database: str, sql: str) -> str:
    """Have statements carried out, each by itself; what they answered, bare."""
    env = {**os.environ, "PGPASSWORD": known["password"]}
    command = [
        _binary("psql"),
        "-qtA",
        "-h",
        "127.0.0.1",
        "-p",
        str(known["port"]),
        "-U",
        "kardo",
        "-d",
        database,
        *(word for one in sql.split(";") for word in ("-c", one)),
    ]
    return subprocess.run(command, env=env, check=True, stdout=subprocess.PIPE, text=True).stdout


def stop() -> None:
    if WRITTEN.exists():
        _as_owner(
            [_binary("pg_ctl"), "-D", str(_home() / "data"), "-m", "fast", "-w", "stop"],
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )


if __name__ == "__main__":
    if told := {"start": start, "stop": stop, "template": template}[sys.argv[1]]():
        print(told)
