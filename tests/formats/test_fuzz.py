"""A few dozen hostile files for every reader, the same every time; tests/formats/fuzz.py gives them ten minutes."""

import pytest

from tests.formats.fuzz import READERS, fuzz

FILES = 200


@pytest.mark.parametrize("reader", READERS)
def test_files_changed_by_chance_end_in_a_reading_or_a_clear_error(reader):
    assert fuzz(reader, range(FILES)) == FILES
