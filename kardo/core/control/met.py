"""Points that are brought in, held against those that are there: the same place twice, the same name elsewhere, far
from the site."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from scipy.spatial import cKDTree

from kardo.core.plan.model import Plan

ABOUT = 1000.0  # metres from the site beyond which a point is hardly meant for it


@dataclass(frozen=True)
class Met:
    """What a point meets: the id of the plan's point in its place, the number of an earlier one of the list in its
    place, the id of the plan's point of its name somewhere else; whether it lies about the site."""

    same: str
    twice: int | None
    named: str
    about: bool


def met_by(plan: Plan, points: Sequence[tuple[str, float, float]]) -> list[Met]:
    """What each of some points (name, e, n in grid metres) meets.

    >>> met_by(Plan(), [("A", 0.0, 0.0), ("B", 0.1, 0.0)])[1].twice
    0
    """
    if not points:
        return []
    at, same_place = np.array([(e, n) for _, e, n in points]), plan.policy["control-twice"]
    own = np.array([(p.e, p.n) for p in plan.control]).reshape(-1, 2)
    away, nearest = cKDTree(own).query(at) if len(own) else (np.full(len(at), np.inf), np.zeros(len(at), dtype=int))
    tree = cKDTree(at)
    met = np.flatnonzero(
        tree.query(at, k=2)[0][:, 1] <= same_place
    ).tolist()  # not all pairs: of many on one place there are millions
    first = {b: min(tree.query_ball_point(at[b], same_place)) for b in met}
    earlier = {b: a for b, a in first.items() if a < b}
    named = {p.name.casefold().strip(): p.id for p in plan.control}
    about = np.ones(len(at), dtype=bool)
    if len(plan.site.boundary) >= 3:
        about = shapely.distance(shapely.points(at), shapely.Polygon(plan.site.boundary)) <= ABOUT
    out = []
    for k, (name, _, _) in enumerate(points):
        same = plan.control[int(nearest[k])].id if away[k] <= same_place else ""
        other = named.get(name.casefold().strip(), "") if name else ""
        out.append(Met(same, earlier.get(k), other if other != same else "", bool(about[k])))
    return out
