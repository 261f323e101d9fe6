"""The plan: its hash, its schema, its network and prediction, its rules."""

import json
from dataclasses import replace

import numpy as np
import pytest
from pyproj import Transformer

from kardo.cli import main
from kardo.core.accuracy.figures.results import ControlFigures
from kardo.core.accuracy.images.planned import planned_network
from kardo.core.accuracy.inputs.lacking import missing
from kardo.core.accuracy.prediction import predict, predict_network
from kardo.core.errors import PlanError
from kardo.core.flight.lines.areas import ground_scale
from kardo.core.flight.lines.pattern import all_flown
from kardo.core.gnss.occupations import METHODS, rover_sigma, set_up_sigma
from kardo.core.parts import NOT_IN_HASH, Part, _not_in_hash
from kardo.core.plan.assumptions import Assumptions, defaults
from kardo.core.plan.brief import Brief
from kardo.core.plan.control import Occupation
from kardo.core.plan.edits import changed
from kardo.core.plan.kit import Origin
from kardo.core.plan.library import new_plan
from kardo.core.plan.model import Assumed, Plan, json_schema, plan_from_json
from kardo.core.plan.site import Ground, terrain_of
from kardo.core.plan.stands import Mark, OnInstrument, OnSetUp, SetUp
from kardo.core.practice.catalogue import View, findings
from kardo.core.presentation.summary import summary
from kardo.core.presentation.words import blind_words
from kardo.core.terrain.surface import Surface
from kardo.demo import demo_plan
from tests.conftest import E0, N0, point, small_plan


@pytest.fixture(scope="module")
def result():
    return predict(small_plan())


def test_hash_survives_json_and_follows_content(plan):
    again = plan_from_json(json.loads(json.dumps(plan.to_json())))
    assert again.hash == plan.hash == small_plan().hash
    moved = small_plan(brief=plan.brief.model_copy(update={"tolerance_h": 0.031}))
    assert moved.hash != plan.hash


def test_names_and_notes_change_the_revision_and_not_the_hash(plan):
    renamed = small_plan(
        brief=plan.brief.model_copy(update={"title": "Another title", "unit": "ft"}),
        marks=(plan.marks[0].model_copy(update={"name": "Heron", "source": "certificate 12"}),),
    )
    assert renamed.hash == plan.hash and renamed.revision != plan.revision


def test_a_stored_plan_holds_the_digest_of_its_ground(plan):
    stored = plan_from_json(json.loads(json.dumps(plan.without_heights().to_json())))
    assert (stored.hash, stored.revision) == (plan.hash, plan.revision)
    assert len(json.dumps(stored.to_json())) < 15_000
    with pytest.raises(PlanError, match="not here"):
        stored.surface  # noqa: B018
    small, packed = stored.site.ground.terrain, plan.site.ground.terrain.heights
    again = stored.with_terrain(small.with_heights(packed))
    assert again == plan and np.array_equal(again.surface.heights, plan.surface.heights)
    with pytest.raises(PlanError, match="not those of its digest"):
        small.with_heights(packed[:-4] + "AAAA")


def test_every_field_that_is_prose_is_left_out_of_the_hash_and_every_other_is_in_it():
    """Held against going through the plan field by field."""

    def numbers(value):
        if isinstance(value, Part):
            fields = type(value).model_fields.items()
            return {name: numbers(getattr(value, name)) for name, field in fields if NOT_IN_HASH not in field.metadata}
        return [numbers(one) for one in value] if isinstance(value, tuple) else value

    setups = (
        SetUp(id="base", name="base", mark="A", antenna="disc", readings=(1.8,)),
        SetUp(id="other", name="x", antenna="disc"),
    )
    occupations = (Occupation(), Occupation(positioned_from=OnSetUp(setup="other"), pole="p"))
    whole = small_plan(
        setups=setups, control=(point("G1", 10, 10, occupations=occupations),), overrides={"tie_ray_px": 0.8}
    )
    kept = json.loads(whole.model_dump_json(exclude=_not_in_hash(Plan)))
    assert kept == json.loads(json.dumps(numbers(whole)))
    assert "name" not in kept["control"][0] and "pole" not in kept["control"][0]["occupations"][1]


def test_figures_in_another_order_are_the_same_plan():
    figures = {"tie_ray_px": 0.8, "leg_h": 0.01}
    assert small_plan(overrides=figures).hash == small_plan(overrides=dict(reversed(figures.items()))).hash


@pytest.mark.parametrize("hung", [OnSetUp(setup="bare"), OnInstrument(setup="bare")])
def test_control_on_a_set_up_without_a_mark_is_not_predicted_as_if_that_had_no_error(hung):
    setups = (*small_plan().setups, SetUp(id="bare", name="second", antenna="disc"))
    own = (Occupation(), Occupation(after_min=60, positioned_from=hung))
    plan = small_plan(setups=setups, control=(point("G1", 10, 10, occupations=own), *small_plan().control[1:]))
    assert missing(plan) == [("base", "Put the set-up second on a mark: control is positioned from it.")]
    with pytest.raises(PlanError, match="second"):
        predict(plan)
    assert not missing(small_plan(setups=setups)), "nothing rests on it"


def test_whole_numbers_and_floats_hash_alike(plan):
    data = plan.to_json()
    data["flights"][0]["height_m"] = 80
    assert plan_from_json(data).hash == plan.hash


@pytest.mark.parametrize(
    ("spoil", "where"),
    [
        (lambda d: d.update(version=4), "newer Kardo"),
        (lambda d: d.update(version=0), "no version 0"),
        (lambda d: d.update(format="other"), "not a Kardo plan"),
        (lambda d: d["control"][0].update(e=float("nan")), "Control, G1: The easting"),
        (lambda d: d["control"][1].update(id="G1"), "the id G1"),
        (lambda d: d["setups"][0].update(mark="nowhere"), "nowhere"),
        (lambda d: d["brief"].update(surprise=1), "no field “surprise”"),
        (lambda d: d["flights"][0].update(height_m=-5), "The height must be 10 m or more"),
        (lambda d: d["flights"][0]["sensor"].update(camera="none"), "cameras"),
        (lambda d: d["brief"].update(title="nul\x00"), "cannot be printed"),
        (lambda d: d["site"]["ground"]["terrain"].update(heights="x", digest=""), "damaged"),
    ],
)
def test_bad_plans_say_what_and_where(plan, spoil, where):
    data = plan.to_json()
    spoil(data)
    with pytest.raises(PlanError) as caught:
        plan_from_json(data).surface  # noqa: B018
    assert where in str(caught.value)


def test_published_schema_describes_the_plan(plan):
    schema = json_schema()
    assert schema["$schema"].endswith("2020-12/schema")
    assert set(schema["properties"]) == set(plan.to_json())
    assert schema["additionalProperties"] is False


def test_prediction_is_deterministic_and_complete(result):
    again = predict(small_plan())
    assert replace(again, seconds=0) == replace(result, seconds=0)
    assert len(result.map.h) == len(result.map.e)
    assert 300 <= len(result.map.h) <= 600
    assert result.map.uncovered == 0
    assert sum(s.share_v for s in result.budget) == pytest.approx(1, abs=1e-9)


def test_plan_and_its_network_predict_the_same(result):
    planned = planned_network(small_plan())
    bare = predict_network(planned.network)
    variances = np.array([np.diag(bare["cov"][j]) for j in planned.map_points])
    variances[:, :2] += (0.4 * planned.flights[0].gsd) ** 2  # what a point of the map is
    assert np.sqrt(variances[:, :2].sum(axis=1).mean()) == pytest.approx(result.rmse_h, rel=1e-9)
    assert np.sqrt(variances[:, 2].mean()) == pytest.approx(result.rmse_v, rel=1e-9)
    seen = np.diag(bare["seen"]).reshape(-1, 3)
    assert np.sqrt(seen[:, 2].mean()) == pytest.approx(result.seen_rmse_v, rel=1e-9)


def test_the_marks_own_error_comes_through_whole_and_unseen(result):
    """Twenty times the mark's error: the map follows, the checks on the same mark do not notice."""
    plan = small_plan()
    loose = small_plan(marks=(plan.marks[0].model_copy(update={"sigma_h": 0.2, "sigma_v": 0.3}),))
    moved = predict(loose)
    assert moved.rmse_v == pytest.approx(np.sqrt(result.rmse_v**2 - 0.015**2 + 0.3**2), rel=1e-3)
    assert moved.seen_rmse_v == pytest.approx(result.seen_rmse_v, rel=1e-3)
    assert "Every check shares it" in blind_words(loose, moved)[0]


def test_a_check_on_another_mark_sees_the_base():
    plan = small_plan()
    marks = (*plan.marks, Mark(id="B", name="B", e=E0 + 250, n=N0, h=5.0))
    setups = (*plan.setups, SetUp(id="rover", name="rover", mark="B", antenna="disc"))
    hung = {"positioned_from": OnSetUp(setup="rover")}
    control = tuple(p.model_copy(update=hung) if p.role == "check" else p for p in plan.control)
    apart = small_plan(marks=marks, setups=setups, control=control)
    other = predict(apart)
    assert other.seen_rmse_v > predict(plan).seen_rmse_v
    assert blind_words(apart, other) == ["The checks share no large error with the map: they see the error as it is."]


def test_more_targets_and_better_observation_never_hurt(result):
    plan = small_plan()
    fewer = predict(small_plan(control=tuple(p for p in plan.control if p.name not in {"G2", "G3"})))
    twice = {"occupations": METHODS["rtk_twice"].occupations}
    twice = predict(small_plan(control=tuple(p.model_copy(update=twice) for p in plan.control)))
    assert fewer.rmse_v > result.rmse_v > twice.rmse_v


def test_positions_without_corrections_and_without_targets():
    """Code positions and nothing else: metres, and said so."""
    plan = small_plan(flight={"corrections": "none"}, setup={"mark": None}, control=())
    bare = predict(plan)
    assert bare.rmse_v > 0.1
    assert bare.chance is None
    assert "no checks" in blind_words(plan, bare)[0]


def test_narrow_targets_are_not_measured():
    plan = small_plan()
    tiny = tuple(p.model_copy(update={"width": 0.05}) for p in plan.control)
    rows = predict(small_plan(control=tiny)).control
    assert all(r.images == 0 for r in rows)


def test_assumptions_can_be_argued_with(result):
    doubled = predict(small_plan(overrides={"tie_ray_px": 1.4, "target_ray_px": 1.0, "map_ray_px": 1.0}))
    assert doubled.rmse_h > result.rmse_h
    with pytest.raises(PlanError, match="assumption"):
        Assumptions({"nonsense": 1.0})
    for absurd in (0.0, 1e300, -1.0):
        with pytest.raises(PlanError, match="cannot be meant"):
            predict(small_plan(overrides={"tie_ray_px": absurd if abs(absurd) < 1e12 else 1e12}))
    with pytest.raises(PlanError, match="Edition 1999"):
        Assumptions({}, "1999-01")
    assert all(d.source and d.what for d in defaults().values())


def test_what_a_plan_lacks_is_listed_in_order():
    stations = [station for station, _ in missing(Plan())]
    assert stations == ["brief", "site", "site", "flight"]
    assert [station for station, _ in missing(new_plan())] == ["brief", "site", "site", "base"]
    with pytest.raises(PlanError, match="grid"):
        predict(Plan())


def test_summary_gives_what_it_can():
    begun = new_plan()
    empty = summary(begun.model_copy(update={"brief": Brief(crs="EPSG:25828")}))
    assert not empty.flights and "boundary" in empty.faults["flight/main"].what
    assert "no mark" in empty.faults["setup/base"].what
    whole = summary(small_plan())
    assert whole.area == pytest.approx(24_000 / ground_scale(small_plan()) ** 2)
    assert whole.datum.separation == pytest.approx(55.1, abs=0.2)
    chain = whole.heights[0]
    assert chain.apc_ellipsoidal == pytest.approx(chain.apc + chain.separation)
    assert whole.flights[0].exposures == len(whole.flights[0].e)


def test_rover_sigma_by_hand():
    """One minute: fast part / sqrt(6), slow part whole, 2.5 mm pole, a fifth of the variance of 1 ppm of 1 km."""
    h, v = rover_sigma(METHODS["rtk_once"].occupations, 1000.0, Assumptions({}))
    assert h == pytest.approx(np.sqrt(0.005**2 / 6 + 0.007**2 + 0.2 * 0.001**2 + 0.0025**2))
    assert v == pytest.approx(np.sqrt(0.008**2 / 6 + 0.012**2 + 0.2 * 0.001**2))
    assert (
        rover_sigma(METHODS["rtk_twice"].occupations, 0, Assumptions({}))[1]
        < rover_sigma(METHODS["rtk_once"].occupations, 0, Assumptions({}))[1]
        < rover_sigma(METHODS["rtk_short"].occupations, 0, Assumptions({}))[1]
    )
    of = lambda **more: set_up_sigma(SetUp(id="s", name="s", antenna="disc", **more), Assumptions({}))  # noqa: E731
    assert of(support="fixed_pole", readings=(2.0,)) == (0.0025, 0.0025, 0.0005)
    assert of(readings=(1.8,))[2] == 2 * of(readings=(1.8, 1.8))[2] == 2 * of(readings=())[2]


def rules_found(plan, result=None):
    return {f.rule: f for f in findings(View(plan, all_flown(plan), result))}


def test_a_sound_plan_has_few_findings(result):
    assert set(rules_found(small_plan(), result)) <= {
        "flight-margin",
        "verdict-blind",
        "leg-short",
        "base-read-one-way",
        "flight-small",
        "flight-strength",
    }


def test_a_newer_profile_in_the_library_is_an_offer_and_never_another_number():
    plan, origin = small_plan(), Origin(id="mp20", revision=0)
    old = plan.kit.cameras[0].model_copy(update={"focal_mm": 8.6, "origin": origin, "name": "20 MP"})
    antenna = plan.kit.antennas[0].model_copy(update={"origin": Origin(id="disc", revision=0)})
    older = small_plan(kit=plan.kit.model_copy(update={"cameras": (old,), "antennas": (antenna,)}))
    offer = rules_found(older)["kit-newer"]
    assert offer.severity == "note" and "20 MP" in offer.words and offer.object == "kit/cameras/mp20"
    assert older.camera("mp20").focal_mm == 8.6
    taken = changed(older, offer.edits)
    assert taken.camera("mp20") == plan.camera("mp20") and "kit-newer" not in rules_found(taken)
    assert rules_found(older)["antenna-newer"].station == "base"
    assert {"kit-newer", "antenna-newer"}.isdisjoint(rules_found(plan))


def test_a_height_in_the_wrong_system_is_recognised_and_mended():
    plan = small_plan()
    mark = plan.marks[0]
    wrong = small_plan(marks=(mark.model_copy(update={"h": mark.h + float(plan.grid.separation(mark.e, mark.n))}),))
    finding = rules_found(wrong)["base-height-system"]
    assert finding.severity == "stop" and "ellipsoidal" in finding.words
    assert finding.edits[0].after == pytest.approx(mark.h, abs=0.01)
    assert "base-height-system" not in rules_found(changed(wrong, finding.edits))


SPUR = ((0, 0), (200, 0), (200, 120), (120, 120), (120, 320), (80, 320), (80, 120), (0, 120))


def test_a_spur_with_fewer_than_three_strips_wants_a_target_of_its_own():
    ring = tuple((E0 + x, N0 + y) for x, y in SPUR)
    bare = rules_found(small_plan(boundary=ring))["control-spur"]
    assert f"{E0 + 100:.0f}" in bare.words
    mended = changed(small_plan(boundary=ring), bare.edits)
    assert "control-spur" not in rules_found(mended)
    assert "control-spur" not in rules_found(small_plan())


def test_lines_end_at_the_boundary_only_where_they_do():
    def words(**flight):
        return rules_found(small_plan(flight=flight))["flight-margin"].words

    assert "end at the boundary" in words(extra_lines=2, extra_exposures=0)
    assert "no flight line lies beyond" in words(extra_lines=0, extra_exposures=2).casefold()
    assert "end at the boundary" not in words(extra_lines=0, extra_exposures=2)


def test_targets_on_one_height_of_hilly_ground_are_noted():
    e, _ = np.meshgrid(E0 - 200 + 10.0 * np.arange(65), N0 - 200 + 10.0 * np.arange(55))
    hilly = Surface(E0 - 200, N0 - 200, 10.0, np.round(0.2 * (e - E0 + 200), 3))
    plan = small_plan(control=tuple(point(f"G{k}", 100, y) for k, y in enumerate((10, 60, 110), 1)))
    ground = Ground(terrain=terrain_of(hilly, "test"))
    low = plan.model_copy(update={"site": plan.site.model_copy(update={"ground": ground})})
    assert "control-heights" in rules_found(low)
    both = low.model_copy(update={"control": (point("G1", 5, 60), point("G2", 195, 60))})
    assert "control-heights" not in rules_found(both)


def test_a_grid_of_web_maps_is_told_by_its_scale():
    at = Transformer.from_crs(25828, 3857, always_xy=True).transform(E0, N0)
    ring = tuple((at[0] + x, at[1] + y) for x, y in ((0, 0), (200, 0), (200, 120), (0, 120)))
    plan = small_plan(brief=Brief(crs="EPSG:3857"), boundary=ring, control=(), flights=(), setups=(), marks=())
    found = rules_found(plan)["grid-scale"]
    assert 40 < found.measured / 1e4 < 50 and "longer" in found.words


def test_rules_that_read_the_prediction(result):
    strict = predict(small_plan(brief=Brief(crs="EPSG:25828", tolerance_h=0.005, tolerance_v=0.005)))
    found = rules_found(small_plan(), strict)
    assert found["verdict-tolerance"].severity == "stop"
    assert found["weakest-place"].edits[0].path == "control/G6"
    few = ControlFigures("G1", 3, 20.0, 0.01, 0.01, None, None, None)
    found = rules_found(small_plan(), replace(result, control=[few]))
    assert found["control-images"].measured == 3


def test_images_that_cannot_be_oriented_are_named(result):
    found = rules_found(small_plan(), replace(result, left_out=[3, 4, 5, 9]))["exposures-untied"]
    assert found.measured == 4 and "exposures 3 to 5, 9" in found.words
    assert "exposures-untied" not in rules_found(small_plan(), result)


def test_a_volume_is_judged_by_its_mean_height():
    brief = Brief(crs="EPSG:25828", standard="volume", tolerance_v=0.01)
    tight = rules_found(small_plan(brief=brief), predict(small_plan(brief=brief)))
    assert tight["verdict-volume"].severity == "stop" and "the whole site" in tight["verdict-volume"].words
    assert "weakest-place" not in tight, "there is no limit on single heights"
    brief = brief.model_copy(update={"tolerance_v": 0.2})
    assert "verdict-volume" not in rules_found(small_plan(brief=brief), predict(small_plan(brief=brief)))


def test_command_line_predicts_the_demo(tmp_path, capsys):
    plan_file, out, net = tmp_path / "plan.json", tmp_path / "result.json", tmp_path / "network.json"
    assert main(["demo-plan", "sallow-bank", "--out", str(plan_file)]) == 0
    assert main(["predict", str(plan_file), "--json", str(out), "--network", str(net)]) == 0
    told = json.loads(out.read_text())
    assert told["hash"] == demo_plan("sallow-bank").hash
    assert {"rmse_h", "rmse_v", "seen_rmse_h", "seen_rmse_v", "chance", "budget", "defects"} <= set(told)
    assert "probability of passing" in capsys.readouterr().out
    assert {"camera", "shifts", "exposures", "points", "checks"} <= set(json.loads(net.read_text()))


def test_command_line_says_what_is_wrong(tmp_path, capsys):
    broken = tmp_path / "plan.json"
    broken.write_text("{")
    assert main(["predict", str(broken)]) == 1
    assert main(["predict", str(tmp_path / "none.json")]) == 1
    assert main(["demo-plan", "atlantis"]) == 1
    assert main(["predict"]) == 1
    said = capsys.readouterr().err
    assert "Not JSON" in said and "atlantis" in said


def test_a_boundary_that_crosses_itself_is_told():
    crossed = ((E0, N0), (E0 + 100, N0 + 100), (E0 + 100, N0), (E0, N0 + 100))
    with pytest.raises(PlanError, match="crosses itself"):
        predict(small_plan(boundary=crossed))


def test_a_plan_like_another_remembers_nothing_of_what_was_changed():
    plan = small_plan()
    known = plan.hash, plan.revision, plan.assume, plan.surface
    moved = plan.model_copy(update={"control": plan.control[:3]})
    assert moved.hash != known[0] and moved.revision != known[1] and moved.surface is known[3]
    assumed = plan.model_copy(update={"assumptions": Assumed(overrides={"leg_v": 0.5})})
    assert assumed.assume["leg_v"] == 0.5 and plan.assume["leg_v"] == 0.012
