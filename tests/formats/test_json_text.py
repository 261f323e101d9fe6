"""JSON from outside takes the memory that its size promises, and a sealed bomb does too."""

import subprocess
import sys
import zlib

import pytest

from kardo.core.errors import ReadError
from kardo.formats.json_text import MOST_PARTS, json_of
from kardo.formats.report import MOST_RECORD, read_report
from kardo.formats.seal import seal


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"[" + b"[]," * MOST_PARTS + b"[]]", "more parts"),
        (b" " * 101 + b"{}", "larger than"),
        (b"[" * 5000, "as JSON"),
        (b"{", "as JSON"),
        (b"\xff\xfe{", "as JSON"),
    ],
)
def test_what_is_too_much_or_none_is_refused_in_words(data, words):
    with pytest.raises(ReadError, match=words):
        json_of(data, 100 if words == "larger than" else 10**8, "plan")


BOMB = """
import resource
from tests.formats.test_json_text import sealed
from kardo.core.errors import ReadError
from kardo.formats.report import read_report
data = sealed(b"[" + b"[]," * 20_000_000 + b"[]]")
resource.setrlimit(resource.RLIMIT_AS, (1_500_000_000, 1_500_000_000))
try:
    read_report(data)
except ReadError as fault:
    print(fault.what)
"""


def sealed(record: bytes) -> bytes:
    """A PDF as Kardo seals it, with this record."""
    packed = zlib.compress(record)
    head = (
        b"%PDF-1.7\n1 0 obj\n<</Type /EmbeddedFile/Subtype /application#2fjson/Filter /FlateDecode/Length "
        + str(len(packed)).encode()
    )
    return seal(head + b">>\nstream\n" + packed + b"\nendstream\n", "pdf", bytes(32))


def test_a_sealed_bomb_ends_in_words_within_its_memory():
    done = subprocess.run([sys.executable, "-c", BOMB], capture_output=True, text=True, timeout=120)
    assert done.returncode == 0, done.stderr[-400:]
    assert "larger than 16 MB" in done.stdout
    with pytest.raises(ReadError, match="larger than 16 MB"):
        read_report(sealed(b"[" + b" " * MOST_RECORD + b"]"))
