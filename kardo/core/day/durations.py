"""How long tasks usually take."""

import tomllib
from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import files


@dataclass(frozen=True)
class Duration:
    """Minutes that a kind of task takes, what it is, and where the figure comes from."""

    minutes: float
    what: str
    source: str


@lru_cache(maxsize=1)
def durations() -> dict[str, Duration]:
    """The usual durations, by kind."""
    data = tomllib.loads((files("kardo.core.day") / "durations.toml").read_text())
    return {key: Duration(**entry) for key, entry in data.items()}
