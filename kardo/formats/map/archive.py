"""Archives of map files: looked at within limits, in memory, and no name of one is ever a path."""

import io
import zipfile
import zlib

from kardo.core.errors import ReadError
from kardo.formats.map.things import clean

ZIP = b"PK\x03\x04"
MOST_UNPACKED, MOST_MEMBERS = 60_000_000, 200  # bytes and files of an archive


def is_archive_of(ending: str, data: bytes) -> bool:
    """Whether a file is an archive that holds a file with an ending, as far as its directory can be read."""
    if not data.startswith(ZIP):
        return False
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            return any(name.casefold().endswith(f".{ending}") for name in archive.namelist()[:MOST_MEMBERS])
    except (zipfile.BadZipFile, NotImplementedError, OSError, EOFError, ValueError):
        return False


def unpacked(data: bytes, *endings: str) -> dict[str, bytes]:
    """The first file with each of some endings, those that there are. Raises ReadError for an archive that holds too
    much or cannot be opened."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            members = [m for m in archive.infolist() if not m.is_dir()]
            if len(members) > MOST_MEMBERS or sum(m.file_size for m in members) > MOST_UNPACKED:
                raise ReadError("The archive holds more than is taken at once.", mend="Pack only what you need.")
            by_end = {m.filename.rpartition(".")[2].casefold(): m for m in reversed(members)}
            return {end: _unpacked(archive, by_end[end]) for end in endings if end in by_end}
    except (zipfile.BadZipFile, zlib.error, NotImplementedError, RuntimeError, OSError, EOFError, ValueError) as fault:
        raise ReadError(f"The archive cannot be opened ({clean(fault, 80)}).", mend="Pack it again.") from fault


def _unpacked(archive: zipfile.ZipFile, member: zipfile.ZipInfo) -> bytes:
    with archive.open(member) as file:
        out = file.read(MOST_UNPACKED + 1)
    if len(out) > MOST_UNPACKED:
        raise ReadError("The archive unpacks to more than it says.", mend="Pack it again.")
    return out


def packed(parts: dict[str, bytes], stem: str) -> bytes:
    """Parts by ending as one archive."""
    whole = io.BytesIO()
    with zipfile.ZipFile(whole, "w") as archive:
        for end, part in parts.items():
            archive.writestr(f"{stem}.{end}", part)
    return whole.getvalue()
