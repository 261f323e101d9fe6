"""What a plan lacks before anything can be predicted of it."""

from kardo.core.control.local import fault_of_local
from kardo.core.errors import GeodesyError, PlanError
from kardo.core.flight.lines.areas import require_fit
from kardo.core.plan.model import Plan
from kardo.core.plan.stands import OnInstrument, OnNothing, OnSetUp, SetUp


def missing(plan: Plan) -> list[tuple[str, str]]:
    """What the plan still lacks before anything can be predicted: (station, sentence)."""
    lacks = []
    if not plan.brief.crs:
        lacks.append(("brief", "Choose the job's grid in the Brief."))
    if len(plan.site.boundary) < 3:
        lacks.append(("site", "Import, paste or draw the site boundary."))
    lacks += _grid_lack(plan)
    if plan.site.ground.terrain is None and plan.site.ground.level is None:
        lacks.append(("site", "Bring in the terrain as a GeoTIFF, or type the height of level ground."))
    if not plan.flights:
        lacks.append(("flight", "Add a flight."))
    hung = [f.positioned_from for f in plan.flights if f.corrected]
    setups = [plan.setup(h.setup) for h in hung if isinstance(h, OnSetUp)]
    if any(s is None or s.mark is None for s in setups):
        lacks.append(("base", "Put the base on a mark with known coordinates, or take corrections from a service."))
    if any(isinstance(h, OnNothing) for h in hung):
        lacks.append(("base", "Say what the flight's corrections come from."))
    if any(s is not None and _in_local_grid_only(plan, s) for s in setups):
        lacks.append(
            ("base", "The base stands on a mark with local coordinates alone: give it those of the job's grid.")
        )
    if fault := fault_of_local(plan):
        lacks.append(("base", f"{fault.what} {fault.mend}"))
    return lacks + _unmarked(plan, {s.id for s in setups if s is not None})


def missing_for_schemes(plan: Plan) -> list[tuple[str, str]]:
    """What it lacks before correction schemes can be compared: where corrections come from is what they are about, and
    each says what it lacks itself."""
    return [(station, words) for station, words in missing(plan) if station != "base"]


def _in_local_grid_only(plan: Plan, setup: SetUp) -> bool:
    mark = plan.mark(setup.mark)
    return mark is not None and mark.known == "local"


def _grid_lack(plan: Plan) -> list[tuple[str, str]]:
    """What makes the grid or the height system one that nothing can be planned in."""
    try:
        require_fit(plan)
    except GeodesyError as fault:
        return [("brief", f"{fault.what} {fault.mend}")]
    except PlanError:
        return []  # a boundary that crosses itself is told where it is
    return []


def _unmarked(plan: Plan, told: set[str]) -> list[tuple[str, str]]:
    """Set-ups without a mark that control rests on: it would be predicted as if they had no error."""
    hung = {on.setup for p in plan.control for on in p.by_source if isinstance(on, OnSetUp | OnInstrument)}
    bare = [s for s in plan.setups if s.id in hung - told and s.mark is None]
    return [("base", f"Put the set-up {s.name} on a mark: control is positioned from it.") for s in bare]
