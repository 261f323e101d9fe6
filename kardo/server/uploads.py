"""Files that a browser sends, under their limits."""

from ninja.files import UploadedFile

from kardo.core.errors import ReadError


def upload_of(file: UploadedFile, limit: int) -> tuple[bytes, str]:
    """The bytes of a file and its name. Raises ReadError for one larger than the limit in bytes."""
    if file.size > limit:
        raise ReadError(f"{file.name} is larger than {limit // 1_000_000} MB.", mend="Cut it to the site.")
    return file.read(), file.name or ""
