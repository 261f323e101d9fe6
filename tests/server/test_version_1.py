"""The demo job as the code before version 2 stored it: it opens, edits, undoes and predicts to the same figures.

The dump holds two people's steps: points moved, renamed, observed twice and added, a flight lowered with another
calibration and oblique lines, a second antenna height, an assumption, an area, and a mark's step that had been
undone."""

import gzip
import json
import os
import subprocess
import sys
from pathlib import Path

import pytest
from django.db import connection

from kardo.core.accuracy.prediction import predict
from kardo.core.plan.model import plan_from_json
from scripts.cluster import _binary

DATA = Path(__file__).parents[1] / "data"
FIGURES = json.loads((DATA / "figures-v1.json").read_text())["figures"]
KEYS = ("rmse_h", "rmse_v", "seen_rmse_h", "seen_rmse_v", "chance")


@pytest.fixture(scope="module")
def told(django_db_setup, django_db_blocker):
    with django_db_blocker.unblock():
        known = connection.settings_dict
        with connection.cursor() as cursor:
            cursor.execute("DROP DATABASE IF EXISTS kardo_version_1")
            cursor.execute("CREATE DATABASE kardo_version_1")
    psql = [
        _binary("psql"),
        "-q",
        "-h",
        known["HOST"],
        "-p",
        str(known["PORT"]),
        "-U",
        known["USER"],
        "-d",
        "kardo_version_1",
    ]
    subprocess.run(
        [*psql, "-v", "ON_ERROR_STOP=1"],
        input=gzip.decompress((DATA / "database-v1.sql.gz").read_bytes()),
        env={**os.environ, "PGPASSWORD": known["PASSWORD"]},
        check=True,
        stdout=subprocess.DEVNULL,
    )
    env = {**os.environ, "KARDO_DB_NAME": "kardo_version_1", "DJANGO_SETTINGS_MODULE": "kardo.server.settings"}
    done = subprocess.run(
        [sys.executable, "-m", "tests.server.version_1"], env=env, capture_output=True, text=True, timeout=300
    )
    assert done.returncode == 0, done.stderr[-3000:]
    yield json.loads(done.stdout.splitlines()[-1])
    with django_db_blocker.unblock(), connection.cursor() as cursor:
        cursor.execute("DROP DATABASE kardo_version_1 WITH (FORCE)")


def expect(figures, kept):
    """To half a per cent: since then the growth with the distance to the base has gone from the exposures to their
    sortie, and a surface takes its slope times the error in plan."""
    for key in KEYS:
        assert figures[key] == pytest.approx(kept[key], rel=5e-3), key


def test_it_opens_and_predicts_to_the_same_figures(told):
    expect(told["figures"][0], FIGURES[2])


def test_the_step_that_was_undone_can_be_done_again(told):
    expect(told["figures"][1], FIGURES[1])


def test_every_step_can_be_undone_back_to_the_first_figures(told):
    expect(told["figures"][2], FIGURES[0])
    names = {p["id"]: p["name"] for p in told["plans"][2]["control"]}
    assert names["G3"] == "G3" and "K9" not in names
    assert told["plans"][2]["flights"][0]["height_m"] == 70.0 and told["plans"][2]["assumptions"]["overrides"] == {}


def test_it_is_edited_and_computed_again(told):
    assert told["state"] == "done"
    assert told["predictions_kept"] == 4, "what was computed before is kept"


def test_the_plans_file_of_version_1_predicts_the_same():
    plan = plan_from_json(json.loads(gzip.decompress((DATA / "plan-v1.json.gz").read_bytes())))
    expect(vars(predict(plan)), FIGURES[2])
    assert plan_from_json(json.loads(json.dumps(plan.to_json()))) == plan
