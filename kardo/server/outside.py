"""Who outside may be talked to: nobody makes this server talk to another address than its settings name."""

from kardo.core.errors import ReadError
from kardo.outside.line import Address


def address_among(wanted: str, named: tuple[str, ...], what: str) -> Address:
    """The address of a caster, receiver, network or service that the settings name. Raises ReadError for another."""
    if wanted not in named:
        raise ReadError(
            f"This {what} is not among those that this installation asks.",
            where=wanted[:100],
            mend="Choose one of the list; who runs Kardo adds to it.",
        )
    return Address.of(wanted)
