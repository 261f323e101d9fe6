"""Live answers over the API: scoped, provisional, and the same as the engine's."""

import contextlib
import os
import pickle
import stat
import subprocess
import sys
import threading
import time
from multiprocessing.connection import Client

import pytest

from kardo.core.accuracy.prediction import predict
from kardo.core.plan.brief import Brief
from kardo.server.plans.stored import whole_plan
from kardo.server.predictions import ipc
from kardo.server.predictions.solved_networks import METHODS, Networks
from kardo.server.questions import live
from tests.server.conftest import edit
from tests.server.test_editing import moved

NOBODY = ("nobody", Brief(), ())
pytestmark = pytest.mark.django_db(transaction=True)


def ask(client, job, changes=()):
    answer = client.post(f"/api/jobs/{job.pk}/live", data={"edits": list(changes)}, content_type="application/json")
    return answer.json()


def ready(client, job, changes=()):
    for _ in range(200):
        told = ask(client, job, changes)
        if told["state"] != "preparing":
            return told
        time.sleep(0.05)
    raise AssertionError("never ready")


def test_first_preparing_then_the_figures_of_the_plan(planner, job):
    assert ask(planner, job)["state"] == "preparing"
    told = ready(planner, job)
    full = predict(whole_plan(job))
    assert told["state"] == "ready" and told["seconds"] < 5
    assert told["result"]["rmse_v"] == pytest.approx(full.rmse_v, rel=1e-6)
    assert told["result"]["chance"] == pytest.approx(full.chance, abs=1e-3)
    assert len(told["result"]["map"]["v"]) == len(full.map.v)


def test_a_move_is_answered_without_being_saved_and_serves_after_it_is_saved(planner, job):
    ready(planner, job)
    wanted = moved(job)
    before = ask(planner, job, wanted)["result"]["rmse_h"]
    job.refresh_from_db()
    assert job.revision == 1, "a question is not an edit"
    planner.patch_plan(job.pk, wanted, 1)
    assert ask(planner, job)["state"] == "ready", "a change of control needs no other network"
    assert ask(planner, job)["result"]["rmse_h"] == pytest.approx(before, rel=1e-9)


def test_another_flight_needs_another_network(planner, job):
    ready(planner, job)
    planner.patch_plan(job.pk, [edit("brief/tolerance_v", 0.05, 0.04)], 1)
    assert ask(planner, job)["result"]["limit_v"] == 0.04, "what is promised needs no other network"
    planner.patch_plan(job.pk, [edit("flights/main/height_m", 80.0, 85.0)], 2)
    assert ask(planner, job)["state"] == "preparing"


def test_only_control_is_answered_live(planner, job):
    answer = planner.post(
        f"/api/jobs/{job.pk}/live",
        data={"edits": [edit("flights/main/height_m", 80.0, 85.0)]},
        content_type="application/json",
    )
    assert answer.status_code == 422 and "control" in answer.json()["title"]


def test_a_plan_that_lacks_something_is_refused_in_words(planner, job):
    planner.patch_plan(job.pk, [edit("setups/base/mark", "A", None)], 1)
    told = ask(planner, job)
    assert told["state"] == "refused" and "mark" in told["words"]


class Solved:
    nbytes = 100


def test_no_more_networks_are_kept_than_memory_allows_and_none_goes_while_it_is_solved():
    going = threading.Event()

    def solve(plan):
        if plan == "slow":
            going.wait(5)
        return Solved()

    networks = Networks(solve=solve, most_bytes=250)
    networks.start("slow", "slow")
    for k in range(5):
        networks.start(f"k{k}", "quick")
    assert all(networks.get(f"k{k}") for k in range(5)), "none is let go while it waits"
    going.set()
    networks._solving.shutdown(wait=True)
    assert [k for k in range(5) if networks.get(f"k{k}")] == [3, 4] and not networks.get("slow")


def test_a_network_that_fails_is_refused_in_words_and_asked_for_once():
    def solve(plan):
        raise ZeroDivisionError

    networks = Networks(solve=solve)
    networks.start("k", None)
    networks.start("k", None)
    networks._solving.shutdown(wait=True)
    entry = networks.get("k")
    assert entry.done and "not to be had" in entry.words


def test_fifty_jobs_asked_at_once_make_few_threads(planner, job):
    before = threading.active_count()
    networks = Networks(solve=lambda plan: Solved())
    for k in range(50):
        networks.start(f"k{k}", None)
    assert threading.active_count() <= before + 1
    networks._solving.shutdown(wait=True)
    assert all(networks.get(f"k{k}").done for k in range(50))


@pytest.fixture
def served(tmp_path):
    """Address and secret of networks in a process of their own."""
    at, secret = ipc.address(tmp_path, "live"), b"secret"
    code = (
        "from kardo.server.predictions.ipc import serve; from kardo.server.predictions.solved_networks import METHODS,"
        f" Networks;by = Networks().by_method; fail = {{'fail': METHODS['ask']}};serve({at!r}, {secret!r}, METHODS |"
        " fail, by | {'fail': lambda *words: 1 / 0})"
    )
    running = []

    def start():
        running.append(subprocess.Popen([sys.executable, "-c", code]))
        for _ in range(300):
            with contextlib.suppress(ipc.Away, OSError):
                return ipc.Remote(at, secret, METHODS).call("ask", *NOBODY)
            time.sleep(0.1)
        raise AssertionError("it never served")

    start()
    yield at, secret, running, start
    for process in running:
        process.kill()


def test_networks_of_another_process_say_the_same(planner, job, served, monkeypatch):
    here = ready(planner, job)["result"]
    monkeypatch.setattr(live, "networks", live.RemoteNetworks(ipc.Remote(*served[:2], METHODS)))
    assert ask(planner, job)["state"] == "preparing"
    there = ready(planner, job)["result"]
    for name in (
        "e",
        "n",
        "h",
        "v",
        "images",
    ):  # to the last digit but one: how sums are parted depends on where arrays lie in memory
        assert there["map"][name] == pytest.approx(here["map"][name], rel=1e-12)
    figures = ("rmse_h", "rmse_v", "seen_rmse_h", "seen_rmse_v", "limit_h", "limit_v", "chance")
    assert [there[name] for name in figures] == pytest.approx([here[name] for name in figures], rel=1e-12)


def test_a_process_that_dies_is_away_in_words_and_serves_again_when_it_is_back(planner, job, served, monkeypatch):
    at, secret, running, start = served
    monkeypatch.setattr(live, "networks", live.RemoteNetworks(ipc.Remote(at, secret, METHODS)))
    assert ready(planner, job)["state"] == "ready"
    running[-1].kill()
    running[-1].wait()
    told = ask(planner, job)
    assert told["state"] == "refused" and "away for a moment" in told["words"]
    start()
    assert ready(planner, job)["state"] == "ready", "its old connections are dropped, and the network is solved anew"


def test_a_fault_over_there_is_one_here_and_a_stranger_is_not_served(served):
    at, secret, _, _ = served
    known = ipc.Remote(at, secret, METHODS | {"fail": METHODS["ask"]})
    with pytest.raises(RuntimeError, match="ZeroDivisionError"):
        known.call("fail", *NOBODY)
    with pytest.raises(ipc.Away):
        ipc.Remote(at, b"guessed", METHODS).call("ask", *NOBODY)
    assert known.call("ask", *NOBODY) is None, "and it serves on"
    assert stat.S_IMODE(os.stat(at).st_mode) == 0o600


def test_what_is_no_question_ends_in_words_and_nothing_is_ever_unpickled(served):
    at, secret, _, _ = served
    for name, words in ((b"ask", pickle.dumps(Bomb())), (b"ask", b'["k", {}, [7]]'), (b"stop", b"[]")):
        with Client(at, authkey=secret) as connection:
            connection.send_bytes(name)
            connection.send_bytes(words)
            assert connection.recv_bytes() == b"failed"
            assert "Error" in connection.recv_bytes().decode()
    assert ipc.Remote(at, secret, METHODS).call("ask", *NOBODY) is None, "and it serves on"


class Bomb:
    def __reduce__(self):
        return os._exit, (1,)


def test_a_path_too_long_for_a_socket_is_shortened(tmp_path):
    deep = tmp_path / ("d" * 90)
    assert len(ipc.address(deep, "live")) < 100
    assert ipc.address(deep, "live") != ipc.address(deep, "other")
