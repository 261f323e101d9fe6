"""What a value may be is told in the words of its field and in the job's unit."""

import math

import pytest

from kardo.core.errors import PlanError
from kardo.core.limits import field_of
from kardo.core.parts import parts_in
from kardo.core.plan.model import Plan, plan_from_json
from tests.conftest import small_plan


def refusal(unit: str, *path: str | int, value: object) -> PlanError:
    """What is said of a plan with this value."""
    document = small_plan().to_json()
    document["brief"]["unit"] = unit
    part = document
    for key in path[:-1]:
        part = part[key]
    part[path[-1]] = value
    with pytest.raises(PlanError) as caught:
        plan_from_json(document)
    return caught.value


@pytest.mark.parametrize(
    ("unit", "path", "value", "where", "what"),
    [
        ("m", ("brief", "tolerance_h"), 0, "Brief", "The tolerance H must be above 0 mm; it is 0 mm."),
        ("us-ft", ("brief", "tolerance_v"), 0, "Brief", "The tolerance V must be above 0 ftUS; it is 0 ftUS."),
        ("m", ("flights", 0, "height_m"), 5, "Flight, main flight", "The height must be 10 m or more; it is 5 m."),
        ("ft", ("control", 0, "width"), 12.192, "Control, G1", "The width must be 32.808 ft or less; it is 40 ft."),
        ("m", ("brief", "chance"), 1.0, "Brief", "The chance must be 99.9 % or less; it is 100 %."),
        ("m", ("marks", 0, "e"), math.nan, "Base, marks, A", "The easting must be a number."),
        ("m", ("control", 0, "name"), "", "Control", "The name must not be empty."),
    ],
)
def test_a_limit_is_told_of_the_field_in_its_unit(unit, path, value, where, what):
    fault = refusal(unit, *path, value=value)
    assert (fault.where, fault.what) == (where, what)


def limited(model: type, seen: set[type]) -> set[str]:
    """The names of all fields with a limit, in a model and its parts."""
    if model in seen:
        return set()
    seen.add(model)
    own = {n for n, f in model.model_fields.items() if any(hasattr(m, k) for m in f.metadata for k in ("ge", "gt"))}
    return own.union(*(limited(part, seen) for f in model.model_fields.values() for part in parts_in(f.annotation)))


def test_no_limited_field_is_told_by_a_bare_key_of_its_unit():
    names = {key: field_of(key)[0] for key in limited(Plan, set())}
    assert len(names) > 60
    left = {
        key: name for key, name in names.items() if name.endswith((" per", " um", " px", " ms", " iso", " h", " s"))
    }
    assert not left
