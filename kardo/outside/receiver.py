"""A receiver on the network that sends what it has to say to whoever connects."""

from collections.abc import Iterator

from kardo.outside.line import Address, line


def receiver_pieces(address: Address, seconds: float) -> Iterator[bytes]:
    """What a receiver sends, in pieces, for so many seconds at most. Nothing is said to it. Raises ReadError where
    nobody answers."""
    with line(address, seconds) as held:
        yield from held.pieces()
