"""The survey of a scan: its returns adjusted, and what they say of map, control and checks. Source: docs/laser.md."""

import math
from dataclasses import dataclass

import numpy as np

from kardo.core.accuracy.figures import effort
from kardo.core.accuracy.figures.effort import Progress
from kardo.core.accuracy.figures.figures import CURVE, further_checks, rmse
from kardo.core.accuracy.figures.judged import Errors
from kardo.core.accuracy.figures.results import Share, Size, TargetReliability, nullable
from kardo.core.accuracy.figures.survey import Adjusted, AtControl, HeldShifts, SeenChecks
from kardo.core.accuracy.inputs.places import MAP_POINTS, sample
from kardo.core.accuracy.scan.network import LaserResult
from kardo.core.accuracy.scan.planned import Scanned, scanned_plan
from kardo.core.arrays import Bools, Floats, Ints, triple
from kardo.core.flight.lines.areas import site_polygon
from kardo.core.geodesy.confidence import NON_CENTRALITY
from kardo.core.gnss.shifts import Source, source_of
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.model import Plan

MOST_LOST = 30  # targets of which each is lost in turn


@dataclass(frozen=True)
class ScanSurvey:
    """A plan's scan, adjusted."""

    scan: Scanned

    @property
    def convergence(self) -> float:
        """Of the frame that its places are in."""
        return self.scan.frame.convergence

    def seen_checks(self) -> SeenChecks:
        """The plan's checks that lines see."""
        own, points = _own_checks(self.scan)
        return self._seen(own, [p.id for p in points], len(own))

    def _seen(self, which: Ints, points: list[str], own: int) -> SeenChecks:
        """The first checks that lines see: their places among the control that is seen, and their ids."""
        scan, count = self.scan, 3 * len(which)
        joint = scan.result.seen[:count, :count]
        return SeenChecks(
            points=points,
            joint=joint,
            survey=scan.control_total[which],
            places=scan.control_places.take(which),
            own=own,
        )

    def errors(self) -> Errors:
        """Of the map, where it is covered, and of the plan's checks."""
        return _errors(self.scan, self.scan.result)

    def adjusted(self, progress: Progress) -> Adjusted:
        """All that it says."""
        scan, found = self.scan, self.scan.result
        progress(effort.MAP, 0.6)
        return Adjusted(
            errors=self.errors(),
            shares=_shares(scan, found),
            map_e=scan.map_e,
            map_n=scan.map_n,
            map_step=scan.map_step,
            covered=np.asarray(scan.map_at >= 0),
            seen_by=scan.map_strips,
            curve=self._curve(),
            control=self._control(),
            reliability=lambda variances: _reliability(scan, found, variances),
            mean_height_variance=self._mean_height_variance,
            held=self._held(),
            convergence=self.convergence,
            size=Size(0, len(scan.looked_at.prior), 0),
            sigma_io={},
            left_out=[],
        )

    def _curve(self) -> SeenChecks | None:
        """All checks that lines see, those that could be added after the plan's."""
        scan = self.scan
        which = [k for k, j in enumerate(scan.seen.tolist()) if scan.points[j].role == "check"]
        names = [scan.points[scan.seen[k]].id for k in which]
        return self._seen(np.array(which, dtype=np.int64), names, len(_own_checks(scan)[0])) if which else None

    def _control(self) -> list[AtControl]:
        """Targets first, then checks: lines that see each, its width in spacings of returns."""
        scan, rows = self.scan, []
        number = {p.id: k for k, p in enumerate(scan.points)}
        at = {scan.points[j].id: k for k, j in enumerate(scan.seen.tolist())}
        own = {c.place: c.sigma for c in (*scan.looked_at.targets, *scan.looked_at.checks)}
        for p in (*scan.plan.targets, *scan.plan.checks):
            k, strips = at.get(p.id), int(scan.control_shot.strips[number[p.id]])
            if k is None:
                rows.append(AtControl(point=p.id, seen_by=strips, width_px=0.0, own=np.zeros(3), covariance=None))
                continue
            sigma = own[k] if np.isfinite(own[k][:2]).all() else np.r_[scan.control_total[k, :2], own[k][2]]
            width = p.width / float(scan.control_places.ground_px[k])
            rows.append(AtControl(point=p.id, seen_by=strips, width_px=width, own=sigma, covariance=scan.result.cov[k]))
        return rows

    def _mean_height_variance(self, number: int, extent: float) -> float | None:
        """Of the site's places, or an area's: a volume is of the surface, whatever heights are judged at."""
        scan = self.scan
        at, places = ((scan.map_at, scan.map_places), *zip(scan.area_at, scan.area_places, strict=True))[number]
        some = at[at >= 0]
        if not some.size:
            return None
        read = places.reading.ravel() / len(some)
        return float(read @ scan.result.joint(some) @ read)

    def _held(self) -> HeldShifts:
        """Of each shift the map holds what its returns do, in the mean of those that hold it."""
        network, held = self.scan.looked_at, self.scan.looked_at.returns.held
        of_map = held.sum(axis=0) / np.maximum(1, (held != 0).sum(axis=0))
        own = len(_own_checks(self.scan)[0])
        checks = [dict(zip(c.shifts, c.shares.min(axis=1).tolist(), strict=True)) for c in network.checks[:own]]
        return HeldShifts(self.scan.shifts, of_map, checks)


def scan_survey(plan: Plan, progress: Progress | None = None) -> ScanSurvey:
    """Form and adjust a plan's scan; with a progress, together with checks that could be added. Raises PlanError where
    the plan lacks something."""
    if progress is None:
        return ScanSurvey(scanned_plan(plan))
    progress(effort.LAYING_OUT, 0.0)
    scan = scanned_plan(plan, _further(plan))
    progress(effort.FACTORING, 0.4)
    return ScanSurvey(scan)


def _further(plan: Plan) -> tuple[ControlPoint, ...]:
    """Checks that could be added, over a map of the site."""
    if not plan.checks or len(plan.site.boundary) < 3:
        return ()
    e, n, _ = sample(site_polygon(plan), MAP_POINTS)
    return further_checks(plan, e, n, CURVE - len(plan.checks))


def _own_checks(scan: Scanned) -> tuple[Ints, list[ControlPoint]]:
    """Of the plan's checks that lines see: their places among the control that is seen, and themselves."""
    own = {p.id for p in scan.plan.checks}
    which = [k for k, j in enumerate(scan.seen.tolist()) if scan.points[j].role == "check" and scan.points[j].id in own]
    return np.array(which, dtype=np.int64), [scan.points[scan.seen[k]] for k in which]


def _errors(scan: Scanned, found: LaserResult) -> Errors:
    """What the scan says of the map, where it is covered, and of the plan's checks."""
    own, _ = _own_checks(scan)
    count = len(own)
    joint = found.seen[: 3 * count, : 3 * count]
    at = scan.map_at[scan.map_at >= 0]
    return Errors(
        covariances=found.cov[at],
        on_map=scan.map_places,
        joint=joint,
        survey=scan.control_total[own],
        at_checks=scan.control_places.take(own),
    )


def _groups(scan: Scanned) -> dict[Source, Ints]:
    """Causes of the network by the source that each counts under."""
    sources: list[Source] = [*scan.parameters.sources, *(source_of(shift) for shift in scan.shifts for _ in range(3))]
    return {source: np.flatnonzero([s == source for s in sources]) for source in dict.fromkeys(sources)}


def _shares(scan: Scanned, found: LaserResult) -> list[Share]:
    """Every source's exact part of the mean variance of the map."""
    at = (3 * scan.map_at[scan.map_at >= 0][:, None] + np.arange(3)).ravel()
    causes, tied = found.causes[at] * found.net.prior, found.tied[at]
    parts: dict[Source, Floats] = {
        source: (causes[:, which] ** 2).sum(axis=1) for source, which in _groups(scan).items()
    }
    returns, targets = found.own_shares(at)
    parts["returns", ""] = returns
    parts["ties", ""] = np.einsum("ka,ka->k", tied @ found.tie_noise, tied)
    parts["targets", ""] = targets
    total = np.sum(list(parts.values()), axis=0).reshape(-1, 3)
    all_h, all_v = float(total[:, :2].sum(axis=1).mean()), float(total[:, 2].mean())
    out = []
    for source, part in parts.items():
        each = part.reshape(-1, 3)
        h, v = float(each[:, :2].sum(axis=1).mean()), float(each[:, 2].mean())
        if h > 0 or v > 0:
            out.append(Share(*source, h / all_h, v / all_v, math.sqrt(h), math.sqrt(v)))
    return sorted(out, key=lambda s: -max(s.share_h, s.share_v))


def _reliability(scan: Scanned, found: LaserResult, variances: Floats) -> list[TargetReliability]:
    """How far each target is checked by the rest, what a gross error does to the map, and the map without it. A gross
    error is found with 80 % power at a risk of 0.1 % when it is 4.13 / sqrt(M_ii), M the weight of the observations
    among themselves, less what is fitted to them."""
    targets = scan.looked_at.targets
    axes = [(k, int(axis)) for k, t in enumerate(targets) for axis in np.flatnonzero(np.isfinite(t.sigma))]
    weight = _weight(scan, found, [axis for _, axis in axes])
    known: Bools = np.asarray(np.isfinite(variances).all(axis=1), dtype=np.bool_)
    moved = found.moved[(3 * scan.map_at[scan.map_at >= 0][:, None] + np.arange(3)).ravel()]
    by_place = {t.place: k for k, t in enumerate(targets)}
    out = []
    for k, j in enumerate(scan.seen.tolist()):
        point = scan.points[j]
        if point.role != "target":
            continue
        mine = by_place[k]
        redundancy, found_at, effect = np.ones(3), np.full(3, np.inf), [0.0, 0.0, 0.0]
        for row, (target, axis) in enumerate(axes):
            if target != mine:
                continue
            checked = max(float(weight[row, row]), 0.0)
            redundancy[axis] = min(checked * found.variances[row], 1.0)
            if checked > 1e-9 / found.variances[row]:
                found_at[axis] = NON_CENTRALITY / math.sqrt(checked)
            effect[axis] = float(np.abs(moved[:, row]).max()) * found_at[axis]
        lost_h, lost_v = _lost(scan, mine, known) if len(targets) <= MOST_LOST else (None, None)
        east, north, up = nullable(found_at)
        h, v = float(max(effect[:2])), float(effect[2])
        effect_h, effect_v = (x if math.isfinite(x) else None for x in (h, v))
        row_of = TargetReliability(
            id=point.id,
            redundancy=triple(redundancy),
            found=(east, north, up),
            effect_h=effect_h,
            effect_v=effect_v,
            lost_h=lost_h,
            lost_v=lost_v,
        )
        out.append(row_of)
    return out


def _weight(scan: Scanned, found: LaserResult, axes: list[int]) -> Floats:
    """M (q, q) of the targets' observations, each of an axis: the inverse of their covariance, less what a height or a
    shift that is fitted to them takes."""
    inner = found.innovation[: len(axes), : len(axes)]
    if not axes:
        return inner
    weight = np.asarray(np.linalg.inv(inner), dtype=np.float64)
    if scan.looked_at.adjustment not in ("height", "position"):
        return weight
    fitted = np.array([[float(axis == a) for a in sorted(set(axes))] for axis in axes])
    return np.asarray(weight - weight @ fitted @ np.linalg.inv(fitted.T @ weight @ fitted) @ fitted.T @ weight)


def _lost(scan: Scanned, target: int, known: Bools) -> tuple[float | None, float | None]:
    errors = _errors(scan, scan.without(target))
    h, v = rmse(errors.map_variances(scan.plan))
    return (h, v) if known.any() else (None, None)
