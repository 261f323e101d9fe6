"""What a day's work reminds of. Kardo reminds; it does not authorise."""

from collections.abc import Iterator

from kardo.core.geodesy.units import length
from kardo.core.plan.model import Plan

ALWAYS = (
    (
        "Aviation law of the place comes first: registration, licence, airspace authorisation looked up again today,"
        " the aircraft in sight, people clear of it, height limits."
    ),
    "Permission of the land's owner; privacy of whoever is in the pictures.",
    "Boundary and control coordinates are the licensed surveyor's to certify.",
    (
        "Lithium batteries: never charged unwatched, never flown damaged. Propellers off while changing payload or"
        " firmware."
    ),
    (
        "Working alone, lightning, heat and cold: agree when to call, and when to stop. Buried services before a pin is"
        " driven."
    ),
)
OF_KIND = {
    "hazard": "Hazard {name}: keep away from it, and tell the others.",
    "keep_out": "Keep out of {name}.",
    "no_permission": "No permission to enter {name}.",
    "power_line": "Power line {name}: no pole near it, no flight over it below its clearance.",
    "water": "Water at {name}: tide and mud; nobody goes there alone.",
    "tide": "The tide covers {name}: know its hours, and the way back.",
    "traffic": "Traffic at {name}: traffic control first; nothing is laid or observed in a live lane.",
    "livestock": "Livestock at {name}: ask whose it is; nothing that they could eat or trip over is left lying.",
    "obstacle": "Obstacle {name}, {height} high: return height above it.",
    "canopy": "Canopy {name}: no fixed solution under it.",
}


def cautions(plan: Plan) -> Iterator[str]:
    """Those of the site first, then those of every day."""
    for feature in plan.site.features:
        words = OF_KIND.get(feature.kind)
        if words:
            told = words.format(name=feature.name, height=length(feature.height, plan.brief.unit))
            yield f"{told} {feature.note}".strip()
    yield from ALWAYS
