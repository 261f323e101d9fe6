"""What commands read and write."""

import json
from pathlib import Path

from kardo.core.errors import KardoError


def read(path: Path) -> object:
    """The JSON of a file. Raises KardoError for what is none."""
    try:
        return json.loads(path.read_text())
    except (ValueError, UnicodeDecodeError) as fault:
        raise KardoError(f"Not JSON ({fault}).", where=str(path), mend="Give a file that Kardo wrote.") from fault


def write(path: Path | None, data: object) -> None:
    """Data as JSON, where a path was given."""
    if path:
        path.write_text(json.dumps(data))
