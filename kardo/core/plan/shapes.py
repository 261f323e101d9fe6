"""The shapes of answers, from which the API document and the browser's types are generated. Metres and one standard
deviation unless a name says otherwise."""

from typing import Any, Literal

from typing_extensions import TypedDict


class Fault(TypedDict):
    what: str
    where: str
    mend: str


class Lack(TypedDict):
    station: str
    words: str


class Limits(TypedDict):
    """The tolerance as an RMSE; None where the standard sets no such limit."""

    h: float
    v: float | None


class Datum(TypedDict):
    grid: str
    heights: str
    separation: float | None
    scale_ppm: float | None
    convergence_deg: float | None


class StripShape(TypedDict):
    start: tuple[float, float]
    end: tuple[float, float]
    leg: int
    exposures: int
    length: float
    kind: Literal["main", "crossing", "oblique"]


class LegShape(TypedDict):
    minutes: float
    battery_left: float
    first_strip: int
    last_strip: int


class FlightShape(TypedDict):
    camera: str
    exposures: int
    gsd: float
    footprint: tuple[float, float]
    spacing: float
    trigger_distance: float
    trigger_interval: float
    blur_px: float
    course: float
    minutes: float
    height_range: tuple[float, float]
    crossing_height: float
    strips: list[StripShape]
    legs: list[LegShape]
    e: list[float]
    n: list[float]


class Heights(TypedDict):
    system: str
    mark: float
    separation: float
    mark_ellipsoidal: float
    readings: list[float]
    verticals: list[float]
    arp_above_mark: float
    apc_above_arp: float
    arp: float
    arp_ellipsoidal: float
    apc: float
    apc_ellipsoidal: float
    spread: float
    mark_name: str
    latitude: float
    longitude: float


class Summary(TypedDict):
    hash: str
    lacks: list[Lack]
    limits: Limits
    datum: Datum | None
    area: float | None
    flight: FlightShape | None
    heights: Heights | None
    mark_sigma: dict[str, tuple[float, float, float]]
    control_h: list[float | None]
    faults: dict[str, Fault]


class DefectShape(TypedDict):
    kind: str
    words: str
    mend: str


class ShareShape(TypedDict):
    group: str
    share_h: float
    share_v: float
    sigma_h: float
    sigma_v: float


class Histogram(TypedDict):
    edges: list[float]
    counts: list[int]


class ChanceShape(TypedDict):
    passing: float
    uncertainty: float
    spread_h: tuple[float, float, float]
    spread_v: tuple[float, float, float]
    histogram_h: Histogram
    histogram_v: Histogram


class Worst(TypedDict):
    sigma: float
    e: float
    n: float
    p95: float


class MapShape(TypedDict):
    e: list[float]
    n: list[float]
    step: float
    h: list[float | None]
    v: list[float | None]
    images: list[int]
    uncovered: int
    worst_h: Worst | None
    worst_v: Worst | None


class Ellipse(TypedDict):
    major: float
    minor: float
    azimuth: float


class ControlFigures(TypedDict):
    id: str
    images: int
    width_px: float
    own_h: float
    own_v: float
    map_h: float | None
    map_v: float | None
    ellipse: Ellipse | None


class ReliabilityShape(TypedDict):
    """One target: redundancy of its coordinates (0 to 1), smallest gross error found (metres, None where nothing checks
    it), what one does to the worst map point, and the map's RMSE without the target (None: not determined)."""

    id: str
    redundancy: tuple[float, float, float]
    found: tuple[float | None, float | None, float | None]
    effect_h: float | None
    effect_v: float | None
    lost_h: float | None
    lost_v: float | None


class VolumeShape(TypedDict):
    """An area (id empty: the whole site), m2: standard deviations of its mean height, m, and of its volume, m3, and both
    at 95 %."""

    id: str
    name: str
    area: float
    sigma: float
    sigma_volume: float
    sigma_95: float
    volume_95: float


class Size(TypedDict):
    exposures: int
    order: int
    half_band: int


class DefectiveResult(TypedDict):
    """RESULT.json of a plan whose network has a defect: no figures."""

    hash: str
    engine: int
    defects: list[DefectShape]


class Figures(TypedDict):
    """What the staff and the error surface show."""

    rmse_h: float
    rmse_v: float
    seen_rmse_h: float | None
    seen_rmse_v: float | None
    limit_h: float
    limit_v: float | None
    chance: float | None
    chance_detail: ChanceShape | None
    map: MapShape


class LiveShape(TypedDict):
    """A live answer. state: ready, preparing (ask again), refused (words say why)."""

    state: Literal["ready", "preparing", "refused"]
    words: str
    result: Figures | None
    seconds: float


class Result(DefectiveResult, total=False):
    """RESULT.json of a plan."""

    rmse_h: float
    rmse_v: float
    seen_rmse_h: float | None
    seen_rmse_v: float | None
    limit_h: float
    limit_v: float | None
    chance: float | None
    chance_detail: ChanceShape | None
    unmet: list[str]
    tolerances: tuple[float, float]
    chance_curve: list[tuple[int, float, float]]
    volumes: list[VolumeShape]
    map: MapShape
    control: list[ControlFigures]
    reliability: list[ReliabilityShape]
    sigma_io: list[float]
    left_out: list[int]
    size: Size
    budget: list[ShareShape]
    blind: list[str]
    seconds: float


class FindingChange(TypedDict, total=False):
    object: str
    value: dict[str, Any]


class FindingShape(TypedDict):
    rule: str
    severity: Literal["stop", "warn", "note"]
    station: str
    words: str
    mend: str
    object: str
    measured: float | None
    threshold: float | None
    change: FindingChange
    label: str


class Underway(TypedDict):
    """A computation, or how far it has come. state: lacking, none (nobody asked), queued, running, done, failed, cancelled
    (overtaken by an edit) or stopped (by a person). seconds_left is None while it cannot be told; ahead counts what waits
    before it on the queue."""

    hash: str
    state: str
    stage: str
    share: float
    seconds_left: float | None
    ahead: int


class AdviceFigures(TypedDict):
    """good: inside the tolerance with a chance of 90 % or more."""

    rmse_h: float
    rmse_v: float
    limit_h: float
    limit_v: float | None
    chance: float | None
    good: bool


class OfferChange(TypedDict):
    object: str
    value: dict[str, Any]


class Offer(AdviceFigures):
    """A change on offer: what it would predict, and its minutes on the ground. provisional: answered from the solved
    network, within 3 %."""

    kind: str
    words: str
    minutes: float
    changes: list[OfferChange]
    provisional: bool


class Advice(TypedDict):
    now: AdviceFigures | None
    offers: list[Offer]


class AdviceShape(Underway):
    result: Advice | None
    error: Fault | None


class PredictionShape(Underway):
    """A prediction with its findings."""

    result: Result | None
    error: Fault | None
    findings: list[FindingShape] | None
