"""A local grid as text: what is written is read again, and what is not one is told with its line."""

import random
import string

import numpy as np
import pytest

from kardo.core.control.local import local_system
from kardo.core.errors import PlanError, ReadError
from kardo.core.gnss.library import published_of
from kardo.core.plan.local import LocalGrid
from kardo.core.practice.local_grid import ground_coordinates, local_told, local_words, marks_of_local
from kardo.formats.lists import local_list_csv
from kardo.formats.local_grid import local_text, pasted_pairs, pasted_places, read_local
from tests.conftest import E0, N0, small_plan
from tests.core.test_local import local_grid, pairs, stated


def delivered_in(local, unit="m"):
    plan = small_plan()
    return plan.model_copy(update={"brief": plan.brief.model_copy(update={"local": local, "unit": unit})})


@pytest.mark.parametrize("unit", ["m", "ft", "us-ft"])
@pytest.mark.parametrize(
    "make", [lambda: local_grid(scale="one", tilt=False, sigma_h=0.02), lambda: stated(local_grid())]
)
def test_what_is_written_is_read_again(unit, make):
    local = make()
    again = read_local(local_text(delivered_in(local, unit)).encode())
    assert (again.kind, again.scale, again.tilt) == (local.kind, local.scale, local.tilt)
    assert again.sigma_h == pytest.approx(local.sigma_h, abs=1e-5)
    grid = pairs()[0].T
    assert np.allclose(local_system(again).there(*grid), local_system(local).there(*grid), atol=2e-4)


def test_heights_that_are_not_known_and_points_that_do_not_count_come_back():
    local = local_grid()
    first = local.points[0].model_copy(update={"h": None, "plane": False, "name": "K|1"})
    local = local.model_copy(update={"points": (first, *local.points[1:])})
    again = read_local(local_text(delivered_in(local)).encode()).points[0]
    assert (again.h, again.local_h is None, again.plane, again.height, again.name) == (None, False, False, True, "K/1")


HEAD = b"local grid: works\n"


@pytest.mark.parametrize(
    ("text", "words"),
    [
        (b"", "no local grid"),
        (b"point, n, e", "line 1"),
        (HEAD, "Neither points nor parameters"),
        (HEAD + b"scale: x", "line 2"),
        (HEAD + b"scale: 1\nscale: 1", "there twice"),
        (HEAD + b"unit: chain", "no unit"),
        (HEAD + b"scale: 7", "factor"),
        (HEAD + b"point: A | 1 2 3", "line 2"),
        (HEAD + b"point: A | 1 2 3 | 4 x 6", "line 2"),
        (HEAD + b"point: A | 1 2 3 | 4e99 5 6", "line 2"),
        (HEAD + b"scale is: big\npoint: A | 1 2 3 | 4 5 6", "line 2"),
        (HEAD + b"point: A | 1 2 3 | 4 5 6\n" * 61, "61 points"),
        (b"x" * 100_001, "too large"),
    ],
)
def test_what_is_none_is_told(text, words):
    with pytest.raises(ReadError) as told:
        read_local(text)
    assert words in str(told.value)


def test_any_rubbish_is_read_or_told():
    rng = random.Random(4)
    plain = local_text(delivered_in(local_grid()))
    for _ in range(300):
        letters = list(plain)
        for _ in range(rng.randint(1, 30)):
            letters[rng.randrange(len(letters))] = rng.choice(string.printable)
        try:
            read_local("".join(letters).encode())
        except ReadError as fault:
            assert fault.what and fault.mend


@pytest.mark.parametrize("between", ["\t", ";", ",", "  "])
@pytest.mark.parametrize("head", ["", "name{0}E{0}N{0}H{0}E local{0}N local{0}H local\n"])
def test_pairs_are_taken_as_they_are_pasted(between, head):
    if "  " in between:
        head = head.replace("E local", "El").replace("N local", "Nl").replace("H local", "Hl")
    rows = [
        f"L{k}{between}{between.join(f'{v:.3f}' for v in (*a, *b))}"
        for k, (a, b) in enumerate(zip(*pairs(), strict=True))
    ]
    found = pasted_pairs(head.format(between) + "\n".join(rows), "m")
    assert [p.name for p in found] == ["L0", "L1", "L2", "L3", "L4"] and len({p.id for p in found}) == 5
    assert found[1].local_n == pytest.approx(pairs()[1][1, 1], abs=1e-3)
    feet = pasted_pairs("A,1,2,3,4", "ft")[0]
    assert (feet.e, feet.h, feet.local_n) == (pytest.approx(0.3048), None, pytest.approx(4 * 0.3048))


@pytest.mark.parametrize("text", ["", "A 1 2 3", "A,1,2,x,4,5,6", "A,1,2,3,4,5,6\n" * 61])
def test_pairs_that_are_none_are_told(text):
    with pytest.raises(ReadError):
        pasted_pairs(text, "m")


def test_control_is_listed_in_local_coordinates():
    plan = delivered_in(local_grid(noisy=False))
    first = local_list_csv(plan).splitlines()[1].split(",")
    e, n, h = (v.item() for v in local_system(plan.brief.local).there(*np.array([[E0 + 10], [N0 + 10], [4.0]])))
    assert first[0] == "G1" and float(first[1]) == pytest.approx(n, abs=1e-3)
    assert float(first[2]) == pytest.approx(e, abs=1e-3) and float(first[3]) == pytest.approx(h, abs=1.0)


# -- what is said of it


def remarks(local, unit="m"):
    return " ".join(r.words for r in local_told(delivered_in(local, unit)).remarks)


def spoilt(by, k=2):
    local = local_grid()
    bad = local.points[k].model_copy(update={"local_e": local.points[k].local_e + by})
    return local.model_copy(update={"points": (*local.points[:k], bad, *local.points[k + 1 :])})


def test_a_point_that_does_not_fit_is_named_and_two_alone_check_nothing():
    assert "does not fit" not in remarks(local_grid())
    assert "L2 does not fit" in remarks(spoilt(0.3)) and "disagree" in remarks(spoilt(0.3))
    two = local_grid().model_copy(update={"points": local_grid().points[:2]})
    assert "L0, L1: hardly checked in plan" in remarks(two)
    assert "outside the points" in remarks(two)


def test_a_scale_is_told_against_the_ground():
    told = local_told(delivered_in(local_grid(noisy=False)))
    ppm = (0.9997 * told.ground_scale - 1) * 1e6
    assert f"{abs(ppm):.0f} ppm shorter" in remarks(local_grid(noisy=False))
    assert "ft in 1000" in remarks(local_grid(noisy=False), "ft")


def test_it_is_told_in_a_sentence_for_the_report():
    told = local_words(delivered_in(local_grid(noisy=False)))
    assert (
        told
        == "Delivered in “local grid”, a similarity from 5 points known in both: scale 0.99970000, bearings turned by"
        " -17.188734°; heights with it."
    )
    ground = delivered_in(ground_coordinates(small_plan()))
    assert "as it was stated" in local_words(ground) and "heights the job's" in local_words(ground)
    assert local_words(small_plan()) == "" and local_words(delivered_in(LocalGrid())) == ""


def test_marks_that_the_local_grid_has_come_to_where_the_jobs_grid_has_them():
    plan, (grid, local) = delivered_in(local_grid(noisy=False)), pairs()
    text = "name,E,N,H\n" + "\n".join(f"W{k},{e:.4f},{n:.4f},{h:.4f}" for k, (e, n, h) in enumerate(local))
    marks = marks_of_local(plan, pasted_places(text, "m"))
    assert [m.name for m in marks] == ["W0", "W1", "W2", "W3", "W4"] and {m.known for m in marks} == {"local"}
    assert len({m.id for m in marks} | {m.id for m in plan.marks}) == 6
    assert np.allclose([[m.e, m.n, m.h] for m in marks], grid, atol=2e-4)
    assert marks_of_local(plan, pasted_places("A 1 2", "ft"))[0].h is None
    with pytest.raises(PlanError, match="no local grid"):
        marks_of_local(small_plan(), [])
    with pytest.raises(PlanError, match="job's local grid alone"):
        published_of(plan, marks[0])


@pytest.mark.parametrize("text", ["", "A 1", "A,1,x", "A 1 2 3 4", "A 1 2\n" * 61])
def test_places_that_are_none_are_told(text):
    with pytest.raises(ReadError):
        pasted_places(text, "m")


def test_a_grid_in_another_unit_is_asked_about():
    in_feet = local_grid(noisy=False)
    wide = [p.model_copy(update={"local_e": p.local_e / 0.3048, "local_n": p.local_n / 0.3048}) for p in in_feet.points]
    told = local_told(delivered_in(in_feet.model_copy(update={"points": tuple(wide)})))
    assert (
        told.remarks[0].severity == "stop"
        and "3.2799 times the grid's: are they in another unit?" in told.remarks[0].words
    )


def test_the_worst_point_is_the_one_whose_test_is_worst_not_the_largest():
    """A height three sigmas off at a point that others check weighs less than an error in plan that is smaller."""
    local = local_grid(sigma_h=0.002, sigma_v=0.05)
    points = list(local_grid(noisy=False).points)
    points[0] = points[0].model_copy(update={"local_h": points[0].local_h + 0.3})
    points[3] = points[3].model_copy(update={"local_e": points[3].local_e + 0.1})
    told = local_told(delivered_in(local.model_copy(update={"points": tuple(points)})))
    tests = {f.id: f.test for f in told.points}
    worst = max(tests, key=lambda key: tests[key])
    assert next(r.words for r in told.remarks if "does not fit" in r.words).startswith(f"{worst} does not fit")
