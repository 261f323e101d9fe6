"""The survey of a block of images: its network formed and solved, and what it says of map, control and checks. Source:
docs/accuracy.md."""

from dataclasses import dataclass

import numpy as np

from kardo.core.accuracy.equation import normals
from kardo.core.accuracy.equation.solution import SeenByChecks, Solution, as_seen, solve
from kardo.core.accuracy.equation.volume import mean_height_sigma
from kardo.core.accuracy.figures import effort
from kardo.core.accuracy.figures.effort import Progress
from kardo.core.accuracy.figures.figures import CURVE, error_map, further_checks
from kardo.core.accuracy.figures.judged import Errors
from kardo.core.accuracy.figures.results import ErrorMap, Size
from kardo.core.accuracy.figures.survey import Adjusted, AtControl, HeldShifts, SeenChecks
from kardo.core.accuracy.images.budget import propagate_to_map
from kardo.core.accuracy.images.misclosures import difference_covariance, misclosures
from kardo.core.accuracy.images.planned import Planned, planned_network
from kardo.core.accuracy.images.reliability import reliability
from kardo.core.arrays import Floats, Ints
from kardo.core.gnss.shifts import GRADIENT
from kardo.core.plan.model import Plan


@dataclass(frozen=True)
class ImageSurvey:
    """A plan's block of images, solved."""

    planned: Planned
    solution: Solution
    work: effort.Effort

    @property
    def convergence(self) -> float:
        """Of the frame of its network."""
        return self.planned.frame.convergence

    def seen_checks(self) -> SeenChecks:
        """The checks that two images see, together."""
        return _seen(self.planned, as_seen(self.solution))

    def errors(self) -> Errors:
        """Of the map's points and the checks."""
        covariances = self.solution.point_covariances(self.planned.map_points)
        return errors_of(self.planned, covariances, as_seen(self.solution))

    def adjusted(self, progress: Progress) -> Adjusted:
        """All that it says: the map through the budget, for its covariances come with the shares."""
        planned, solution, work, plan = self.planned, self.solution, self.work, self.planned.plan
        net = planned.network
        progress(effort.MAP, work.share(effort.MAP))
        targets = misclosures(solution, planned.observe(plan, plan.targets))
        on_map = propagate_to_map(
            solution,
            planned.map_points,
            solution.columns(planned.targets, delivered=False),
            targets,
            progress=lambda part: progress(effort.MAP, work.share(effort.MAP, part)),
        )
        progress(effort.CHECKS, work.share(effort.CHECKS))
        border = np.sqrt(np.diag(solution.border_covariance()))
        return Adjusted(
            errors=errors_of(planned, on_map.covariances, as_seen(solution)),
            shares=on_map.shares,
            map_e=planned.map_e,
            map_n=planned.map_n,
            map_step=planned.map_step,
            covered=np.ones(len(planned.map_points), dtype=np.bool_),
            seen_by=self._images(planned.map_points),
            curve=self._curve(plan),
            control=self._control(plan),
            reliability=lambda variances: reliability(tuple(p.id for p in plan.targets), targets, on_map, variances),
            mean_height_variance=self._mean_height_variance,
            held=self._held(),
            convergence=self.convergence,
            size=Size(net.n_exposures, 6 * len(solution.order) + len(solution.factor.m), solution.half_band),
            sigma_io={camera: border[7 * k : 7 * k + 7].tolist() for k, camera in enumerate(net.cameras)},
            left_out=solution.left_out.tolist(),
        )

    def _images(self, which: Ints) -> Ints:
        """How many images see some points (k,)."""
        return np.asarray(np.diff(self.planned.network.rays.start)[which])

    def _curve(self, plan: Plan) -> SeenChecks | None:
        """The planned checks, then those that could be added."""
        if not plan.checks:
            return None
        planned = self.planned
        checks = plan.checks + further_checks(plan, planned.map_e, planned.map_n, CURVE - len(plan.checks))
        control = planned.observe(plan, checks)
        found = misclosures(self.solution, control)
        own, usable = int(found.usable[: len(plan.checks)].sum()), np.flatnonzero(found.usable)
        joint = difference_covariance(found.take(found.usable), self.solution)
        measured = control.take(usable)
        return SeenChecks(
            points=[checks[k].id for k in usable],
            joint=joint,
            survey=measured.total_sigma,
            places=measured.places,
            own=own,
        )

    def _control(self, plan: Plan) -> list[AtControl]:
        """Targets first, then checks."""
        planned, net = self.planned, self.planned.network
        which = np.concatenate([planned.targets, planned.checks])
        cov, images = self.solution.point_covariances(which), self._images(which)
        sigma = np.concatenate([net.sigma_x[planned.targets], net.check_sigma])
        width = {p.id: float(w) for p, w in zip(plan.control, planned.control.width_px, strict=True)}
        return [
            AtControl(
                point=p.id,
                seen_by=int(images[k]),
                width_px=width[p.id],
                own=sigma[k],
                covariance=cov[k] if np.isfinite(cov[k]).all() else None,
            )
            for k, p in enumerate((*plan.targets, *plan.checks))
        ]

    def _mean_height_variance(self, number: int, extent: float) -> float | None:
        """Of the site's map points, or an area's, with what matching adds over so many square metres."""
        planned = self.planned
        points, places = (
            (planned.map_points, planned.map_places),
            *zip(planned.area_points, planned.area_places, strict=True),
        )[number]
        sigma = mean_height_sigma(self.solution, points, places.reading)
        noise = places.mean_noise(extent, planned.plan.assume["surface_length_px"])
        return None if sigma is None else sigma**2 + noise

    def _held(self) -> HeldShifts:
        """Of a base's gradients, held by the kilometre, the map holds what its exposures do, in the mean."""
        net = self.planned.network
        held = np.concatenate([net.exposure_shifts.values, net.point_shifts.values])
        of_map = np.bincount(held, minlength=len(net.shifts)).clip(max=1).astype(float)
        for k, shift in enumerate(net.shifts):
            if shift.kind in GRADIENT:
                shares = net.exposure_shares[net.exposure_shifts.values == k, 0, 0]
                of_map[k] = shares.sum() / max(1, net.n_exposures)
        least = np.einsum("qaa->qa", net.check_shares).min(axis=1, initial=np.inf)
        checks = [
            dict(zip(net.check_shifts[c].tolist(), least[net.check_shifts.places(np.array([c]))].tolist(), strict=True))
            for c in range(len(net.check_point))
        ]
        return HeldShifts(net.shifts, of_map, checks, {"local": int((~net.check_delivered).sum())})


def image_survey(plan: Plan, progress: Progress = lambda stage, share: None) -> ImageSurvey:
    """Form and solve a plan's block of images. Raises PlanError where the plan lacks something, DefectiveNetwork where
    nothing fixes it."""
    progress(effort.LAYING_OUT, 0.0)
    planned = planned_network(plan)
    net = planned.network
    progress(effort.FORMING, 0.02)
    formed = normals.form(net)
    work = effort.Effort(
        len(net.rays.values), len(formed.band), formed.half_band, len(planned.map_points), len(plan.checks)
    )
    progress(effort.FACTORING, work.share(effort.FACTORING))
    return ImageSurvey(planned, solve(net, formed), work)


def errors_of(planned: Planned, covariances: Floats, seen: SeenByChecks) -> Errors:
    """What a solved network says of the map, covariances (k, 3, 3), and of the checks."""
    checks = _seen(planned, seen)
    return Errors(
        covariances=covariances,
        on_map=planned.map_places,
        joint=checks.joint,
        survey=checks.survey,
        at_checks=checks.places,
    )


def _seen(planned: Planned, seen: SeenByChecks) -> SeenChecks:
    checks = np.array([p.role == "check" for p in planned.plan.control], dtype=bool)
    known = np.flatnonzero(seen.known)
    at = planned.control.take(np.flatnonzero(checks)[seen.known])
    names = [planned.plan.checks[k].id for k in known]
    return SeenChecks(points=names, joint=seen.measured, survey=at.total_sigma, places=at.places, own=len(names))


def map_of(planned: Planned, variances: Floats) -> ErrorMap:
    """The map sample with its predicted errors, from variances (k, 3)."""
    images = np.diff(planned.network.rays.start)[planned.map_points]
    return error_map(planned.map_e, planned.map_n, planned.map_step, images, variances)
