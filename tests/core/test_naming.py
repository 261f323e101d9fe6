"""Names by a scheme: each once, each says its role, and in the order that was asked for."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kardo.core.control.naming import NameScheme, renamed
from kardo.core.errors import PlanError
from kardo.core.plan.edits import changed
from tests.conftest import E0, N0, small_plan

START = (E0, N0)


@settings(max_examples=25)
@given(
    st.sampled_from(["listed", "round", "west", "north"]), st.integers(0, 900), st.integers(1, 4),
    st.sampled_from([("G", "K"), ("GCP", "CHK"), ("T-", "C-")]),
)  # fmt: skip
def test_every_point_has_a_name_of_its_own_that_says_its_role(order, first, digits, letters):
    scheme = NameScheme(target=letters[0], check=letters[1], first=first, digits=digits, order=order)
    plan = changed(small_plan(), renamed(small_plan(), scheme, START).edits)
    assert len({p.name for p in plan.control}) == len(plan.control)
    for p in plan.control:
        own = letters[0] if p.role == "target" else letters[1]
        assert p.name.startswith(own) and len(p.name) >= len(own) + digits
    assert not renamed(plan, scheme, START).edits, "named so, nothing is left to name"
    assert plan.hash == small_plan().hash


def test_from_the_west_and_along_the_round_the_numbers_follow():
    west = changed(small_plan(), renamed(small_plan(), NameScheme(order="west"), START).edits)
    for role in ("target", "check"):
        own = sorted((p for p in west.control if p.role == role), key=lambda p: int(p.name[1:]))
        assert [p.e for p in own] == sorted(p.e for p in own)


def test_targets_and_checks_are_never_called_alike():
    with pytest.raises(PlanError, match="called alike"):
        renamed(small_plan(), NameScheme(target="P", check="p"), START)
