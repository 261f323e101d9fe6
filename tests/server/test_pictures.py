"""Pictures of the book: kept once, served as they came, and nothing that is no picture."""

import hashlib
import io
import struct
import zlib

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from PIL import Image

from kardo.server.book.models import Attachment
from tests.core.test_book import entry
from tests.formats.fuzz import picture
from tests.server.test_book import send

pytestmark = pytest.mark.django_db


def put(client, job, data, name="p.jpg"):
    return client.post(f"/api/jobs/{job.pk}/pictures", {"file": SimpleUploadedFile(name, data)})


def test_a_picture_is_kept_once_and_served_as_it_came(planner, stranger, job):
    data = picture("JPEG")
    digests = {put(planner, job, data).json()["digest"] for _ in range(3)}
    assert digests == {hashlib.sha256(data).hexdigest()} and Attachment.objects.count() == 1
    address = f"/api/jobs/{job.pk}/pictures/{digests.pop()}"
    answer = planner.get(address)
    assert (
        answer.content == data
        and answer["Content-Type"] == "image/jpeg"
        and answer["X-Content-Type-Options"] == "nosniff"
    )
    assert stranger.get(address).status_code == 404
    named = entry(1, kind="photo", words="the base").model_copy(
        update={"attachments": (hashlib.sha256(data).hexdigest(),)}
    )
    assert send(planner, job, [named]).status_code == 200


def bomb() -> bytes:
    """A PNG that says it is 30,000 by 30,000 pixels."""
    out = io.BytesIO()
    Image.new("L", (4, 4)).save(out, "PNG")
    data = bytearray(out.getvalue())
    data[16:24] = struct.pack(">II", 30_000, 30_000)
    data[29:33] = struct.pack(">I", zlib.crc32(bytes(data[12:29])))
    return bytes(data)


@pytest.mark.parametrize(
    ("data", "what"),
    [
        (b"<svg onload=alert(1)>", "no JPEG"),
        (b"GIF89a" + bytes(40), "no JPEG"),
        (b"\xff\xd8\xff\xe0", "no JPEG"),
        (bomb(), "80 million pixels"),
        (bytes(12_000_001), "larger than 12 MB"),
    ],
)
def test_what_is_no_picture_of_the_field_is_refused(planner, job, data, what):
    answer = put(planner, job, data, "p.png")
    assert answer.status_code == 422 and what in answer.json()["title"]
    assert not Attachment.objects.exists()
