"""Hosts of the test's own: two network namespaces on a bridge, and a PostgreSQL cluster that both reach."""

import glob
import json
import os
import secrets
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
from dataclasses import dataclass, field
from pathlib import Path

import psycopg
import pytest

ROOT = Path(__file__).parents[2]
NET = "10.213.77"
HOSTS = {"alder": f"{NET}.2", "birch": f"{NET}.3"}


def run(*words, **options):
    return subprocess.run(words, check=True, **options)


def as_postgres(*words, **options):
    return run("runuser", "-u", "postgres", "--", *words, cwd="/", stdout=subprocess.DEVNULL, **options)


@pytest.fixture(scope="session")
def two_hosts():
    """The hosts' names; each is a namespace with an address of its own on the bridge kardo-br."""
    if os.geteuid() or not shutil.which("ip"):
        pytest.fail("hosts of the test's own need root and iproute2, which set-up installs")
    drop_hosts()
    run("ip", "link", "add", "kardo-br", "type", "bridge")
    run("ip", "addr", "add", f"{NET}.1/24", "dev", "kardo-br")
    run("ip", "link", "set", "kardo-br", "up")
    for name, address in HOSTS.items():
        run("ip", "netns", "add", f"kardo-{name}")
        run("ip", "link", "add", f"kv-{name}", "type", "veth", "peer", "name", "eth0", "netns", f"kardo-{name}")
        run("ip", "link", "set", f"kv-{name}", "master", "kardo-br", "up")
        run("ip", "-n", f"kardo-{name}", "addr", "add", f"{address}/24", "dev", "eth0")
        run("ip", "-n", f"kardo-{name}", "link", "set", "eth0", "up")
        run("ip", "-n", f"kardo-{name}", "link", "set", "lo", "up")
    yield list(HOSTS)
    drop_hosts()


def drop_hosts():
    """Also what a run that was killed has left: its workers, which would keep the namespace, and its link."""
    for name in HOSTS:
        found = subprocess.run(["ip", "netns", "pids", f"kardo-{name}"], capture_output=True, text=True).stdout
        for process in found.split():
            os.kill(int(process), signal.SIGKILL)
        subprocess.run(["ip", "link", "del", f"kv-{name}"], stderr=subprocess.DEVNULL)
        subprocess.run(["ip", "netns", "del", f"kardo-{name}"], stderr=subprocess.DEVNULL)
    subprocess.run(["ip", "link", "del", "kardo-br"], stderr=subprocess.DEVNULL)


@pytest.fixture(scope="session")
def shared_cluster(two_hosts):
    """The environment of a process that uses a PostgreSQL of this test's own, reached over the bridge."""
    home = Path(tempfile.mkdtemp(prefix="kardo-hosts-", dir="/var/tmp"))
    shutil.chown(home, "postgres")
    binaries = Path(sorted(glob.glob("/usr/lib/postgresql/*/bin"))[-1])
    password = home / "password"
    password.write_text(secrets.token_hex(16))
    shutil.chown(password, "postgres")
    as_postgres(binaries / "initdb", "-D", home / "data", "-U", "kardo", "--auth=scram-sha-256", f"--pwfile={password}")
    with (home / "data" / "pg_hba.conf").open("a") as rules:
        rules.write(f"host all kardo {NET}.0/24 scram-sha-256\n")
    with socket.socket() as s:
        s.bind((f"{NET}.1", 0))
        port = s.getsockname()[1]
    options = f"-c listen_addresses={NET}.1 -c port={port} -c unix_socket_directories='' -c fsync=off"
    as_postgres(binaries / "pg_ctl", "-D", home / "data", "-o", options, "-l", home / "log", "-w", "start")
    env = {
        **os.environ,
        "KARDO_DB_HOST": f"{NET}.1",
        "KARDO_DB_PORT": str(port),
        "KARDO_DB_USER": "kardo",
        "KARDO_DB_PASSWORD": password.read_text(),
        "KARDO_DB_NAME": "hosts",
        "KARDO_LOG": "INFO",
        "DJANGO_SETTINGS_MODULE": "kardo.server.settings",
        "PGPASSWORD": password.read_text(),
    }
    run(binaries / "createdb", "-h", f"{NET}.1", "-p", str(port), "-U", "kardo", "hosts", env=env)
    run(sys.executable, "manage.py", "migrate", "--verbosity", "0", cwd=ROOT, env=env)
    yield env
    as_postgres(binaries / "pg_ctl", "-D", home / "data", "-m", "immediate", "stop")
    shutil.rmtree(home)


@dataclass
class Office:
    """The server's side: a script in a process of its own, and workers on the hosts."""

    env: dict
    workers: dict = field(default_factory=dict)

    def ask(self, code, **values):
        """Run code against the shared database; what it assigns to `answer` comes back through JSON."""
        script = f"""
import json, sys, django
django.setup()
from django.contrib.auth.models import User
from kardo.server.accounts.models import Member, Organisation
from kardo.server.actions.edit_plan import create_job
from kardo.server.plans.stored import whole_plan
from kardo.server.predictions.models import Computation
from kardo.server.predictions.tasks import request_computation
from procrastinate.contrib.django.models import ProcrastinateJob
given = json.load(sys.stdin)
answer = None
{code}
print("ANSWER" + json.dumps(answer, default=str))
"""
        told = run(
            sys.executable,
            "-c",
            script,
            input=json.dumps(values),
            cwd=ROOT,
            env=self.env,
            capture_output=True,
            text=True,
        )
        return json.loads(told.stdout.rpartition("ANSWER")[2])

    def row(self, number):
        """A computation as the database has it now."""
        names = ("state", "stage", "share", "result", "runner", "error")
        with psycopg.connect(
            host=self.env["KARDO_DB_HOST"],
            port=self.env["KARDO_DB_PORT"],
            user="kardo",
            password=self.env["KARDO_DB_PASSWORD"],
            dbname="hosts",
        ) as connection:
            found = connection.execute(
                f"SELECT {', '.join(names)} FROM predictions_computation WHERE id = %s", (number,)
            )
            return dict(zip(names, found.fetchone(), strict=True))

    def start_worker(self, host, *words):
        command = ["ip", "netns", "exec", f"kardo-{host}", sys.executable, "manage.py", "worker", *words]
        self.workers[host] = subprocess.Popen(command, cwd=ROOT, env=self.env, stderr=subprocess.DEVNULL)

    def kill(self, host):
        """As a lost host would go: no farewell."""
        self.workers[host].kill()
        self.workers[host].wait()

    def wait_for(self, condition, seconds=400):
        until = time.monotonic() + seconds
        while time.monotonic() < until:
            if answer := condition():
                return answer
            time.sleep(0.1)
        raise AssertionError(f"not within {seconds} s")

    def wait_until_done(self, number, seconds=400):
        self.wait_for(lambda: self.row(number)["state"] == "done", seconds)
        return self.row(number)


@pytest.fixture
def hosts(shared_cluster):
    office = Office(shared_cluster)
    yield office
    for worker in office.workers.values():
        worker.kill()
        worker.wait()
    office.ask("Computation.objects.all().delete(); ProcrastinateJob.objects.all().delete()")
