"""What a base broadcasts, held against the plan: the position that everybody else takes for true, before anybody
measures."""

from dataclasses import dataclass, field

from kardo.core.geodesy.units import length, small
from kardo.core.gnss.heights import SetUpHeights, frame_of_chain
from kardo.core.gnss.readback import Difference, compared
from kardo.core.gnss.remark import Remark, worst_first
from kardo.core.plan.model import Plan
from kardo.core.plan.naming import name_of

STALE = 10.0  # seconds of age from which a rover no longer fixes by what it is sent
ALIKE = 0.0015  # metres within which two antenna heights, or two positions sent one after another, are the same
LEAST_SYSTEMS = 2


@dataclass(frozen=True)
class Broadcast:
    """What was heard of a correction stream. positions: earth-centred x, y, z in metres of the antenna reference point
    (RTCM 1005, 1006), each that differs from the one before; antenna_height: metres from mark to ARP, as 1006 has it;
    systems: satellites at most in one epoch, by the letter of their system; age: seconds that the newest observation
    was old; faulty: messages whose checksum is wrong; skipped: bytes that belong to no message; messages: how many of
    each type; hung_up: the other end did before enough was heard."""

    positions: tuple[tuple[float, float, float], ...] = ()
    station: int | None = None
    antenna_height: float | None = None
    antenna: str = ""
    antenna_serial: str = ""
    receiver: str = ""
    firmware: str = ""
    systems: dict[str, int] = field(default_factory=dict)
    age: float | None = None
    seconds: float = 0.0
    faulty: int = 0
    skipped: int = 0
    messages: dict[str, int] = field(default_factory=dict)
    hung_up: bool = False


@dataclass(frozen=True)
class Heard:
    """A broadcast against a set-up of the plan: its id; how far the position is from the planned one (None where none
    came); what is to be said, worst first."""

    setup: str
    difference: Difference | None
    remarks: list[Remark]


def held_against(plan: Plan, chain: SetUpHeights, broadcast: Broadcast) -> Heard:
    """A broadcast against the plan. The position is taken in the satellites' frame there: should it be in another, that
    shows as the blunder which it would be. Raises GeodesyError where the grid does not reach."""
    difference = None
    if broadcast.positions:
        place = frame_of_chain(plan, chain).of_earth_centred(*broadcast.positions[-1])
        difference = compared(plan, chain, *place, "arp")
    found = [*_of_position(difference), *_of_height(plan, chain, broadcast), *of_stream(broadcast)]
    return Heard(chain.setup, difference, worst_first(found))


def _of_position(difference: Difference | None) -> list[Remark]:
    if difference is None or difference.as_planned:
        return []
    words = "The position is not the planned one: everything positioned from this base moves with it."
    return [Remark("stop", words, "Hold the base's boxes against its card before anybody measures.")]


def _of_height(plan: Plan, chain: SetUpHeights, broadcast: Broadcast) -> list[Remark]:
    """The antenna height that is sent beside the position: a rover that wants the mark subtracts it."""
    own, unit = broadcast.antenna_height, plan.brief.unit
    if own is None or abs(own - chain.arp_above_mark) <= ALIKE or own == 0:
        return []
    words = (
        f"The antenna height sent along is {length(own, unit, 4)}, the plan's {length(chain.arp_above_mark, unit, 4)}"
        " to the ARP."
    )
    return [Remark("warn", words, "What reduces positions to the mark is then wrong by the difference.")]


def of_stream(broadcast: Broadcast) -> list[Remark]:
    """What a stream says of itself."""
    heard, found = broadcast, []
    if heard.hung_up:
        words = f"The caster hung up after {heard.seconds:.0f} s."
        found.append(Remark("stop", words, "Try it again; on site, log raw as well."))
    if not heard.messages and not heard.skipped:
        words = f"Nothing was sent in {heard.seconds:.0f} s."
        return [*found, Remark("stop", words, "The base does not reach its caster: look at its link.")]
    if not heard.messages:
        words = "What is sent are no RTCM 3 corrections."
        return [*found, Remark("stop", words, "Choose another mount point, or another format.")]
    if not heard.positions:
        words = f"No position (1005 or 1006) came in {heard.seconds:.0f} s: a rover does not know where the base is."
        found.append(Remark("stop", words, "Let the base send it every 10 s or oftener."))
    if len(heard.positions) > 1:
        words = f"The position changed {len(heard.positions) - 1} times in {heard.seconds:.0f} s."
        found.append(Remark("stop", words, "The base averages “here” still, or it is no base of its own."))
    if not heard.systems:
        words = f"No observations came in {heard.seconds:.0f} s: nothing can be fixed."
        found.append(Remark("stop", words, "Let the base send them (MSM 4 or 7) every second."))
    elif len(heard.systems) < LEAST_SYSTEMS:
        found.append(Remark("warn", "Only one system of satellites is sent.", "Let the base send all that it has."))
    if heard.age is not None and heard.age > STALE:
        words = f"The newest observation is {heard.age:.0f} s old: at that age nothing stays fixed."
        found.append(Remark("stop", words, "Look at the link between base and caster."))
    if heard.age is not None and heard.age < -STALE:
        words = f"The newest observation is {-heard.age:.0f} s ahead of this clock."
        found.append(Remark("note", words, "Set this clock; else the base's time is wrong."))
    if heard.faulty:
        found.append(
            Remark(
                "warn", f"{heard.faulty} messages came damaged.", "A weak link: expect float positions, and log raw."
            )
        )
    return found


def told(plan: Plan, heard: Heard) -> str:
    """A broadcast in one sentence."""
    if heard.difference is None:
        return "No position was heard."
    name = name_of(plan, "setup", heard.setup)
    size = heard.difference
    if size.as_planned:
        return (
            f"The {name} broadcasts the position that was planned, {small(abs(size.up), plan.brief.unit)} from it in"
            " height."
        )
    return f"The {name} broadcasts another position than planned: {size.words[:1].lower()}{size.words[1:]}"
