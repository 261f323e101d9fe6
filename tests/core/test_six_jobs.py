"""Six kinds of job from the brief to what is signed, each with its figures held against a second computation of a few
lines: where most wrong figures were found."""

import math

import numpy as np
import pytest

from kardo.core.accuracy.change.schemes import schemes
from kardo.core.accuracy.figures.heaps import allowed_volumes, tolerance_by_volume
from kardo.core.accuracy.jointly import checks_jointly
from kardo.core.accuracy.prediction import predict
from kardo.core.book.done import as_done
from kardo.core.book.entries import book_of
from kardo.core.close.against import against, said_of
from kardo.core.close.closed import as_closed
from kardo.core.close.closing import Closing, Outcome, ResidualSet, Waiver, with_set, with_waivers
from kardo.core.close.shift import shift_to
from kardo.core.close.verdict import verdict
from kardo.core.control.survey import survey
from kardo.core.day.day import day_of
from kardo.core.errors import KardoError
from kardo.core.flight.lines.pattern import all_flown
from kardo.core.gnss.card import cards
from kardo.core.gnss.heights import heights
from kardo.core.layout.proposed import SearchOptions
from kardo.core.layout.search import search
from kardo.core.plan.brief import Brief
from kardo.core.plan.edits import changed, field_edits
from kardo.core.plan.flights import CorridorLines
from kardo.core.plan.geoid import StatedSeparation
from kardo.core.plan.site import Area, Ground, LevelGround, Site
from kardo.core.plan.stands import CorrectionService, Device, Mark, OnService, OwnSession
from kardo.core.plan.visits import Person, Visit
from kardo.core.presentation.findings import check_plan
from kardo.core.presentation.summary import summary
from kardo.formats.boundary import read_boundary
from tests.conftest import E0, N0, canopy, point, scan_plan, small_plan
from tests.core.test_book import flown, occupied

CREW = (Person(id="a", name="A", roles=("surveyor", "helper")), Person(id="b", name="B", roles=("pilot", "helper")))
SPOTS = {"G1": (10, 10), "G2": (210, 10), "G3": (10, 150), "G4": (210, 150), "G5": (110, 80)}
CHECKS = {"K1": (50, 40), "K2": (170, 110), "K3": (60, 120), "K4": (160, 30), "K5": (110, 130), "K6": (110, 30)}


def job_in(crs, e0, n0, brief, up=30.0, visit=None, features=(), areas=(), positioned_from=None, **more):
    """A level site of 220 by 160 m in any grid, with five targets and six checks."""
    usual = small_plan()
    hung = {"positioned_from": positioned_from} if positioned_from else {}
    control = tuple(
        point(k, 0, 0, **hung).model_copy(update={"e": e0 + x, "n": n0 + y}) for k, (x, y) in (SPOTS | CHECKS).items()
    )
    ring = ((e0, n0), (e0 + 220, n0), (e0 + 220, n0 + 160), (e0, n0 + 160))
    mark = Mark(id="A", name="A", e=e0 - 20, n=n0 - 20, h=up, known="published")
    site = Site(boundary=ring, areas=areas, features=features, ground=Ground(level=LevelGround(height=up)))
    parts = {"site": site, "marks": (mark,), "control": control, "visits": (visit,) if visit else ()}
    return usual.model_copy(update={"brief": Brief(title="t", crs=crs, **brief), **parts, **more})


def stops(plan, result):
    return {f.rule for f in check_plan(plan, result) if f.severity == "stop"}


def test_a_housing_site_in_us_survey_feet():
    """Everything that is told is the foot of 1200/3937 m: the card's coordinates, the area, the tolerance; and the day
    fits a crew of two."""
    foot = 1200 / 3937
    visit = Visit(id="V1", name="v", date="2027-03-16", people=CREW, utc_offset_h=-7.0)
    brief = {
        "unit": "us-ft",
        "tolerance_h": 0.12 * foot,
        "tolerance_v": 0.2 * foot,
        "standard": "nssda",
        "heights": "ellipsoidal",
    }
    plan = job_in("EPSG:6428", 914_400.0, 456_000.0, brief, up=1600.0, visit=visit)
    device = Device(id="d", name="d", point="mark", height="ellipsoidal", position="grid", unit="us-ft", frame="grid")
    plan = plan.model_copy(update={"setups": (plan.setups[0].model_copy(update={"devices": (device,)}),)})
    (card,) = cards(plan, heights(plan, "base"))
    typed = " ".join(box.typed for box in card.boxes)
    assert f"{plan.marks[0].e / foot:.3f}" in typed and f"{1600.0 / foot:.3f}" in typed
    factor = plan.grid.combined_factor(914_510.0, 456_080.0, 1600.0)
    assert summary(plan).area == pytest.approx(220 * 160 / factor**2, rel=1e-5) and 0.9990 < factor < 1.0005
    result = predict(plan)
    assert result.limit_v == pytest.approx(0.2 * foot / 1.96) and result.chance > 0.9
    assert stops(plan, result) == set() and day_of(plan, "V1").reasons == []


def test_a_quarry_on_the_british_grid_with_targets_that_log_for_themselves():
    """Short static baselines that share the base's mark; levelled heights by a stated separation; a card in the
    receiver's own frame; the volume as per cent."""
    heap = Area(
        id="heap",
        name="Heap",
        ring=((450_020.0, 300_020.0), (450_100.0, 300_020.0), (450_100.0, 300_100.0), (450_020.0, 300_100.0)),
    )
    stated = StatedSeparation(value=49.0, sigma=0.02)
    brief = {
        "standard": "volume",
        "tolerance_v": 0.06,
        "heights": "EPSG:5701",
        "separation": stated,
        "deliverable": "volume",
    }
    plan = job_in("EPSG:27700", 450_000.0, 300_000.0, brief, up=60.0, areas=(heap,))
    own = tuple(
        p.model_copy(update={"positioned_from": OwnSession(hours=1.5, setup="base")}) if p.role == "target" else p
        for p in plan.control
    )
    plan = plan.model_copy(update={"control": own})
    surveyed = survey(plan, plan.targets)
    away = math.hypot(30, 30)  # of the first from the base's mark
    ppm = 1e-6 * away * math.sqrt(0.2)
    assert surveyed.sigma[0] == pytest.approx(
        [math.hypot(0.004 / math.sqrt(1.5), ppm)] * 2 + [math.hypot(0.008 / math.sqrt(1.5), ppm)], rel=1e-6
    )
    assert any(h.shift.kind == "mark" for h in surveyed.held[0])
    device = Device(id="d", name="d", point="mark", height="ellipsoidal", position="degrees", unit="m")
    plan = plan.model_copy(update={"setups": (plan.setups[0].model_copy(update={"devices": (device,)}),)})
    chain = heights(plan, "base")
    (card,) = cards(plan, chain)
    assert (
        chain.mark_ellipsoidal == pytest.approx(60.0 + 49.0)
        and card.frame.startswith("ETRS89")
        and "OSTN15" in card.notes[0]
    )
    (allowed,) = allowed_volumes(plan)
    asked = changed(plan, tolerance_by_volume(plan, "heap", m3=0.5 * allowed.m3))
    assert asked.brief.tolerance_v == pytest.approx(0.03, abs=1e-5) and allowed.percent is None, (
        "nothing is known to lie on level ground"
    )
    visit = Visit(id="V1", name="v", date="2027-05-04", people=CREW)
    planned = plan.model_copy(update={"visits": (visit,)})
    on = {t.id: t for t in day_of(planned, "V1").tasks}
    assert on["targets-in"].start - on["observe-targets-1"].start >= 90


def test_a_scan_of_a_wooded_corridor_on_a_base_here():
    """What checks from the same base see does not depend on how well that base is known; under trees they are wanted,
    and noisier."""
    wood = canopy("open", E0 + 40, N0 + 10, 60.0).model_copy(update={"height": 15.0})
    control = (
        point("G1", 20, 60),
        *(point(f"K{k}", x, y) for k, (x, y) in enumerate([(60, 30), (80, 50), (150, 40), (170, 90), (120, 100)], 1)),
    )
    line = ((E0, N0 + 60), (E0 + 200, N0 + 60))
    seen = []
    for known, sigma in (("here", 0.01), ("published", 0.01), ("published", 0.5)):
        mark = small_plan().marks[0].model_copy(update={"known": known, "sigma_h": sigma, "sigma_v": sigma})
        plan = scan_plan(
            features=(wood,),
            level=False,
            control=control,
            pattern=CorridorLines(line=line, width_m=110.0, side_overlap=50, extra_lines=0),
        )
        plan = plan.model_copy(update={"marks": (mark,)})
        result = predict(plan)
        seen.append((result.seen_rmse_h, result.seen_rmse_v))
        assert (result.rmse_v > 1) == (known == "here") and "control-forbidden" not in stops(plan, result)
    assert np.ptp(np.array(seen), axis=0) == pytest.approx([0, 0], abs=2e-4)
    own = survey(plan, plan.checks).sigma[:, 2]
    assert own[:2].min() > 2 * own[2:].max(), "two stand under the trees"


def test_a_small_site_by_network_corrections():
    """No base, no mark: the network's shift is shared by all that is positioned from it; schemes, search and verdict
    come from what there is."""
    on = OnService(service="N")
    network = CorrectionService(id="N", name="network")
    plan = job_in("EPSG:25828", E0, N0, {"tolerance_h": 0.03, "tolerance_v": 0.05}, positioned_from=on)
    flight = plan.flights[0].model_copy(update={"positioned_from": on})
    plan = plan.model_copy(update={"marks": (), "setups": (), "correction_services": (network,), "flights": (flight,)})
    result = predict(plan)
    shared = [s for s in result.budget if s.kind == "network"]
    assert len(shared) == 1 and shared[0].sigma_v == pytest.approx(network.sigma_v, rel=0.02)
    assert result.rmse_v**2 - result.seen_rmse_v**2 > 0.5 * (shared[0].sigma_v ** 2 - 0.015**2), "and no check sees it"
    assert "network" in {b.kind for b in result.blind}
    rows = {row.id: row for row in schemes(plan).rows}
    assert rows and all(row.lacks or row.promise for row in rows.values())
    found_ = search(plan, SearchOptions(places=60, most=6))
    assert found_.proposed is not None and found_.front[found_.proposed].chance >= 0.9


def test_half_a_field_day_to_a_signature():
    """The battery of the last sortie gives out and a point is not reached; a check is off by 121 mm: a stop, until
    somebody gives a reason that is kept."""
    visit = Visit(id="V1", name="v", date="2027-03-16", people=CREW, back="14:00")
    plan = small_plan(visits=(visit,))
    day = day_of(plan, "V1")
    assert day.reasons == [] and max(t.end for t in day.tasks) <= 14 * 60
    sorties = len(all_flown(plan)[0].sorties)
    reached = [p for p in plan.control if p.id != "K4"]
    entries = [occupied(k, p.id, 20 + k) for k, p in enumerate(reached, 1)]
    book = book_of([*entries, *(flown(40 + k, k, 90) for k in range(1, sorties + 1))])
    done = as_done(plan, book)
    assert predict(done).rmse_v >= 0.97 * predict(plan).rmse_v
    rng = np.random.default_rng(7)
    d = {p.id: tuple(rng.normal(0, 0.008, 3).tolist()) for p in plan.checks}
    d["K2"] = (d["K2"][0], d["K2"][1], -0.121)
    rows = tuple(
        Outcome(
            point=p.id,
            used="adjusted" if p.role == "target" else "checked" if p.id != "K4" else "unused",
            d=d.get(p.id, (0.0, 0.0, 0.0)) if p.id != "K4" else None,
        )
        for p in plan.control
    )
    closing = with_set(plan, Closing(), ResidualSet(file="r.csv", outcomes=rows))
    closed = as_closed(plan, book, closing)
    judged = {k: v for k, v in d.items() if k != "K4"}
    told = against(closed, judged, checks_jointly(closed))
    up = np.array([v[2] for v in judged.values()])
    assert (
        verdict(closed, judged).v.value == pytest.approx(np.sqrt((up**2).mean())) and not verdict(closed, judged).passed
    )
    open_ = [f for f in check_plan(closed, predict(closed), closed=said_of(told, "m")) if f.rule.startswith("closed-")]
    assert {f.severity for f in open_} == {"stop"} and any("K2" in f.words and "121" in f.words for f in open_)
    waived = Closing(
        sets=closing.sets,
        waivers=tuple(
            Waiver(
                rule=f.rule,
                object=f.object,
                words=f.words,
                reason="K2 was moved by stock, photographs 3 and 4",
                by="chief",
            )
            for f in open_
        ),
    )
    assert all(f.waived.startswith("K2 was moved") and f.waived_by == "chief" for f in with_waivers(open_, waived))


WRONG = {
    "a boundary that crosses itself": (lambda: read_boundary(f"{E0} {N0}\n{E0 + 100} {N0 + 100}\n{E0 + 100} {N0}\n{E0} {N0 + 100}".encode(), "", small_plan().grid, "m"), "crosses itself"),
    "a shift of a hundred kilometres": (lambda: shift_to(here(), "A", (E0 - 100_000, N0, 4.0)), "far"),
    "a wind that no aircraft flies in": (lambda: all_flown(small_plan(flight={"wind_m_per_s": 40.0})), "does not come forward"),
    "a volume of nothing": (lambda: tolerance_by_volume(small_plan(), "heap", m3=1.0), "no such area"),
    "a height system that is none": (lambda: small_plan(brief=Brief(crs="EPSG:25828", heights="EPSG:25828", separation=StatedSeparation(value=5.0))).grid, "cannot be reached"),
    "a separation with slopes from nowhere": (lambda: changed(small_plan(), field_edits("brief", small_plan().brief, separation={"value": 5.0, "slope_e": 0.1})), "lopes need the place"),
    "a day without a date": (lambda: day_of(small_plan(visits=(Visit(id="V", name="v", people=CREW),)), "V"), "no date"),
    "a target observed from a base that is not there": (lambda: changed(small_plan(), field_edits("control/G1", small_plan().control[0], positioned_from={"on": "set_up", "setup": "gone"})), "gone"),
}  # fmt: skip


def here():
    return small_plan(marks=(small_plan().marks[0].model_copy(update={"known": "here"}),))


@pytest.mark.parametrize("what", WRONG)
def test_wrong_inputs_are_refused_in_words_that_mend(what):
    make, words = WRONG[what]
    with pytest.raises(KardoError, match=words) as fault:
        make()
    assert fault.value.mend or fault.value.where, "and says where, or how to mend it"
