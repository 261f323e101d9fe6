"""What is typed where corrections are wanted: of a base by its link, of a correction service by its settings."""

from dataclasses import dataclass
from typing import Literal

from kardo.core.errors import PlanError
from kardo.core.geodesy.units import length
from kardo.core.gnss.card import Box, box_of
from kardo.core.plan.model import Plan
from kardo.core.plan.naming import name_of
from kardo.core.plan.stands import Link, Settings

USUAL_PORT = 2101  # registered for correction streams with IANA
CARRIED = {"wireless": "by local wireless", "radio": "by ground radio", "internet": "by the internet"}


@dataclass(frozen=True)
class SettingsCard:
    """The settings of one source of corrections: whose they are, how they come, the boxes (empty ones are not known
    yet), and what to mind."""

    name: str
    carried: str
    boxes: list[Box]
    notes: list[str]


def settings_card(plan: Plan, kind: Literal["setups", "correction_services"], key: str) -> SettingsCard:
    """The settings card of a set-up or of a correction network. Raises PlanError where there is none, or nothing is
    known of it."""
    setup, network = plan.setup(key), next((n for n in plan.correction_services if n.id == key), None)
    if kind == "setups" and setup is not None and setup.link is not None:
        return _of_link(plan, key, setup.link)
    if kind == "correction_services" and network is not None and network.settings is not None:
        return SettingsCard(network.name, CARRIED["internet"], _boxes(network.settings), [*_OF_NETWORK, NOT_PRINTED])
    raise PlanError(
        "Nothing is known yet of how these corrections come.",
        where="Base, reach",
        mend="Say how they leave the base, or what is typed for the service.",
    )


def _of_link(plan: Plan, key: str, link: Link) -> SettingsCard:
    boxes = _boxes(link) if link.kind != "radio" else [box_of("channel or frequency", link.address, "")]
    if link.kind == "radio":
        boxes.append(box_of("format", link.format, ""))
    notes = []
    if link.kind != "internet":
        notes.append(
            f"It reaches about {length(link.reaches, plan.brief.unit, 0)} in free sight: out of reach means float, and"
            " nothing tells it but the controller."
        )
    else:
        notes.append(
            "It reaches as far as both ends have signal: try it where the aircraft is flown from, before the day."
        )
    notes.append("Once it is on the air, hold the position that it sends against the base's card.")
    return SettingsCard(
        name_of(plan, "setup", key),
        CARRIED[link.kind],
        boxes,
        [*notes, *([NOT_PRINTED] if link.kind != "radio" else [])],
    )


_OF_NETWORK = (
    "A mount point of a virtual station wants the rover's own position sent to it; one of a single station does not.",
    "Its positions are on the service's own datum and epoch: see that it is the job's.",
)
NOT_PRINTED = "The password is printed on nothing: ask whoever keeps it."


def _boxes(settings: Settings) -> list[Box]:
    return [
        box_of("address", settings.address, ""),
        box_of("port", str(settings.port or USUAL_PORT), ""),
        box_of("mount point", settings.mount, ""),
        box_of("name", settings.user, ""),
        box_of("format", settings.format, ""),
    ]
