"""Workers on two hosts: the same answer, nothing lost or done twice, and nobody held up by somebody's large block."""

import json
import time

from benchmarks.prediction import block_plan
from tests.conftest import small_plan

NEW_JOB = """
from kardo.core.plan.model import plan_from_json
office, _ = Organisation.objects.get_or_create(name=given["office"])
user, _ = User.objects.get_or_create(username=given["office"])
job = create_job(office, user, plan_from_json(given["plan"]))
answer = request_computation(job, whole_plan(job)).pk
"""


def new_job(hosts, office, plan):
    return hosts.ask(NEW_JOB, office=office, plan=plan.to_json())


def test_two_hosts_give_the_same_answer_to_the_last_digit(hosts):
    """Two offices ask for the same plan; each host computes one of the two."""
    plan = small_plan()
    hosts.start_worker("alder")
    first = new_job(hosts, "first", plan)
    one = hosts.wait_until_done(first)["result"]
    hosts.kill("alder")
    second = new_job(hosts, "second", plan)
    assert hosts.row(second)["state"] == "queued", "nobody is there to take it"
    hosts.start_worker("birch")
    other = hosts.wait_until_done(second)["result"]
    assert one.pop("seconds") != other.pop("seconds")
    assert json.dumps(one, sort_keys=True) == json.dumps(other, sort_keys=True)


def test_a_killed_worker_loses_nothing_and_nothing_is_stored_twice(hosts):
    """The host that has the job in hand disappears; the other one finishes it."""
    hosts.start_worker("alder")
    number = new_job(hosts, "first", block_plan(2500))
    hosts.wait_for(lambda: hosts.row(number)["share"] > 0)
    hosts.kill("alder")
    before = hosts.row(number)
    assert before["state"] == "running" and before["result"] is None
    hosts.start_worker("birch")
    after = hosts.wait_until_done(number)
    assert after["runner"] != before["runner"] and after["result"]["size"]["exposures"] > 2300
    assert hosts.ask(
        "answer = [Computation.objects.count(), ProcrastinateJob.objects.exclude(status='succeeded').count()]"
    ) == [1, 0]


def test_a_large_block_does_not_hold_up_a_small_one(hosts):
    """One host takes quick work only. The large block here has 3,600 images, so that the test stays short."""
    hosts.start_worker("alder", "--only", "quick")
    hosts.start_worker("birch", "--nice", "5")
    large = new_job(hosts, "first", block_plan(3600))
    hosts.wait_for(lambda: hosts.row(large)["state"] == "running")
    started = time.monotonic()
    small = new_job(hosts, "second", small_plan())
    hosts.wait_until_done(small)
    took = time.monotonic() - started
    assert hosts.row(large)["state"] == "running", "the large one is still at work"
    print(f"small one answered after {took:.1f} s beside the large one")
    hosts.wait_until_done(large, seconds=900)
