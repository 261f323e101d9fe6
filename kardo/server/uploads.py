"""Files that a browser sends, under their limits."""

from ninja.files import UploadedFile

from kardo.core.errors import ReadError
from kardo.formats.map.shapefile import together

MOST_PARTS = 12  # of one file that comes in several


def upload_of(file: UploadedFile, limit: int) -> tuple[bytes, str]:
    """The bytes of a file and its name. Raises ReadError for one larger than the limit in bytes."""
    if (file.size or 0) > limit:
        raise ReadError(f"{file.name} is larger than {limit // 1_000_000} MB.", mend="Cut it to the site.")
    return file.read(), file.name or ""


def uploads_of(file: UploadedFile, beside: list[UploadedFile] | None, limit: int) -> tuple[bytes, str]:
    """The same of a file whose other parts were chosen with it: a Shapefile's come as their archive would. Raises
    ReadError where all are larger than the limit, or too many."""
    parts = [file, *(beside or [])]
    if len(parts) > MOST_PARTS or sum(part.size or 0 for part in parts) > limit:
        raise ReadError(
            f"These are more than {MOST_PARTS} files or {limit // 1_000_000} MB together.",
            mend="Choose the parts of one Shapefile.",
        )
    return together([upload_of(part, limit) for part in parts]), file.name or ""
