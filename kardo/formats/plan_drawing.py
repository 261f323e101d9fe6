"""A plan drawn to scale, as SVG in millimetres: boundary, what is on the site, control and marks, with ticks of the
grid, a scale bar and grid north."""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from html import escape

from kardo.core.geodesy.units import UNITS, length
from kardo.core.plan.model import Plan
from kardo.core.plan.site import Feature

SCALES = (50, 100, 200, 250, 500, 1000, 2000, 2500, 5000, 10_000, 20_000, 25_000, 50_000, 100_000, 200_000)
FEET_AN_INCH = (
    5,
    10,
    20,
    30,
    40,
    50,
    60,
    100,
    200,
    300,
    400,
    500,
    600,
    1000,
    2000,
    4000,
    10_000,
    20_000,
)  # engineers' scales
EDGE, FILLED_EDGE = 12.0, 9.0  # millimetres that places keep from the edge
LOWEST = 44.0  # millimetres, of a drawing that its places fill: for arrow and scale bar
FAR = 0.5  # of the site's extent, beyond which something is told by an arrow instead of being drawn
LETTER = 1.55  # millimetres of width of a letter of three millimetres, about
HIGH, SIGN = 3.0, 1.6  # millimetres: of a label, and from a sign's middle to its edge
FORBIDS = {"keep_out", "no_permission", "hazard", "water", "tide", "traffic", "livestock"}
LEADS = {"access", "gate"}
INK, WARN, COOL, HAIR = "#17242e", "#a63c17", "#1f6f78", "#8a8576"
Box = tuple[float, float, float, float]


@dataclass(frozen=True)
class Frame:
    """Where a drawing lies: the middle in grid metres, one to so many, and its size in millimetres."""

    e: float
    n: float
    scale: float
    width: float
    height: float
    unit: str = "m"

    @property
    def words(self) -> str:
        """The scale as it is written: one to so many, or in a job in feet so many feet to the inch."""
        if self.unit == "m" or self.scale % 12:
            return f"1:{self.scale:,.0f}".replace(",", "\u202f")
        return f"1\u2033 = {self.scale / 12:,.0f}\u2032 (1:{self.scale:,.0f})".replace(",", "\u202f")

    def at(self, e: float, n: float) -> tuple[float, float]:
        """Millimetres right and down from the upper left corner."""
        per = 1000 / self.scale
        return self.width / 2 + (e - self.e) * per, self.height / 2 - (n - self.n) * per

    def holds(self, x: float, y: float) -> bool:
        """Whether a place lies in the drawing."""
        return 0 <= x <= self.width and 0 <= y <= self.height


def frame_of(plan: Plan, width: float, height: float, scale: float | None = None) -> Frame:
    """The frame that shows the whole site with its control, at a usual scale that fits, or at the one that is wanted.
    What lies far away is told by arrows."""
    own = list(plan.site.boundary) or [(p.e, p.n) for p in plan.control]
    others = [*((p.e, p.n) for p in plan.control), *((m.e, m.n) for m in plan.marks)]
    places = near_to(own, others) if own else others
    return frame_about(places or [(0.0, 0.0)], width, height, scale, plan.brief.unit)


def near_to(own: Sequence[tuple[float, float]], others: Sequence[tuple[float, float]]) -> list[tuple[float, float]]:
    """Some places, and those of others that do not lie far from them, by their extent."""
    (west, south), (east, north) = (tuple(map(pick, zip(*own, strict=True))) for pick in (min, max))
    away = FAR * max(east - west, north - south, 50.0)
    near = [p for p in others if west - away <= p[0] <= east + away and south - away <= p[1] <= north + away]
    return [*own, *near]


def scales_of(unit: str) -> tuple[int, ...]:
    """The usual scales, one to so many: round ones, or in feet those of whole feet to the inch."""
    return SCALES if unit == "m" else tuple(12 * feet for feet in FEET_AN_INCH)


def frame_about(
    places: Sequence[tuple[float, float]], width: float, height: float, scale: float | None = None, unit: str = "m"
) -> Frame:
    """The same about places in grid metres."""
    usual, needed = scales_of(unit), _needed(places, width, height, EDGE)
    fitting = next((s for s in usual if s >= needed), usual[-1])
    return Frame(*_middle_of(places), scale or fitting, width, height, unit)


def filled_about(places: Sequence[tuple[float, float]], width: float, highest: float, unit: str = "m") -> Frame:
    """A frame that places in grid metres fill, no higher than they need: at the next scale of two figures, where nobody
    lays a ruler."""
    needed = _needed(places, width, highest, FILLED_EDGE)
    tens = 10.0 ** (math.floor(math.log10(needed)) - 1)
    scale = math.ceil(needed / tens) * tens
    tall = (max(p[1] for p in places) - min(p[1] for p in places)) * 1000 / scale + 2 * FILLED_EDGE
    return Frame(*_middle_of(places), scale, width, min(highest, max(tall, LOWEST)), unit)


def _needed(places: Sequence[tuple[float, float]], width: float, height: float, edge: float) -> float:
    """One to how many places fit into so many millimetres."""
    e, n = ([p[axis] for p in places] for axis in (0, 1))
    return max((max(e) - min(e)) / (width - 2 * edge), (max(n) - min(n)) / (height - 2 * edge), 0.01) * 1000


def _middle_of(places: Sequence[tuple[float, float]]) -> tuple[float, float]:
    e, n = ([p[axis] for p in places] for axis in (0, 1))
    return (min(e) + max(e)) / 2, (min(n) + max(n)) / 2


def drawing(plan: Plan, frame: Frame, chosen: str = "", over: str = "") -> str:
    """The drawing, its own size in millimetres. chosen: the id of a point that stands out; over: SVG that lies under
    the signs of control."""
    labels = _Labels(frame)
    parts = [*_ticks(plan, frame), *_boundary(plan, frame), *_features(plan, frame, labels)]
    signs = [*_control(plan, frame, labels, chosen), *_marks(plan, frame, labels), *_afar(plan, frame)]
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{frame.width}mm" height="{frame.height}mm" '
        f'viewBox="0 0 {frame.width:g} {frame.height:g}" font-family="Kardo Text">'
        f'<clipPath id="neat"><rect width="{frame.width:g}" height="{frame.height:g}"/></clipPath>'
        f'<g clip-path="url(#neat)">{"".join(parts)}{over}{"".join(signs)}{"".join(labels.drawn())}</g>'
        f'<rect width="{frame.width:g}" height="{frame.height:g}" fill="none" stroke="{INK}" stroke-width="0.4"/>'
        f"{_north()}{_bar(plan, frame)}</svg>"
    )


@dataclass
class _Labels:
    """Names beside their signs, each where it covers nothing: tried all round, nearer before farther, with a line to
    its sign from afar."""

    frame: Frame
    taken: list[Box] = field(default_factory=list)
    wanted: list[tuple[float, float, str, str]] = field(default_factory=list)

    def sign(self, x: float, y: float) -> None:
        """Room that a sign takes."""
        self.taken.append((x - SIGN, y - SIGN, x + SIGN, y + SIGN))

    def name(self, x: float, y: float, text: str, colour: str) -> None:
        """A name that belongs to a place."""
        if self.frame.holds(x, y):
            self.wanted.append((x, y, text, colour))

    def drawn(self) -> Iterator[str]:
        """All names, once all signs have their room."""
        for x, y, text, colour in self.wanted:
            wide = LETTER * len(text)
            bx, by, far = self._place(x, y, wide)
            self.taken.append((bx, by, bx + wide, by + HIGH))
            if far:
                yield (
                    f'<line x1="{x:.2f}" y1="{y:.2f}" x2="{bx + wide / 2:.2f}" y2="{by + HIGH / 2:.2f}"'
                    f' stroke="{colour}" stroke-width="0.15"/>'
                )
            at = f'x="{bx:.2f}" y="{by + 0.8 * HIGH:.2f}" font-size="{HIGH}"'
            yield f'<text {at} fill="#fff" stroke="#fff" stroke-width="0.7">{escape(text)}</text>'
            yield f'<text {at} fill="{colour}">{escape(text)}</text>'

    def _place(self, x: float, y: float, wide: float) -> tuple[float, float, bool]:
        best = (math.inf, x + 2, y - HIGH / 2, False)
        for ring, reach in enumerate((2.0, 5.0, 9.0, 14.0)):
            for k in range(8):
                angle = math.pi * (k / 4 - 1 / 4)  # upper right first
                cx, cy = x + reach * math.cos(angle), y + reach * math.sin(angle)
                bx = cx if math.cos(angle) > 0.3 else cx - wide if math.cos(angle) < -0.3 else cx - wide / 2
                by = cy - HIGH / 2
                box = bx, by, bx + wide, by + HIGH
                covered = sum(_covered(box, other) for other in self.taken) + self._outside(box)
                if covered == 0:
                    return bx, by, ring > 0
                best = min(best, (covered, bx, by, ring > 0))
        return best[1:]

    def _outside(self, box: Box) -> float:
        west, north, east, south = box
        return 100.0 * (west < 0 or north < 0 or east > self.frame.width or south > self.frame.height)


def _covered(a: Box, b: Box) -> float:
    """Square millimetres that two boxes share."""
    return max(0.0, min(a[2], b[2]) - max(a[0], b[0])) * max(0.0, min(a[3], b[3]) - max(a[1], b[1]))


def _line(frame: Frame, places: list[tuple[float, float]], closed: bool, style: str) -> str:
    at = " ".join(f"{x:.2f},{y:.2f}" for x, y in (frame.at(*p) for p in places))
    return f'<{"polygon" if closed else "polyline"} points="{at}" {style}/>'


def _boundary(plan: Plan, frame: Frame) -> list[str]:
    style = f'fill="none" stroke="{INK}" stroke-width="0.5" stroke-dasharray="4 1 1 1"'
    return [_line(frame, list(plan.site.boundary), True, style)] if len(plan.site.boundary) > 2 else []


def _features(plan: Plan, frame: Frame, labels: _Labels) -> Iterator[str]:
    for f in plan.site.features:
        colour = WARN if f.kind in FORBIDS else COOL if f.kind in LEADS else INK
        dash = "" if f.kind not in FORBIDS | LEADS else 'stroke-dasharray="2 1"'
        fill = f'fill="{colour}" fill-opacity="0.12"' if f.shape == "area" and f.kind != "airspace" else 'fill="none"'
        style = f'{fill} stroke="{colour}" stroke-width="0.35" {dash}'
        x, y = frame.at(*_middle(f))
        if len(f.vertices) == 1:
            yield f'<circle cx="{x:.2f}" cy="{y:.2f}" r="1.2" {style}/>'
            labels.sign(x, y)
        else:
            yield _line(frame, list(f.vertices), f.shape == "area", style)
        labels.name(x, y, f.name, colour)


def _middle(f: Feature) -> tuple[float, float]:
    if f.shape == "line":
        return f.vertices[len(f.vertices) // 2]
    return sum(v[0] for v in f.vertices) / len(f.vertices), sum(v[1] for v in f.vertices) / len(f.vertices)


def _control(plan: Plan, frame: Frame, labels: _Labels, chosen: str) -> Iterator[str]:
    for p in plan.control:
        x, y = frame.at(p.e, p.n)
        if not frame.holds(x, y):
            continue
        labels.sign(x, y)
        labels.name(x, y, p.name, WARN if p.id == chosen else INK)
        yield f'<g transform="translate({x:.2f} {y:.2f})">{sign_of(p.role)}</g>'
        if p.id == chosen:
            yield f'<circle cx="{x:.2f}" cy="{y:.2f}" r="3" fill="none" stroke="{WARN}" stroke-width="0.5"/>'


def sign_of(what: str) -> str:
    """The sign of a thing, about its own place, as it is drawn on the screen: a target is a quartered diamond, a check
    a ring with a point, a mark the surveyor's triangle, a take-off place a bar with an arrow up from it."""
    if what == "target":
        return (
            f'<path d="M0 -1.8L1.8 0L0 1.8L-1.8 0Z" fill="#fff" stroke="{INK}" stroke-width="0.3"/>'
            f'<path d="M0 0V-1.8L1.8 0ZM0 0V1.8L-1.8 0Z" fill="{INK}"/>'
        )
    if what == "check":
        return f'<circle r="1.3" fill="#fff" stroke="{COOL}" stroke-width="0.55"/><circle r="0.35" fill="{COOL}"/>'
    if what == "mark":
        return (
            f'<path d="M0 -1.9L1.9 1.4L-1.9 1.4Z" fill="#fff" stroke="{INK}" stroke-width="0.4"/><circle r="0.3"'
            f' fill="{INK}"/>'
        )
    outline = 'd="M-1.5 1H1.5M0 1V-1.8M-0.9 -0.9L0 -1.8L0.9 -0.9" fill="none"'
    return f'<path {outline} stroke="#fff" stroke-width="1"/><path {outline} stroke="{INK}" stroke-width="0.45"/>'


def _afar(plan: Plan, frame: Frame) -> Iterator[str]:
    """Control and marks that lie outside: an arrow to each at the edge, with its distance from the drawing's middle."""
    for name, e, n in [*((p.name, p.e, p.n) for p in plan.control), *((m.name, m.e, m.n) for m in plan.marks)]:
        x, y = frame.at(e, n)
        if not frame.holds(x, y):
            yield arrow_to(frame, name, e, n)


def arrow_to(frame: Frame, name: str, e: float, n: float) -> str:
    """An arrow at the edge to a place outside, with its name and how far it is from the drawing's middle."""
    x, y = frame.at(e, n)
    dx, dy = x - frame.width / 2, y - frame.height / 2
    share = min(
        (frame.width / 2 - 3) / abs(dx) if dx else math.inf, (frame.height / 2 - 3) / abs(dy) if dy else math.inf
    )
    ax, ay = frame.width / 2 + share * dx, frame.height / 2 + share * dy
    turn = math.degrees(math.atan2(dy, dx))
    anchor = "end" if dx > 0 else "start"
    tx, ty = ax + (-4 if dx > 0 else 4), min(max(ay + 1, 4.0), frame.height - 4.0)
    far = math.hypot(e - frame.e, n - frame.n)
    words = escape(f"{name} {length(far, frame.unit, 0)}")
    text = f'x="{tx:.2f}" y="{ty:.2f}" font-size="{HIGH}" text-anchor="{anchor}"'
    return (
        f'<path d="M2.5 0L-1.5 -1.6V1.6Z" fill="{INK}" transform="translate({ax:.2f} {ay:.2f})'
        f' rotate({turn:.1f})"/><text {text} fill="#fff" stroke="#fff" stroke-width="0.7">{words}</text><text {text}'
        f' fill="{INK}">{words}</text>'
    )


def _marks(plan: Plan, frame: Frame, labels: _Labels) -> Iterator[str]:
    for m in plan.marks:
        x, y = frame.at(m.e, m.n)
        if not frame.holds(x, y):
            continue
        labels.sign(x, y)
        labels.name(x, y, m.name, INK)
        yield f'<g transform="translate({x:.2f} {y:.2f})">{sign_of("mark")}</g>'


def _ticks(plan: Plan, frame: Frame) -> Iterator[str]:
    """Crosses of the grid at whole figures of the job's unit, with their figures along the lower and the left edge."""
    unit = UNITS[plan.brief.unit]
    step = _whole(40 * frame.scale / 1000 / float(unit.metres)) * float(unit.metres)
    east = [
        k * step
        for k in range(
            math.floor((frame.e - frame.width * frame.scale / 2000) / step) + 1,
            math.ceil((frame.e + frame.width * frame.scale / 2000) / step),
        )
    ]
    north = [
        k * step
        for k in range(
            math.floor((frame.n - frame.height * frame.scale / 2000) / step) + 1,
            math.ceil((frame.n + frame.height * frame.scale / 2000) / step),
        )
    ]
    for e in east:
        for n in north:
            x, y = frame.at(e, n)
            yield f'<path d="M{x - 1.5:.2f} {y:.2f}h3M{x:.2f} {y - 1.5:.2f}v3" stroke="{HAIR}" stroke-width="0.15"/>'
    text = f'font-size="2.2" fill="{INK}" font-family="Kardo Figures"'
    for e in east:
        x, _ = frame.at(e, 0)
        if x > frame.width - 16:
            continue  # its figures would be cut
        yield f'<path d="M{x:.2f} {frame.height:g}v-2" stroke="{INK}" stroke-width="0.2"/>'
        yield f'<text x="{x + 0.5:.2f}" y="{frame.height - 0.8:.2f}" {text}>{unit.from_metres(e):.0f} E</text>'
    for n in north:
        _, y = frame.at(0, n)
        yield f'<path d="M0 {y:.2f}h2" stroke="{INK}" stroke-width="0.2"/>'
        if 16 < y < frame.height - 5:  # above, the arrow to grid north stands; below, the figures of the eastings
            yield f'<text x="0.6" y="{y - 0.5:.2f}" {text}>{unit.from_metres(n):.0f} N</text>'


def _whole(least: float) -> float:
    """The next of 1, 2 and 5 times a power of ten.

    >>> _whole(30)
    50.0
    """
    power = 10.0 ** math.floor(math.log10(least))
    return next(power * k for k in (1, 2, 5, 10) if power * k >= least - 1e-9)


def _north() -> str:
    return (
        f'<g transform="translate(9 8)"><path d="M0 -5L1.6 3L0 1.6L-1.6 3Z" fill="{INK}"/>'
        f'<text x="0" y="7" font-size="2.4" text-anchor="middle" fill="{INK}">grid N</text></g>'
    )


def _bar(plan: Plan, frame: Frame) -> str:
    """Four divisions of a whole figure, on white, in the lower right corner."""
    unit = UNITS[plan.brief.unit]
    part = _whole(8 * frame.scale / 1000 / float(unit.metres))
    wide = part * float(unit.metres) * 1000 / frame.scale
    x0, y0 = frame.width - 4 * wide - 14, frame.height - 9
    boxes = "".join(
        f'<rect x="{x0 + k * wide:.2f}" y="{y0:.2f}" width="{wide:.2f}" height="1.4"'
        f' fill="{INK if k % 2 == 0 else "#fff"}" stroke="{INK}" stroke-width="0.2"/>'
        for k in range(4)
    )
    figures = "".join(
        f'<text x="{x0 + k * wide:.2f}" y="{y0 - 0.8:.2f}" font-size="2.2" text-anchor="middle"'
        f' fill="{INK}">{part * k:g}{f" {unit.short}" if k == 4 else ""}</text>'
        for k in (0, 2, 4)
    )
    back = (
        f'<rect x="{x0 - 3:.2f}" y="{y0 - 4:.2f}" width="{4 * wide + 14:.2f}" height="7.4" fill="#fff"'
        ' fill-opacity="0.85"/>'
    )
    return back + boxes + figures
