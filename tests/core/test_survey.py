"""The position of a control point that was occupied from several bases."""

import json
import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from kardo.core.accuracy.equation.network import network_from_json
from kardo.core.accuracy.images.planned import planned_network
from kardo.core.accuracy.prediction import predict, predict_network
from kardo.core.control.survey import survey
from kardo.core.errors import NetworkError, PlanError
from kardo.core.plan.control import Occupation
from kardo.core.plan.library import kit_of
from kardo.core.plan.model import plan_from_json
from kardo.core.plan.stands import (
    CorrectionService,
    Mark,
    OnInstrument,
    OnNothing,
    OnService,
    OnSetUp,
    OwnSession,
    SetUp,
)
from tests.conftest import E0, N0, ON_BASE, block_json, point, small_plan

OTHER, SERVICE = OnSetUp(setup="other"), OnService(service="service")
HANGINGS = st.sampled_from(
    [None, OTHER, SERVICE, OwnSession(hours=2), OwnSession(hours=9), OnInstrument(setup="other"), OnNothing()]
)
OCCUPATIONS = st.lists(
    st.builds(Occupation, epochs=st.integers(1, 300), after_min=st.floats(0, 600), positioned_from=HANGINGS),
    min_size=1,
    max_size=6,
)


def with_other(*occupations, mark="B", **changes):
    """The small plan with a second base, a service, and the first target occupied so."""
    plan = small_plan(**changes)
    first = plan.control[0].model_copy(update={"occupations": occupations or (Occupation(),)})
    return small_plan(
        marks=(*plan.marks, Mark(id="B", name="Heron", e=E0 - 20, n=N0 - 20, h=4.2)),
        setups=(*plan.setups, SetUp(id="other", name="other", mark=mark, antenna="disc", readings=(1.7, 1.7))),
        correction_services=(CorrectionService(id="service", name="service", sigma_h=0.010, sigma_v=0.020),),
        control=(first, *plan.control[1:]),
        **changes,
    )


def of_first(plan):
    """Own sigma, total sigma, and shares by shift of the first point."""
    found = survey(plan, plan.control[:1])
    return found.sigma[0], found.total_sigma[0], {h.shift.key: np.array(h.share) for h in found.held[0]}


def test_a_second_set_up_on_the_same_mark_shares_the_mark_whole_and_each_set_up_half():
    own, _, shares = of_first(with_other(Occupation(), Occupation(after_min=60, positioned_from=OTHER), mark="A"))
    assert shares["mark", "A"] == pytest.approx(1.0)
    assert shares["setup", "base"] == pytest.approx(0.5) and shares["setup", "other"] == pytest.approx(0.5)
    once, _, _ = of_first(with_other(Occupation(), Occupation(after_min=60)))
    assert own == pytest.approx(once, rel=1e-3), "the observation is as good as twice from one base"


def test_another_base_under_the_same_sky_does_not_better_the_sky():
    together, _, _ = of_first(with_other(Occupation(), Occupation(after_min=10, positioned_from=OTHER)))
    apart, _, _ = of_first(with_other(Occupation(), Occupation(after_min=60, positioned_from=OTHER)))
    assert together[2] > 0.012 > apart[2], "12 mm is what one sky leaves in height"
    one_base, _, _ = of_first(with_other(Occupation(), Occupation(after_min=10)))
    assert together == pytest.approx(one_base, rel=1e-3)


def test_what_is_poor_weighs_little():
    _, alone, _ = of_first(with_other())
    _, total, shares = of_first(with_other(Occupation(), Occupation(after_min=60, positioned_from=OnNothing())))
    assert (total <= alone).all() and total == pytest.approx(alone, rel=1e-3)
    assert (shares["mark", "A"] > 0.999).all()


@given(OCCUPATIONS)
def test_the_mean_is_never_worse_than_its_worst_part_and_holds_no_more_than_the_whole(occupations):
    plan = with_other(*occupations)
    own, total, shares = of_first(plan)
    assert (own > 0).all() and np.isfinite(total).all()
    for share in shares.values():
        assert (share > 0).all() and (share <= 1 + 1e-12).all()
    alone = [
        of_first(with_other(*(o.model_copy(update={"positioned_from": hung}) for o in some)))[1]
        for hung, some in plan.control[0].by_source.items()
    ]
    assert (total <= np.max(alone, axis=0) * 1.0001).all()


def test_one_base_for_all_is_the_same_by_point_or_by_occupation():
    by_point = small_plan(control=(point("G1", 10, 10), point("K1", 50, 30)))
    each = (Occupation(positioned_from=ON_BASE),)
    by_occupation = small_plan(control=(point("G1", 10, 10, occupations=each), point("K1", 50, 30, occupations=each)))
    first, second = predict(by_point), predict(by_occupation)
    assert (first.rmse_v, first.seen_rmse_v) == (second.rmse_v, second.seen_rmse_v)


def test_a_check_that_was_occupied_from_a_second_mark_sees_part_of_the_base():
    """The mark ten times worse: a check on it alone notices nothing, one from both half of it, one from the other
    all."""
    loose = {"sigma_h": 0.1, "sigma_v": 0.15}

    def seen(*occupations):
        plan = with_other()
        marks = tuple(m.model_copy(update=loose) for m in plan.marks)
        control = tuple(
            p.model_copy(update={"occupations": occupations}) if p.role == "check" else p for p in plan.control
        )
        return predict(plan.model_copy(update={"marks": marks, "control": control}))

    base, both, other = (
        seen(Occupation()),
        seen(Occupation(), Occupation(after_min=60, positioned_from=OTHER)),
        seen(Occupation(positioned_from=OTHER)),
    )
    assert base.seen_rmse_v < 0.03 < both.seen_rmse_v < other.seen_rmse_v
    assert both.seen_rmse_v == pytest.approx(np.hypot(0.075, 0.075), rel=0.1)
    assert base.blind and not both.blind


def test_an_occupation_hangs_on_what_the_plan_has():
    document = with_other().to_json()
    document["control"][0]["occupations"][0]["positioned_from"] = {"on": "setup", "setup": "nowhere"}
    with pytest.raises(PlanError, match="G1 needs “nowhere”, which is not among the plan's setups"):
        plan_from_json(document)


@pytest.mark.parametrize("crs", ["EPSG:25828", "EPSG:32629"])
def test_two_flights_and_points_from_two_bases_go_out_as_a_network_and_come_back_the_same(crs):
    """In another grid and unit, with two cameras: what the file says is all that the prediction rests on."""
    both = (Occupation(), Occupation(after_min=60, positioned_from=OTHER))
    plan = with_other(*both)
    second = plan.flights[0].having(id="two", camera="mp45", course_deg=0.0, positioned_from=OTHER)
    control = tuple(p.model_copy(update={"occupations": both}) if p.id == "K1" else p for p in plan.control)
    brief = plan.brief.model_copy(update={"crs": crs, "unit": "us-ft"})
    kit, flights = kit_of(cameras=("mp20", "mp45")), (*plan.flights, second)
    plan = plan.model_copy(update={"brief": brief, "kit": kit, "flights": flights, "control": control})
    written = json.loads(json.dumps(planned_network(plan).network.to_json()))
    assert [len(p["shares"]) for p in written["points"] if "shares" in p].count(8) == 1, (
        "of two marks, two set-ups and their distances each way"
    )
    read, made = predict_network(network_from_json(written)), predict(plan)
    seen = np.sqrt(np.mean(np.diag(np.array(read["seen"]))[2::3]))
    assert seen == pytest.approx(made.seen_rmse_v, rel=1e-9)


@pytest.mark.parametrize(
    "shares",
    [
        [[1, 1, 1]],
        [[1, 1], [1, 1]],
        [[0.5, 0.5, 2e6], [1, 1, 1]],
        [[[1, 0], [0, 1]], [1, 1, 1]],
        [[None, 1, 1], [1, 1, 1]],
        "half",
    ],
)
def test_shares_that_cannot_be_are_told(shares):
    data = block_json(targets=1)
    next(p for p in data["points"] if p["name"] == "G0")["shares"] = shares
    with pytest.raises(NetworkError):
        network_from_json(data)


def logging(hours=1.0, setup="base", away=0.0):
    """The small plan with its targets logging for themselves, against its base unless said otherwise, so many metres
    east of it."""
    plan = small_plan(marks=(Mark(id="A", name="A", e=E0 - 20 - away, n=N0 - 20, h=4.2),))
    own = {"positioned_from": OwnSession(hours=hours, setup=setup), "occupations": (Occupation(),)}
    control = tuple(p.model_copy(update=own) if p.role == "target" else p for p in plan.control)
    return plan.model_copy(update={"control": control})


def test_a_target_that_logs_beside_a_base_is_a_short_baseline_and_shares_the_base():
    """4 / 8 mm in an hour, not the 20 / 73 mm of a session against a far network; mark and set-up are the base's."""
    plan = logging()
    found = survey(plan, plan.targets)
    assert found.sigma == pytest.approx(np.tile([0.004, 0.004, 0.008], (5, 1)), rel=2e-3)
    assert [h.shift.key for h in found.held[0]][:2] == [("mark", "A"), ("setup", "base")]
    apart = logging(setup=None)
    alone = survey(apart, apart.targets)
    assert alone.held[0] == () and alone.sigma[0, 2] > 0.07
    assert survey(logging(9.0), logging(9.0).targets).sigma[0] == pytest.approx([0.0025, 0.0025, 0.004], rel=5e-3)
    assert survey(logging(1 / 6), logging(1 / 6).targets).sigma[0, 2] == pytest.approx(
        2 * 0.008 * math.sqrt(3), rel=5e-3
    )
    far = logging(away=10_000.0)
    assert survey(far, far.targets).sigma[0, 2] == pytest.approx(math.hypot(0.008, 0.01 * math.sqrt(0.2)), rel=0.01)
    assert predict(plan).rmse_v < predict(apart).rmse_v


def test_logging_against_a_base_that_is_not_there_is_refused():
    document = logging().to_json()
    document["control"][0]["positioned_from"]["setup"] = "nowhere"
    with pytest.raises(PlanError, match="G1 needs “nowhere”, which is not among the plan's setups"):
        plan_from_json(document)
