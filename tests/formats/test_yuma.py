"""Almanacs in YUMA form: as published, with their rollovers, and what is refused."""

import datetime

import numpy as np
import pytest

from kardo.core.errors import ReadError
from kardo.core.sky.orbits import EPOCH, WEEK, gps_seconds, nominal, positions
from kardo.formats.yuma import MAX_BYTES, read_yuma, write_yuma

BLOCK = """******** Week 866 almanac for PRN-01 ********
ID:                         01
Health:                     000
Eccentricity:               0.5163669586E-002
Time of Applicability(s):  319488.0000
Orbital Inclination(rad):   0.9662812241
Rate of Right Ascen(r/s):  -0.7977475151E-008
SQRT(A)  (m 1/2):           5153.638672
Right Ascen at Week(rad):  -0.2415414214E+001
Argument of Perigee(rad):   0.498279340
Mean Anom(rad):             0.1258889318E+001
Af0(s):                     0.2861022949E-005
Af1(s/s):                   0.0000000000E+000
week:                        866
"""
NEAR = gps_seconds(datetime.datetime(2016, 4, 1, tzinfo=datetime.UTC))


def test_a_block_as_the_format_has_it():
    found = read_yuma(BLOCK.encode(), NEAR)
    assert found.names == ("G01",) and found.healthy.tolist() == [1.0]
    assert found.root_a[0] == 5153.638672 and found.node[0] == -2.415414214
    week, toa = divmod(found.reference[0], WEEK)
    assert (week, toa) == (866 + 1024, 319_488.0), "after the first rollover, for that is nearest to the day"
    assert (EPOCH + datetime.timedelta(seconds=found.reference[0])).year == 2016


@pytest.mark.parametrize(("year", "rollovers"), [(1996, 0), (2016, 1), (2035, 2)])
def test_a_week_is_the_nearest_that_its_number_can_mean(year, rollovers):
    near = (datetime.datetime(year, 6, 1, tzinfo=datetime.UTC) - EPOCH).total_seconds()
    assert read_yuma(BLOCK.encode(), near).reference[0] // WEEK == 866 + 1024 * rollovers


def test_there_and_back():
    own = nominal()
    again = read_yuma(write_yuma(own).encode(), NEAR)
    t = own.reference[0] + np.arange(0, 86_400, 7200.0)
    assert again.names == own.names
    assert np.abs(positions(again, t) - positions(own, t)).max() < 1.0


@pytest.mark.parametrize(
    ("text", "words", "where"),
    [
        ("", "no YUMA almanac", ""),
        (BLOCK.replace("0.5163669586E-002", "much"), "cannot be the eccentricity", "line 4"),
        (BLOCK.replace("5153.638672", "nan"), "cannot be the root_a", "line 8"),
        (BLOCK.replace("ID:                         01", "ID: satellite"), "is no satellite", "line 2"),
        (BLOCK.replace("week:                        866\n", ""), "has no week", "line 2"),
        (BLOCK + BLOCK, "there twice", ""),
        (BLOCK.partition("ID:")[0] + "Health: 000\n" + BLOCK, "before any satellite", "line 2"),
        ("x" * (MAX_BYTES + 1), "too large", ""),
    ],
)
def test_what_is_none_is_refused_with_its_line(text, words, where):
    with pytest.raises(ReadError, match=words) as fault:
        read_yuma(text.encode(), NEAR)
    assert fault.value.where == where


def test_a_satellite_that_is_ill_is_marked():
    assert read_yuma(BLOCK.replace("Health:                     000", "Health: 063").encode(), NEAR).healthy[0] == 0
