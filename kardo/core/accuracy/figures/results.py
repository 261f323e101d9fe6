"""What a prediction tells: frozen, in metres and one standard deviation unless a name says otherwise.

Things of the plan are spoken of by kind and id; names are put in when they are shown (kardo.core.plan.naming). The API
document and the browser's types are made from these classes."""

from dataclasses import asdict, dataclass
from typing import Any

from kardo.core.accuracy.equation.defects import Defect
from kardo.core.arrays import Floats, Json, Triple
from kardo.core.geodesy.confidence import VERTICAL_95
from kardo.core.plan.brief import State

ENGINE = 11  # raised whenever the same plan would give other numbers, or they are told in another shape


def result_json(result: Any) -> Json:
    """A result as plain JSON."""
    return asdict(result)


def nullable(values: Floats) -> list[float | None]:
    """Numbers (k,) with None for what is not finite."""
    return [x if abs(x) < float("inf") else None for x in values.tolist()]


@dataclass(frozen=True)
class Histogram:
    """Counts between edges, one more of these."""

    edges: list[float]
    counts: list[int]


@dataclass(frozen=True)
class Chance:
    """Chance to pass with its own standard error, and the distribution of the judged statistic: 5, 50 and 95 % points,
    and its histogram."""

    passing: float
    uncertainty: float
    spread_h: Triple
    spread_v: Triple
    histogram_h: Histogram
    histogram_v: Histogram


@dataclass(frozen=True)
class Worst:
    """The worst place of the map, grid metres, and what 95 % of the map stays within."""

    sigma: float
    e: float
    n: float
    p95: float


@dataclass(frozen=True)
class ErrorMap:
    """The map sample: grid metres and step, predicted error of each point (None: not seen by two images), images."""

    e: list[float]
    n: list[float]
    step: float
    h: list[float | None]
    v: list[float | None]
    images: list[int]
    uncovered: int
    worst_h: Worst | None
    worst_v: Worst | None


@dataclass(frozen=True)
class Figures:
    """What the staff and the error surface show. limit: the tolerance as an RMSE, None where the standard sets none."""

    rmse_h: float
    rmse_v: float
    seen_rmse_h: float | None
    seen_rmse_v: float | None
    limit_h: float
    limit_v: float | None
    chance: float | None
    chance_detail: Chance | None


@dataclass(frozen=True)
class MapFigures(Figures):
    """The figures with the map."""

    map: ErrorMap


@dataclass(frozen=True)
class Share:
    """One source's part of the mean variance over the map; shares of all sources add to one. kind and id say what it
    is: mark, setup, network, sorties (of a flight), positions and calibration (of a camera), targets, images."""

    kind: str
    id: str
    share_h: float
    share_v: float
    sigma_h: float
    sigma_v: float


@dataclass(frozen=True)
class BlindSpot:
    """A shift that the map and so many of the checks rest on together: its part in the larger of the two variances."""

    kind: str
    id: str
    in_height: bool
    share: float
    sigma: float
    checks: int


@dataclass(frozen=True)
class Ellipse:
    """Standard ellipse of a horizontal error: semi axes in metres, grid azimuth of the major one in degrees."""

    major: float
    minor: float
    azimuth: float


@dataclass(frozen=True)
class ControlFigures:
    """One control point: images that see it, its width in pixels, its own sigmas (pointing at its centre included) and
    the map's there; h radial."""

    id: str
    images: int
    width_px: float
    own_h: float
    own_v: float
    map_h: float | None
    map_v: float | None
    ellipse: Ellipse | None


@dataclass(frozen=True)
class TargetReliability:
    """One target: redundancy of its coordinates (0 to 1), smallest gross error found (None where nothing checks it),
    what one in plan or in height does to the worst map point, and the map's RMSE without the target (None: not
    determined)."""

    id: str
    redundancy: Triple
    found: tuple[float | None, float | None, float | None]
    effect_h: float | None
    effect_v: float | None
    lost_h: float | None
    lost_v: float | None


@dataclass(frozen=True)
class Volume:
    """An area (id empty: the whole site), m2: standard deviations of its mean height, m, and of its volume, m3, and
    both at 95 %; m3 that lie there by the terrain, where that is known, and the volume at 95 % in per cent of them."""

    id: str
    area: float
    sigma: float
    sigma_volume: float
    sigma_95: float
    volume_95: float
    content: float | None = None
    percent_95: float | None = None

    @classmethod
    def of(cls, key: str, area: float, sigma: float, content: float | None) -> "Volume":
        """From the standard deviation of the mean height."""
        at_95 = VERTICAL_95 * sigma
        percent = 100 * at_95 * area / content if content else None
        return cls(key, area, sigma, sigma * area, at_95, at_95 * area, content, percent)


@dataclass(frozen=True)
class Size:
    """How large the network is."""

    exposures: int
    order: int
    half_band: int


@dataclass(frozen=True)
class Undetermined:
    """RESULT.json of a plan whose network has a defect: no figures."""

    hash: str
    engine: int
    defects: list[Defect]


@dataclass(frozen=True)
class InOtherState:
    """What the plan promises in its other state, as taken "here" or shifted: RMSE in metres, absolute and over the
    checks, and the chance to pass."""

    state: State
    rmse_h: float
    rmse_v: float
    seen_rmse_h: float | None
    seen_rmse_v: float | None
    chance: float | None


@dataclass(frozen=True)
class ByNewer:
    """What a plan that rests on older defaults would promise by the newest edition: RMSE in metres on the map, and the
    chance to pass."""

    edition: str
    rmse_h: float
    rmse_v: float
    chance: float | None


@dataclass(frozen=True)
class Result(MapFigures):
    """RESULT.json of a plan. other: of a plan that has two states. newer: of one that rests on older defaults.
    chance_curve: (checks, chance, scatter of the judged V); left_out: exposures that cannot be oriented; sigma_io (7)
    per camera of the kit."""

    hash: str
    engine: int
    defects: list[Defect]
    other: InOtherState | None
    newer: ByNewer | None
    tolerances: tuple[float, float]
    chance_curve: list[tuple[int, float, float]]
    volumes: list[Volume]
    control: list[ControlFigures]
    reliability: list[TargetReliability]
    sigma_io: dict[str, list[float]]
    left_out: list[int]
    size: Size
    budget: list[Share]
    blind: list[BlindSpot]
    seconds: float
