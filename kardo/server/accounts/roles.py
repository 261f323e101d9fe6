"""Who may do what: the roles of an organisation's members, and the right that each request needs. Nowhere else is this
decided."""

import re
from typing import Literal, get_args

Role = Literal["planner", "field", "surveyor", "reviewer", "administrator"]
Right = Literal["read", "book", "plan", "sign", "rules", "delete", "people"]
ROLES: tuple[Role, ...] = get_args(Role)

MAY: dict[Role, frozenset[Right]] = {
    "reviewer": frozenset({"read"}),
    "field": frozenset({"read", "book"}),
    "planner": frozenset({"read", "book", "plan"}),
    "surveyor": frozenset({"read", "book", "plan", "sign", "rules"}),  # in charge
    "administrator": frozenset({"read", "book", "plan", "rules", "delete", "people"}),
}
NAMES: dict[Role, str] = {"surveyor": "surveyor in charge"}

# what a request needs that is no mere reading, by method and path: the first that fits; any other needs "plan"
NEEDED: tuple[tuple[str, Right], ...] = (
    (r"(POST|DELETE) session|POST session/password", "read"),
    (r"POST (verify|where)", "read"),
    (r"POST jobs/ID/(live|sky|log|stations/log|card/.*|casters/.*|receivers/heard|antennas/read)", "read"),
    (r"POST jobs/ID/(local/(read|marks|points)|library/(read|certificate))", "read"),
    (r"POST jobs/ID/close/(read|shift/preview|shift/positions)", "read"),
    (r"POST jobs/ID/(read/(boundary|points|features|risen)|flight/(flown|camera|lens)|control/names)", "read"),
    (r"POST jobs/ID/prediction/start", "read"),  # what others planned is computed for whoever looks at it
    (r"POST jobs/ID/(book|pictures)", "book"),
    (r"POST jobs/ID/close/(sign|reopen)", "sign"),
    (r"POST rules(/paper)?", "rules"),
    (r"DELETE jobs/ID", "delete"),
    (r"\w+ people(/.*)?", "people"),
)
_PATTERNS = tuple((re.compile(pattern), right) for pattern, right in NEEDED)


def rights_of(roles: list[Role]) -> frozenset[Right]:
    """All that somebody of these roles may do.

    >>> sorted(rights_of(["field", "reviewer"]))
    ['book', 'read']
    """
    return frozenset().union(*(MAY[role] for role in roles))


def right_needed(method: str, path: str) -> Right:
    """What a request of the API needs, by its path below /api/.

    >>> right_needed("GET", "jobs/7c9e6679-7425-40de-944b-e07fc1f90ae7/plan"), right_needed("PATCH", "jobs/ID/plan")
    ('read', 'plan')
    """
    if method in ("GET", "HEAD") and not path.startswith("people"):
        return "read"
    asked = f"{method} {re.sub(r'^jobs/[0-9a-fA-F-]{32,36}', 'jobs/ID', path)}"
    return next((right for pattern, right in _PATTERNS if pattern.fullmatch(asked)), "plan")
