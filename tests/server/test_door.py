"""A stranger at the web server's door, over real connections: whoever reads nothing, sends slowly, or never ends, makes
nobody else wait."""

import asyncio
import http.client
import json
import os
import socket
import subprocess
import sys
import time
from pathlib import Path

import pytest
from django.conf import settings
from django.db import connection

from kardo.server import asgi
from kardo.server.door import bodies
from kardo.server.urls import api
from scripts.demo import web

ROOT = Path(__file__).parents[2]
SOON = 3.0  # seconds; machines are shared
BIG = (
    max((settings.WEB_DIST / "assets").glob("*.js"), key=lambda f: f.stat().st_size)
    if settings.WEB_DIST.exists()
    else None
)


@pytest.fixture(scope="module")
def port(django_db_setup):
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        free = s.getsockname()[1]
    told = {"KARDO_DB_NAME": connection.settings_dict["NAME"], "DJANGO_SETTINGS_MODULE": "kardo.server.settings"}
    process = subprocess.Popen(web(free), cwd=ROOT, env=os.environ | told)
    try:
        for _ in range(300):
            try:
                if asked(free, "GET", "/healthz")[0] == 200:
                    break
            except OSError:
                time.sleep(0.1)
        yield free
    finally:
        process.terminate()
        process.wait(20)


def asked(port, method, path, body=None, headers=None):
    """Status and body of a request on a connection of its own."""
    line = http.client.HTTPConnection("127.0.0.1", port, timeout=20)
    try:
        line.request(method, path, body, headers or {})
        answer = line.getresponse()
        return answer.status, answer.read()
    finally:
        line.close()


def raw(port, *pieces):
    line = socket.create_connection(("127.0.0.1", port), timeout=20)
    for piece in pieces:
        line.sendall(piece)
    return line


def soon(port):
    """Each process answers in time, from its threads and from the event loop."""
    for path in ("/api/session", "/", f"/assets/{BIG.name}", "/healthz") * 4:
        began = time.monotonic()
        status, _ = asked(port, "GET", path)
        assert status == 200 and time.monotonic() - began < SOON, path


def ended(line):
    """Whether the other end has closed a connection."""
    line.settimeout(20)
    try:
        while line.recv(65536):
            pass
    except ConnectionError:
        return True
    except TimeoutError:
        return False
    return True


def test_who_reads_nothing_takes_no_thread(port):
    get = f"GET /assets/{BIG.name} HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n".encode()
    page = b"GET /api/session HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n"
    lines = [raw(port, get * 12, page * 12) for _ in range(24)]
    soon(port)
    for line in lines:
        line.close()
    soon(port)


def test_a_body_that_comes_byte_by_byte_takes_no_thread(port):
    head = b"POST /api/session HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/json\r\nContent-Length: 3000\r\n\r\n{"
    lines = [raw(port, head) for _ in range(24)]
    soon(port)
    for line in lines:
        line.sendall(b'"')
    soon(port)


def test_a_head_without_end_ends_its_connection_and_no_process(port):
    lines = [raw(port, b"GET / HTTP/1.1\r\n", b"X-Long: " + b"a" * 60_000) for _ in range(4)]
    assert all(ended(line) for line in lines)
    soon(port)


TOO_MUCH = [
    ("POST", "/api/session", b"[" * 5000, "application/json", 413, "larger"),
    ("POST", "/api/jobs", b"[]" * 2_100_000, "application/json", 401, "signed in"),
    ("POST", "/api/jobs/import", b"a" * 1_200_000, "multipart/form-data; boundary=b", 401, "signed in"),
    ("POST", "/api/jobs/import", b"a", "multipart/form-data", 400, "boundary"),
    ("POST", "/api/jobs/import", b"a", 'multipart/form-data; boundary=""', 400, "boundary"),
]


@pytest.mark.parametrize(("method", "path", "body", "kind", "status", "words"), TOO_MUCH)
def test_what_is_too_much_is_refused_before_a_thread_is_taken(port, method, path, body, kind, status, words):
    got, told = asked(port, method, path, body, {"Content-Type": kind})
    assert got == status and words in json.loads(told)["title"]


def test_a_length_that_is_none_is_refused(port):
    line = raw(port, b"POST /api/session HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: many\r\n\r\n{}")
    assert line.recv(4096).startswith(b"HTTP/1.1 400")


def test_files_come_packed_and_not_twice(port):
    _, plain = asked(port, "GET", f"/assets/{BIG.name}")
    assert plain == BIG.read_bytes()
    line = http.client.HTTPConnection("127.0.0.1", port, timeout=20)
    line.request("GET", f"/assets/{BIG.name}", headers={"Accept-Encoding": "br, gzip"})
    answer = line.getresponse()
    assert answer.headers["Content-Encoding"] == "br" and len(answer.read()) < len(plain) / 3
    assert (
        "immutable" in answer.headers["Cache-Control"]
        and "default-src 'self'" in answer.headers["Content-Security-Policy"]
    )
    since = {"If-Modified-Since": answer.headers["Last-Modified"], "Accept-Encoding": "br"}
    line.request("GET", f"/assets/{BIG.name}", headers=since)
    assert line.getresponse().status == 304
    line.close()
    assert asked(port, "HEAD", f"/assets/{BIG.name}") == (200, b"")
    assert asked(port, "GET", "/assets/../settings.py")[0] == 404


def test_limits_are_by_what_is_asked():
    assert bodies.most_of("/api/session", "multipart/form-data; boundary=x") == 4000
    assert bodies.most_of("/api/jobs/x/read/terrain", "multipart/form-data; boundary=x") == bodies.MOST_MULTIPART
    assert bodies.most_of("/api/jobs/x/plan", "application/json") == bodies.MOST_JSON


@pytest.mark.parametrize("module", ["processing", "stations", "casters", "receivers"])
def test_what_waits_for_the_outside_has_threads_of_its_own(module):
    """Every route of a module that asks somebody outside; the airspace's are beside others."""
    routes = [
        (method, path)
        for path, methods in api.get_openapi_schema()["paths"].items()
        for method, told in methods.items()
        if told["operationId"].startswith(f"kardo_server_api_{module}_")
    ]
    assert routes
    for method, path in [*routes, ("get", "/api/jobs/{job_id}/airspace"), ("post", "/api/jobs/{job_id}/airspace/ask")]:
        assert asgi._threads_for(method.upper(), path.replace("{job_id}", "7c9e6679")) is asgi._outside, path
    assert asgi._threads_for("GET", "/api/jobs/7c9e6679/close") is asgi._requests
    assert asgi._threads_for("GET", "/api/session") is asgi._requests
    assert asgi._threads_for("POST", "/api/session") is asgi._entry, "who guesses keeps nobody from working"
    assert asgi._threads_for("POST", "/api/jobs/7c9e6679/live") is asgi._live


def test_an_answer_goes_out_in_pieces_so_that_a_slow_reader_is_none_who_reads_nothing():
    sent = []

    async def send(message):
        sent.append(message)

    scope = {"type": "http", "path": f"/assets/{BIG.name}", "method": "GET", "headers": [], "client": None}
    asyncio.run(asgi.application(scope, None, send))
    bodies_sent = [m["body"] for m in sent[1:]]
    assert sent[0]["status"] == 200 and b"".join(bodies_sent) == BIG.read_bytes()
    assert max(map(len, bodies_sent)) == asgi.PIECE and sent[-1].get("more_body", False) is False
    assert all(m["more_body"] for m in sent[1:-1])


def test_who_reads_slowly_gets_all_of_it(port):
    line = raw(port, f"GET /assets/{BIG.name} HTTP/1.1\r\nHost: 127.0.0.1\r\nConnection: close\r\n\r\n".encode())
    got = b""
    while piece := line.recv(4096):
        got += piece
        if len(got) < 100_000:
            time.sleep(0.05)
    assert got.endswith(BIG.read_bytes()[-2000:])


@pytest.mark.parametrize("words", [[], ["nothing"]])
def test_the_admin_says_what_it_can_do(words):
    program = Path(sys.executable).with_name("kardo-admin")
    done = subprocess.run([program, *words], capture_output=True, text=True)
    assert done.returncode == 2 and "organisation|member" in done.stderr
