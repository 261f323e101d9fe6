"""Antennas in ANTEX: the offsets of receivers, no satellites, and what is none."""

import pytest

from kardo.core.errors import ReadError
from kardo.formats.antex import MOST_FOUND, read_antex


def row(text, label):
    return f"{text:<60}{label}\n".encode()


def antenna(kind, serial="", up=91.2, satellite="", frequencies=("G01", "R01", "E05")):
    lines = [row("", "START OF ANTENNA"), row(f"{kind:<20}{serial:<20}{satellite:<10}", "TYPE / SERIAL NO")]
    for k, name in enumerate(frequencies):
        offset = f"{0.5 + k:10.2f}{-0.25:10.2f}{up + 10 * k:10.2f}"
        lines += [
            row(f"   {name}", "START OF FREQUENCY"),
            row(offset, "NORTH / EAST / UP"),
            b"   NOAZI    0.00   -0.22   -0.88\n",
            row(f"   {name}", "END OF FREQUENCY"),
        ]
    return [*lines, row("", "END OF ANTENNA")]


HEAD = [row("     1.4            M", "ANTEX VERSION / SYST"), row("A", "PCV TYPE / REFANT"), row("", "END OF HEADER")]
FILE = [
    *HEAD,
    *antenna("BLOCK X", "G01", 0.0, "G063"),
    *antenna("GEODETIC DISC   NONE"),
    *antenna("SMALL HELIX     DOME", "17", 42.0),
]


def test_offsets_are_metres_by_frequency_and_satellites_are_left_out():
    disc, helix = read_antex(FILE)
    assert (disc.type, disc.serial) == ("GEODETIC DISC NONE", "") and (helix.type, helix.serial) == (
        "SMALL HELIX DOME",
        "17",
    )
    assert disc.offsets["G01"] == pytest.approx((0.0005, -0.00025, 0.0912))
    assert (helix.frequency, helix.apc_above_arp) == ("G01", pytest.approx(0.042))
    (other,) = read_antex([*HEAD, *antenna("DISC", frequencies=("E05", "R01"))])
    assert (other.frequency, other.apc_above_arp) == ("E05", pytest.approx(0.0912))
    assert [round(up, 4) for _, _, up in helix.offsets.values()] == [0.042, 0.052, 0.062]


def test_a_type_is_found_by_any_of_its_words():
    assert [a.type for a in read_antex(FILE, "dome small")] == ["SMALL HELIX DOME"]
    assert read_antex(FILE, "nowhere") == []
    many = [*HEAD, *(line for k in range(MOST_FOUND + 5) for line in antenna(f"DISC {k}"))]
    assert len(read_antex(many)) == MOST_FOUND


def test_what_is_none_is_told_with_its_line():
    with pytest.raises(ReadError, match="no ANTEX file") as told:
        read_antex([b"<html>"])
    assert told.value.where == "line 1"
    broken = [line.replace(b"     91.20", b"     up   ") for line in antenna("DISC")]
    with pytest.raises(ReadError, match="no offset") as told:
        read_antex([*HEAD, *broken])
    assert told.value.where == "line 7"
    with pytest.raises(ReadError, match="no offset"):
        read_antex([*HEAD, *antenna("DISC", up=5000.0)])
    assert read_antex([*HEAD, *antenna("DISC")[:-1]]) == [], "an antenna without an end is none"
