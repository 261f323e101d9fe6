"""Ten seconds of hostile files for every reader; tests/formats/fuzz.py gives them ten minutes."""

import pytest

from tests.formats.fuzz import READERS, fuzz


@pytest.mark.parametrize("reader", READERS)
def test_files_changed_by_chance_end_in_a_reading_or_a_clear_error(reader):
    assert fuzz(reader, 4.0) > 50
