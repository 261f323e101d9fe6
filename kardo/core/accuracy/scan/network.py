"""A laser flight as a linear network: a return's error is linear in parameters and shifts, and two places share exactly
those they have in common; targets and ties between flight lines settle some of them. Source: docs/laser.md.

Metres and radians; one standard deviation."""

from collections.abc import Sequence
from dataclasses import dataclass, field, fields
from functools import cached_property

import numpy as np
from scipy import sparse

from kardo.core.arrays import Bools, Floats, Ints
from kardo.core.errors import NetworkError
from kardo.core.plan.flights import Adjustment

MOST_ENTRIES = 60_000_000  # of the arrays that hold partials and covariances
UP = np.array([0.0, 0.0, 1.0])


@dataclass(frozen=True)
class Sightings:
    """Where n returns come from: place x and scanner (n, 3) in the local frame; ypr (n, 3), yaw, pitch and roll of the
    scanner in radians; ranges (n,) and flight line (n,). Nothing is computed from it: it is written so that partials
    can be worked out anew."""

    x: Floats
    scanner: Floats
    ypr: Floats
    ranges: Floats
    strip: Ints

    @classmethod
    def none(cls) -> "Sightings":
        """Of no return."""
        return cls(np.zeros((0, 3)), np.zeros((0, 3)), np.zeros((0, 3)), np.zeros(0), np.zeros(0, dtype=np.int64))


@dataclass(frozen=True)
class Returns:
    """n returns over m parameters and s shifts: partials (n, 3, m) of the place to each; sigma (n, 3) of what each has
    for itself; held (n, s): how much of each shift the trajectory holds, 1 for the whole; sightings, where they are
    known."""

    partials: Floats
    sigma: Floats
    held: Floats
    sightings: Sightings | None = None

    def taken(self, which: Ints) -> "Returns":
        """Some of them (q,), in that order."""
        seen = self.sightings
        return Returns(
            self.partials[which],
            self.sigma[which],
            self.held[which],
            None if seen is None else Sightings(*(getattr(seen, f.name)[which] for f in fields(seen))),
        )


def end_to_end(parts: Sequence[Returns]) -> Returns:
    """Returns of several places or lines as one; with sightings where all have them."""
    seen = [r.sightings for r in parts if r.sightings is not None]
    partials, sigma, held = (
        np.concatenate([getattr(r, name) for r in parts]) for name in ("partials", "sigma", "held")
    )
    whole = [np.concatenate([getattr(s, f.name) for s in seen]) for f in fields(Sightings)] if seen else []
    return Returns(partials, sigma, held, Sightings(*whole) if len(seen) == len(parts) else None)


@dataclass(frozen=True)
class Compared:
    """A place held against a survey: sigma (3,), NaN for an axis that is not compared; the shifts that the survey rests
    on, with its shares (q, 3) of them; read (3,): what is read of the place as its height, up where the ground is
    level."""

    place: int
    sigma: Floats
    shifts: tuple[int, ...]
    shares: Floats
    read: Floats = field(default_factory=lambda: UP)


@dataclass(frozen=True)
class Tie:
    """One place seen by two flight lines: sigma of the difference of what is read of both."""

    one: int
    other: int
    sigma: float
    read: Floats = field(default_factory=lambda: UP)


@dataclass(frozen=True)
class LaserNetwork:
    """A laser flight, linear. parameters by name, reach and sigma (m,); shifts (s, 3) sigma; returns; places (k): which
    returns, by what share; targets adjust as adjustment says, checks never do."""

    names: tuple[str, ...]
    reaches: tuple[str, ...]
    sigma: Floats
    shifts: Floats
    returns: Returns
    places: tuple[tuple[Ints, Floats], ...]
    targets: tuple[Compared, ...] = ()
    checks: tuple[Compared, ...] = ()
    ties: tuple[Tie, ...] = ()
    adjustment: Adjustment = "matched"

    @cached_property
    def shares(self) -> sparse.csr_array:
        """(k, n): how much of each return is in each place."""
        rows = np.repeat(np.arange(len(self.places)), [len(which) for which, _ in self.places])
        which = np.concatenate([np.zeros(0, dtype=np.int64), *(which for which, _ in self.places)])
        share = np.concatenate([np.zeros(0), *(share for _, share in self.places)])
        return sparse.csr_array((share, (rows, which)), shape=(len(self.places), len(self.returns.sigma)))

    @cached_property
    def jacobian(self) -> Floats:
        """(3k, m + 3s): of all places to parameters and shifts. Raises NetworkError for more than are held at once."""
        n, k, m, s = len(self.returns.sigma), len(self.places), len(self.sigma), len(self.shifts)
        if 3 * (n + k) * (m + 3 * s) > MOST_ENTRIES:
            raise NetworkError("These are too many places and returns at once.", mend="Give fewer places.")
        out = np.zeros((k, 3, m + 3 * s))
        out[:, :, :m] = (self.shares @ self.returns.partials.reshape(n, 3 * m)).reshape(k, 3, m)
        held = self.shares @ self.returns.held
        for axis in range(3):
            out[:, axis, m + axis :: 3] = held
        return out.reshape(3 * k, m + 3 * s)

    @cached_property
    def prior(self) -> Floats:
        """(m + 3s,): sigma of parameters and shifts before anything is settled."""
        return np.concatenate([self.sigma, self.shifts.ravel()])

    @cached_property
    def noise(self) -> sparse.csr_array:
        """Joint covariance (3k, 3k) of what the places have of their returns' own noise: nothing between places that
        share none."""
        parts = []
        for axis in range(3):
            shared = (self.shares @ sparse.diags_array(self.returns.sigma[:, axis] ** 2) @ self.shares.T).tocoo()
            parts.append((shared.data, 3 * shared.row + axis, 3 * shared.col + axis))
        data, rows, columns = (np.concatenate(some) for some in zip(*parts, strict=True))
        return sparse.csr_array((data, (rows, columns)), shape=(3 * len(self.places), 3 * len(self.places)))

    @cached_property
    def own_variances(self) -> Floats:
        """(k, 3): its diagonal."""
        return np.asarray(self.shares.power(2) @ self.returns.sigma**2)

    @cached_property
    def apart(self) -> Bools:
        """Ties (t,) whose two places share no return with any other place, and are nobody's target or check: what they
        settle can be settled first."""
        used = np.bincount(self.shares.indices, minlength=len(self.returns.sigma))
        alone = np.array([bool((used[which] == 1).all()) for which, _ in self.places], dtype=bool)
        alone[[c.place for c in (*self.targets, *self.checks)]] = False
        uses = np.bincount([p for t in self.ties for p in (t.one, t.other)], minlength=len(self.places))
        alone &= uses <= 1
        return np.array([alone[t.one] and alone[t.other] and t.one != t.other for t in self.ties], dtype=bool)


@dataclass(frozen=True)
class Settled:
    """What ties leave of parameters and shifts: of their own errors the part `left` (c, c), and the ties' noise,
    covariance (c, c)."""

    left: Floats
    noise: Floats


def settled_by_ties(net: LaserNetwork) -> Settled:
    """Of the ties that stand apart, where flight lines are matched. With X = A sigma, the posterior is sigma (I + X'
    R^-1 X)^-1 sigma, and what is left of the parameters I - K A, K the gain. Source: least squares with priors,
    docs/laser.md."""
    c = len(net.prior)
    ties = [t for t, apart in zip(net.ties, net.apart, strict=True) if apart]
    if not ties or net.adjustment != "matched":
        return Settled(np.eye(c), np.zeros((c, c)))
    rows = _ties(net, ties, net.jacobian)
    own = [float(t.read**2 @ (net.own_variances[t.one] + net.own_variances[t.other])) for t in ties]
    weight = 1 / (np.array([t.sigma for t in ties]) ** 2 + own)
    scaled = rows * net.prior
    inner = np.linalg.inv(np.eye(c) + (scaled * weight[:, None]).T @ scaled)
    posterior = net.prior[:, None] * inner * net.prior
    gain = posterior @ rows.T * weight
    return Settled(np.eye(c) - gain @ rows, (gain / weight) @ gain.T)


def _ties(net: LaserNetwork, ties: Sequence[Tie], of_place: Floats) -> Floats:
    """Rows (t, any) of the ties from rows (3k, any) of the places."""
    each = of_place.reshape(len(net.places), 3, -1)
    one, other = [t.one for t in ties], [t.other for t in ties]
    read = np.array([t.read for t in ties]).reshape(-1, 3)
    return np.asarray(np.einsum("ta,tac->tc", read, each[one] - each[other]))


@dataclass(frozen=True)
class LaserResult:
    """Errors of the places after the adjustment, linear in what causes them: rows (3k, c) of parameters and shifts with
    prior sigma (c,), of the ties' noise, covariance (c, c), and of what is observed with its variances (o,), which
    moves the places by `moved` (3k, o). observed (o, 3k): what is observed holds of the places' own noise, of which
    each has its own less what it is moved by. innovation: covariance of what is observed."""

    net: LaserNetwork
    causes: Floats
    tied: Floats
    tie_noise: Floats
    observed: Floats
    moved: Floats
    variances: Floats
    innovation: Floats

    @cached_property
    def _with_observed(self) -> tuple[Floats, Floats]:
        """Covariance of the places' own noise with what is observed (3k, o), and of that (o, o) with its own
        variances."""
        shared = np.asarray(self.net.noise @ self.observed.T)
        return shared, self.observed @ shared + np.diag(self.variances)

    @cached_property
    def cov(self) -> Floats:
        """Covariance (k, 3, 3) of each place."""
        k = len(self.net.places)
        shared, observed = self._with_observed

        def each(left: Floats, right: Floats) -> Floats:
            """Rows (3k, any) of each place with those of the same place (k, 3, 3)."""
            return np.matmul(left.reshape(k, 3, -1), right.reshape(k, 3, -1).transpose(0, 2, 1))

        causes, crossed = self.causes * self.net.prior, each(shared, self.moved)
        out = each(causes, causes) + each(self.tied @ self.tie_noise, self.tied)
        out += each(self.moved @ observed, self.moved) - crossed - crossed.transpose(0, 2, 1)
        return np.asarray(out + self.net.own_variances[:, :, None] * np.eye(3))

    def own_shares(self, at: Ints) -> tuple[Floats, Floats]:
        """Of some rows (q,) of the places: the variance (q,) that their returns' own noise leaves, theirs and that of
        what is observed, and what the observations' own errors leave."""
        shared, observed = self._with_observed
        moved, surveyed = self.moved[at], (self.moved[at] ** 2) @ self.variances
        rest = ((moved @ observed) * moved).sum(axis=1) - surveyed - 2 * (shared[at] * moved).sum(axis=1)
        return self.net.own_variances.ravel()[at] + rest, surveyed

    def _joint(self, causes: Floats, at: Ints) -> Floats:
        """Joint covariance (q, q) of some rows (q,) of the places, from theirs of the causes, times their sigmas."""
        tied, moved, (shared, observed) = self.tied[at], self.moved[at], self._with_observed
        crossed = shared[at] @ moved.T
        out = causes @ causes.T + tied @ self.tie_noise @ tied.T + moved @ observed @ moved.T - crossed - crossed.T
        return np.asarray(out + self.net.noise[at][:, at].toarray())

    def joint(self, which: Ints) -> Floats:
        """Joint covariance (3q, 3q) of some of the places (q,)."""
        at = _axes(which)
        return self._joint(self.causes[at] * self.net.prior, at)

    @cached_property
    def seen(self) -> Floats:
        """Joint covariance (3c, 3c) of map less survey at the checks, NaN where an axis is not compared."""
        checks = self.net.checks
        at = _axes(np.array([c.place for c in checks], dtype=np.int64))
        causes, m = self.causes[at].copy(), len(self.net.sigma)
        own = np.full(3 * len(checks), np.nan)
        for j, check in enumerate(checks):
            for shift, share in zip(check.shifts, check.shares, strict=True):
                for axis in range(3):
                    causes[3 * j + axis, m + 3 * shift + axis] -= share[axis]
            own[3 * j : 3 * j + 3] = check.sigma**2
        return self._joint(causes * self.net.prior, at) + np.diag(own)


def _axes(places: Ints) -> Ints:
    """Rows of places (q,): 3q."""
    return np.asarray((3 * places[:, None] + np.arange(3)).ravel(), dtype=np.int64)


def adjusted(net: LaserNetwork, settled: Settled | None = None) -> LaserResult:
    """What targets and ties leave of the places' errors. matched: least squares with priors over all parameters; height
    and position: the weighted mean of what the targets say, of one height or of a shift, taken off the whole scan;
    none: nothing. Exact also where a target's place shares returns with another. settled: what ties have settled
    already. Raises NetworkError for more places than are held at once. Source: docs/laser.md."""
    settled = settled or settled_by_ties(net)
    near = [] if net.adjustment != "matched" else [t for t, apart in zip(net.ties, net.apart, strict=True) if not apart]
    before = net.jacobian @ settled.left
    causes, tied, own, variances, axes = _observed(net, near, before)
    seen, noise = (causes * net.prior) @ (causes * net.prior).T, own @ (net.noise @ own.T)
    innovation = seen + tied @ settled.noise @ tied.T + noise + np.diag(variances)
    moved = np.zeros((3 * len(net.places), len(variances)))
    if len(variances):
        if net.adjustment == "matched":
            with_seen = (before * net.prior) @ (causes * net.prior).T + net.jacobian @ settled.noise @ tied.T
            moved = np.asarray(np.linalg.solve(innovation, with_seen.T).T, dtype=np.float64)
        else:
            moved = _means(net, axes, variances + np.diag(noise))
    return LaserResult(
        net=net,
        causes=before - moved @ causes,
        tied=net.jacobian - moved @ tied,
        tie_noise=settled.noise,
        observed=own,
        moved=moved,
        variances=variances,
        innovation=innovation,
    )


def _observed(net: LaserNetwork, ties: Sequence[Tie], before: Floats) -> tuple[Floats, Floats, Floats, Floats, Ints]:
    """What is observed, targets axis by axis and then ties (q rows): over parameters and shifts as they were, over what
    the ties' noise moves, over the places' own noise; the variance that each has for itself; its axis."""
    m = len(net.sigma)
    parts: list[tuple[Floats, Floats, Floats, float, int]] = []
    for target in net.targets:
        for axis in np.flatnonzero(np.isfinite(target.sigma)).tolist():
            read = target.read if axis == 2 else np.eye(3)[axis]
            at = slice(3 * target.place, 3 * target.place + 3)
            row = read @ before[at]
            for shift, share in zip(target.shifts, target.shares, strict=True):
                row[m + 3 * shift : m + 3 * shift + 3] -= read * share  # where the surface is read, the survey says
            own = np.zeros(len(before))
            own[at] = read
            parts.append((row, read @ net.jacobian[at], own, float(target.sigma[axis]) ** 2, axis))
    if ties:
        rows = [_ties(net, ties, some) for some in (before, net.jacobian)]
        for k, t in enumerate(ties):
            own = np.zeros(len(before))
            own[3 * t.one : 3 * t.one + 3] += t.read
            own[3 * t.other : 3 * t.other + 3] -= t.read
            parts.append((*(some[k] for some in rows), own, t.sigma**2, 2))
    if not parts:
        c = before.shape[1]
        return (
            np.zeros((0, c)),
            np.zeros((0, c)),
            np.zeros((0, len(before))),
            np.zeros(0),
            np.zeros(0, dtype=np.int64),
        )
    causes, tied, own = (np.array([p[k] for p in parts]) for k in range(3))
    return causes, tied, own, np.array([p[3] for p in parts]), np.array([p[4] for p in parts], dtype=np.int64)


def _means(net: LaserNetwork, axes: Ints, variances: Floats) -> Floats:
    """(3k, q): what each observation moves each place by, as a part of the mean that is taken off the scan."""
    out = np.zeros((3 * len(net.places), len(variances)))
    for axis in {"none": (), "height": (2,), "position": (0, 1, 2)}[net.adjustment]:
        weight = np.where(axes == axis, 1 / variances, 0.0)
        if weight.any():
            out[axis::3] = weight / weight.sum()
    return out
