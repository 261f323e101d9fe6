"""The local grid of a plan: its similarity, what of it is in delivered coordinates, and who measured in it."""

import math
from functools import lru_cache

import numpy as np

from kardo.core.arrays import Floats
from kardo.core.errors import GeodesyError
from kardo.core.geodesy.frame import LocalFrame, from_grid
from kardo.core.geodesy.similarity import Fitted, Similarity, fit
from kardo.core.gnss.shifts import Shift, shared_by
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.local import LocalGrid
from kardo.core.plan.model import Plan
from kardo.core.plan.stands import OnInstrument

Delivered = list[tuple[Shift, Floats]]


@lru_cache(maxsize=64)
def calibrated(local: LocalGrid) -> Fitted:
    """The similarity of a calibrated local grid. Raises GeodesyError where its points do not determine it."""
    grid = np.array([[p.e, p.n, np.nan if p.h is None else p.h] for p in local.points]).reshape(-1, 3)
    own = np.array([[p.local_e, p.local_n, np.nan if p.local_h is None else p.local_h] for p in local.points]).reshape(
        -1, 3
    )
    plane = np.array([p.plane for p in local.points], dtype=bool)
    height = np.array([p.height and p.h is not None and p.local_h is not None for p in local.points], dtype=bool)
    return fit(grid, own, plane, height, (local.sigma_h, local.sigma_v), local.scale == "free", local.tilt)


def local_system(local: LocalGrid) -> Similarity:
    """From the job's grid to the local one. Raises GeodesyError where its points do not determine it."""
    if local.kind == "calibrated":
        return calibrated(local).similarity
    moved, turn = [local.e0 + local.move_e, local.n0 + local.move_n], -math.radians(local.turn)
    plane = [*moved, local.factor * math.cos(turn), local.factor * math.sin(turn)]
    height = [local.move_h, local.rise_e, local.rise_n]
    return Similarity((local.e0, local.n0), np.array([*plane, *height]), any(height))


def fault_of_local(plan: Plan) -> GeodesyError | None:
    """What keeps the plan's local grid from being one; None where nothing does."""
    try:
        if plan.brief.local is not None:
            local_system(plan.brief.local)
    except GeodesyError as fault:
        return fault
    return None


def local_shifts(plan: Plan) -> list[Shift]:
    """The errors of a calibrated local grid, each coordinate of each a multiple of one unit."""
    local = plan.brief.local
    if local is None or local.kind != "calibrated":
        return []
    count = -(-calibrated(local).root.shape[1] // 3)
    return [Shift("local", str(k + 1), (1.0, 1.0, 1.0)) for k in range(count)]


def calibrates_heights(plan: Plan) -> bool:
    """Whether delivered heights are those of the points that a local grid is calibrated to."""
    local = plan.brief.local
    return local is not None and local.kind == "calibrated" and calibrated(local).similarity.heights


def delivered_with(plan: Plan, frame: LocalFrame, x: Floats) -> Delivered:
    """What delivered coordinates at ENU places x (k, 3) hold of which shifts, each as (k, 3, 3) in ENU: the
    calibration's own errors; and the error of what its points were measured from, for a similarity from points that are
    off together leads from where they seem to be: what is measured from the same comes out right. Source:
    docs/accuracy.md, section 14."""
    local = plan.brief.local
    if local is None or local.kind != "calibrated":
        return []
    found = calibrated(local)
    to_enu = from_grid(frame.convergence)
    middle = frame.to_enu(*(np.array([v]) for v in (*found.similarity.about, 0.0)))[0]
    at = (x - middle) @ to_enu  # grid axes
    c, s = np.cos(found.similarity.turn), np.sin(found.similarity.turn)
    to_grid = np.array([[c, s, 0.0], [-s, c, 0.0], [0.0, 0.0, 1.0]])
    errors = np.matmul(to_enu @ to_grid, found.similarity.partials(at[:, 0], at[:, 1]) @ found.root)
    shifts = local_shifts(plan)
    errors = np.concatenate([errors, np.zeros((len(x), 3, 3 * len(shifts) - errors.shape[2]))], axis=2)
    taken_up = np.diag([1.0, 1.0, float(found.similarity.heights)])
    return [(shift, errors[:, :, 3 * k : 3 * k + 3]) for k, shift in enumerate(shifts)] + [
        (shift, np.broadcast_to(taken_up, (len(x), 3, 3))) for shift in shared_by(plan, local.positioned_from)
    ]


def in_local_grid(plan: Plan, point: ControlPoint) -> bool:
    """Whether a point is surveyed in delivered coordinates: by an instrument on a mark that the local grid has, every
    time."""
    setups = [plan.setup(on.setup) if isinstance(on, OnInstrument) else None for on in point.by_source]
    marks = [plan.mark(s.mark) if s else None for s in setups]
    return plan.brief.local is not None and all(m is not None and m.known == "local" for m in marks)
