"""What the browser is told about a prediction."""

from collections.abc import Callable

from kardo.core.accuracy.planned import flight_of, missing
from kardo.core.arrays import Json
from kardo.core.errors import KardoError
from kardo.core.plan.model import Plan
from kardo.core.practice.rules import View, findings
from kardo.server.predictions.models import Prediction


def prediction_json(plan: Plan, request: Callable[[], Prediction]) -> Json:
    """State, result and findings. A plan that lacks something asks for no computation."""
    lacks = missing(plan)
    out: Json = {"hash": plan.hash, "state": "lacking", "stage": "", "share": 0.0, "result": None, "error": None}
    if not lacks:
        prediction = request()
        out |= {
            "state": prediction.state,
            "stage": prediction.stage,
            "share": prediction.share,
            "result": prediction.result,
            "error": prediction.error,
        }
    if out["state"] in {Prediction.State.QUEUED, Prediction.State.RUNNING}:
        return out | {"findings": None}
    try:
        flight = flight_of(plan)
    except KardoError:
        flight = None
    result = out["result"] if out["result"] and not out["result"]["defects"] else None
    out["findings"] = [f.to_json() for f in findings(View(plan, flight, result))]
    return out
