"""The assumptions of a prediction: shipped as data with their sources, overridden by the plan."""

import tomllib
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import files

from kardo.core.errors import PlanError


@dataclass(frozen=True)
class Default:
    """One assumed figure with its reason."""

    id: str
    value: float
    unit: str
    what: str
    source: str


@lru_cache(maxsize=1)
def defaults() -> dict[str, Default]:
    data = tomllib.loads((files("kardo.core.accuracy") / "defaults.toml").read_text())
    return {key: Default(id=key, **entry) for key, entry in data.items()}


class Assumptions:
    """The figures in force for one plan: `assumptions["tie_ray_px"]`."""

    def __init__(self, overrides: Mapping[str, float]) -> None:
        known = defaults()
        unknown = sorted(set(overrides) - set(known))
        if unknown:
            raise PlanError(f"“{unknown[0]}” is not an assumption Kardo knows.", where="assumptions", mend="Remove it.")
        self._values = {key: float(overrides.get(key, d.value)) for key, d in known.items()}

    def __getitem__(self, key: str) -> float:
        return self._values[key]
