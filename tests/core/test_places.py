"""Every coordinate of the plan is found by the kind that it carries."""

import typing

import pytest

from kardo.core.parts import Coordinate, InGrid, parts_in
from kardo.core.plan.brief import Brief
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.flights import CorridorLines, OwnLine, OwnLines, TakeOffMove
from kardo.core.plan.geoid import StatedSeparation
from kardo.core.plan.local import LocalGrid, LocalPoint
from kardo.core.plan.model import Plan
from kardo.core.plan.places import places_of
from kardo.core.plan.site import Backdrop
from kardo.core.plan.stands import Mark, OnNothing
from kardo.demo import demo_plan

# coordinates of another grid, and differences
OF_NO_GRID = {
    "LocalPoint.local_e",
    "LocalPoint.local_n",
    "LocalGrid.e0",
    "LocalGrid.n0",
    "LocalGrid.move_e",
    "LocalGrid.move_n",
}
BOUND = typing.get_args(Coordinate)[1]  # what tells a coordinate from another number


def coordinates_without_kind(model, seen):
    seen.add(model)
    for name, field in model.model_fields.items():
        if any(getattr(m, "ge", None) == -1e8 for m in field.metadata) and not any(
            isinstance(m, InGrid) for m in field.metadata
        ):
            yield f"{model.__name__}.{name}"
        if loose(field.annotation):
            yield f"{model.__name__}.{name}"
        for part in parts_in(field.annotation):
            if part not in seen:
                yield from coordinates_without_kind(part, seen)


def loose(annotation):
    """Whether a coordinate without a kind is somewhere in a list."""
    own = getattr(annotation, "__metadata__", ())
    if BOUND in own:
        return not any(isinstance(m, InGrid) for m in own)
    return any(loose(inner) for inner in typing.get_args(annotation))


def test_no_coordinate_of_the_plan_is_without_a_kind_but_those_of_another_grid():
    assert set(coordinates_without_kind(Plan, set())) == OF_NO_GRID


def with_field(**fields):
    plan = demo_plan("sallow-bank")
    return plan.model_copy(update=fields)


def of_flight(**fields):
    plan = demo_plan("sallow-bank")
    return {"flights": (plan.flights[0].having(**fields), *plan.flights[1:])}


def of_site(**fields):
    return {"site": demo_plan("sallow-bank").site.model_copy(update=fields)}


def of_brief(**fields):
    return {"brief": demo_plan("sallow-bank").brief.model_copy(update=fields)}


FAR = (9.0e6, 8.0e6)
ADDED = {
    "boundary": (of_site(boundary=(FAR, (9e6 + 1, 8e6), (9e6, 8e6 + 1))), "Site, boundary"),
    "take-off": (of_flight(take_off=FAR), "Flight"),
    "take-off of a sortie": (of_flight(take_off_moves=(TakeOffMove(from_sortie=2, place=FAR),)), "Flight"),
    "corridor": (of_flight(pattern=CorridorLines(line=(FAR, (0.0, 0.0)))), "Flight"),
    "own line": (of_flight(pattern=OwnLines(lines=(OwnLine(start=(0.0, 0.0), end=FAR),))), "Flight"),
    "mark": ({"marks": (Mark(id="m", name="M", e=FAR[0], n=FAR[1]),)}, "Base, marks"),
    "control": (
        {"control": (ControlPoint(id="p", name="P", role="check", e=FAR[0], n=FAR[1], positioned_from=OnNothing()),)},
        "Control",
    ),
    "local grid": (
        of_brief(local=LocalGrid(points=(LocalPoint(id="p", name="P", e=FAR[0], n=FAR[1], local_e=1.0, local_n=2.0),))),
        "Brief, local",
    ),
    "separation": (of_brief(separation=StatedSeparation(value=40.0, at=FAR)), "Brief, separation"),
    "backdrop": (
        of_site(backdrops=(Backdrop(id="b", name="B", digest="0" * 64, extent=(*FAR, 9.1e6, 8.1e6)),)),
        "Site, backdrops",
    ),
}


@pytest.mark.parametrize("name", ADDED)
def test_each_is_found_where_it_is_typed(name):
    fields, where = ADDED[name]
    (found,) = [p for p in places_of(with_field(**fields)) if any((p.e == FAR[0]) & (p.n == FAR[1]))]
    assert found.where.startswith(where)
    assert found.edge == (name == "backdrop")
    assert len(found.e) == len(found.n)


def test_a_plan_without_places_has_none_and_a_whole_one_all_of_its_control():
    assert places_of(Plan(brief=Brief())) == []
    plan = demo_plan("hask-quarry")
    (control,) = [p for p in places_of(plan) if p.where == "Control"]
    assert list(zip(control.e, control.n, strict=True)) == [(p.e, p.n) for p in plan.control]
