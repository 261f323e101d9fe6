"""The raw log of a base held against the plan: is it the mark that was planned, the height, the interval? Whether it
covers the flights is the day's to say."""

import math

from kardo.core.geodesy.units import length, small
from kardo.core.gnss.heights import SetUpHeights, all_heights, frame_of_chain, nearest_to
from kardo.core.gnss.log import RawLog
from kardo.core.gnss.readback import compared
from kardo.core.gnss.remark import Remark
from kardo.core.plan.model import Plan
from kardo.core.plan.naming import name_of
from kardo.core.sky.orbits import gps_clock

CODE_ONLY = 10.0  # metres by which a header's position may be off when nobody typed it
LEAST_SYSTEMS = 2
MANY_SLIPS = 0.5  # slips for each epoch
GAPS_TOLD = 5


def of_itself(log: RawLog) -> list[Remark]:
    """What a log says of itself."""
    found = [Remark("warn", _sentence(remark), "Look at the file there.") for remark in log.remarks]
    for gap in log.gaps[:GAPS_TOLD]:
        seconds = gap.last - gap.first
        found.append(
            Remark(
                "warn",
                f"Nothing was logged for {seconds:.0f} s, {gps_clock(gap.first)} to {gps_clock(gap.last)} GPS time.",
                "A sortie flown then has no base.",
            )
        )
    if len(log.gaps) > GAPS_TOLD:
        found.append(Remark("warn", f"{len(log.gaps) - GAPS_TOLD} more gaps.", "The receiver lost power, or the sky."))
    if len(log.systems) < LEAST_SYSTEMS:
        found.append(Remark("warn", "Only one system of satellites was logged.", "Log all constellations."))
    if log.said_interval and log.interval and abs(log.said_interval - log.interval) > 0.001 * log.interval:
        words = f"The header says every {log.said_interval:g} s, the epochs come every {log.interval:g} s."
        found.append(Remark("warn", words, "The epochs are what there is: look at the receiver's settings."))
    for moment in log.restarts[:GAPS_TOLD]:
        words = (
            f"All satellites' counts begin anew at {gps_clock(moment)} GPS time: the receiver or its stream began"
            " again."
        )
        found.append(Remark("warn", words, "Process before and after apart; look at its power and its cable."))
    if len(log.restarts) > GAPS_TOLD:
        found.append(
            Remark("warn", f"{len(log.restarts) - GAPS_TOLD} more such restarts.", "The receiver was not well.")
        )
    if log.slips > MANY_SLIPS * log.epochs:
        found.append(
            Remark(
                "warn",
                f"{log.slips} cycle slips, each satellite's at each epoch, in {log.epochs} epochs: the sky was not"
                " free.",
                "Move the base.",
            )
        )
    if any(log.eccentric):
        east, north = (
            f"{abs(v):.3f} m {way[v < 0]}"
            for v, way in zip(log.eccentric, (("east", "west"), ("north", "south")), strict=True)
        )
        words = f"The header has the antenna {east} and {north} of the mark."
        found.append(
            Remark(
                "warn",
                words,
                "Make sure that it stood so; where it stood over the mark, the processing must be told zero.",
            )
        )
    if log.approx is None:
        found.append(
            Remark("note", "The header has no approximate position.", "The processing must be told where the mark is.")
        )
    if log.antenna_height is None:
        found.append(Remark("warn", "The header says no antenna height.", "The processing must be told it."))
    if len(log.markers) > 1:
        found.append(
            Remark(
                "warn",
                f"The marker changes its name: {', '.join(log.markers)}.",
                "One log, one mark: was the base moved?",
            )
        )
    return found


def _sentence(words: str) -> str:
    return f"{words[:1].upper()}{words[1:]}."


def set_up_of(log: RawLog, plan: Plan) -> SetUpHeights | None:
    """The set-up of a log: that on the mark of its name, else the nearest to its position, else the first."""
    chains = all_heights(plan)
    for chain in chains:
        if chain.mark_name.casefold() == log.marker.casefold():
            return chain
    if log.approx is not None:
        return nearest_to(plan, log.approx)
    return chains[0] if chains else None


def against(log: RawLog, plan: Plan, chain: SetUpHeights) -> list[Remark]:
    """A log held against the set-up that it belongs to. Raises KardoError where the plan's grid cannot be used."""
    return [*_place(log, plan, chain), *_height(log, plan, chain), *_interval(log, plan, chain)]


def _place(log: RawLog, plan: Plan, chain: SetUpHeights) -> list[Remark]:
    found, name = [], name_of(plan, "setup", chain.setup)
    if log.marker.casefold() != chain.mark_name.casefold():
        called = f"“{log.marker}”" if log.marker else "not named"
        found.append(
            Remark(
                "note", f"The marker is {called}, the plan's mark {chain.mark_name}.", "Make sure that it is this one."
            )
        )
    if log.approx is None:
        return found
    away = compared(plan, chain, *frame_of_chain(plan, chain).of_earth_centred(*log.approx), "mark")
    size = math.hypot(away.east, away.north, away.up)
    if away.as_planned:
        return found
    if away.blunder or size > CODE_ONLY:
        words = f"The header's position is not that of the {name}: {away.words[:1].lower()}{away.words[1:]}"
        found.append(
            Remark("stop" if size > CODE_ONLY else "warn", words, "Give the processing the mark's own coordinates.")
        )
    else:
        words = (
            f"The header's position is {length(size, plan.brief.unit, 2)} from the mark: as near as a position by"
            " code is."
        )
        found.append(Remark("note", words, "Give the processing the mark's own coordinates."))
    return found


def _height(log: RawLog, plan: Plan, chain: SetUpHeights) -> list[Remark]:
    if log.antenna_height is None:
        return []
    unit, planned, own = plan.brief.unit, chain.arp_above_mark, log.antenna_height
    alike = plan.policy["base-readings"]
    if abs(own - planned) <= alike:
        return []
    said = f"The header's antenna height is {length(own, unit, 4)}, the plan's {length(planned, unit, 4)} to the ARP"
    like = {
        0.0: "it was not typed into the receiver",
        2 * planned: "it is in twice",
        **{slant: "that is the slant height" for slant in chain.slants},
        planned + chain.apc_above_arp: "that leads to the phase centre",
        planned / 0.3048: "that is in feet",
        planned * 0.3048: "that is in metres where feet were meant",
    }
    why = next((words for value, words in like.items() if abs(own - value) <= alike), "")
    words = f"{said}: {why}." if why else f"{said}, {small(abs(own - planned), unit)} apart."
    return [Remark("warn", words, "Take what the book has as measured, before and after.")]


def _interval(log: RawLog, plan: Plan, chain: SetUpHeights) -> list[Remark]:
    setup = plan.setup(chain.setup)
    wanted = setup.log.interval_s if setup and setup.log else plan.policy["base-log-interval"]
    if log.interval is None or log.interval <= wanted * 1.001:
        return []
    words = f"It was logged every {log.interval:g} s, the plan asks for {wanted:g} s."
    return [Remark("warn", words, "Positions between epochs are interpolated, which costs accuracy.")]
