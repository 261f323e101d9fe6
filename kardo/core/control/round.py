"""The order in which points are reached: straight from one to the next, or by ways over the site; by one person or
shared among several."""

import bisect
import math
from functools import lru_cache
from itertools import pairwise

import numpy as np

from kardo.core.arrays import Floats

Spot = tuple[float, float]
MOST_SOLVED = 300  # points up to which the solver orders them; above, each time to the nearest
MOST_EVENED, MOST_STEPS = (
    80,
    2400,
)  # places up to which the solver evens out rounds of several people; its steps, times the places


def walk(start: Spot, points: list[Spot]) -> tuple[list[int], float]:
    """The order of points on a round from a start and back to it, and its metres in the places' own.

    >>> walk((0.0, 0.0), [(10.0, 0.0), (0.0, 10.0), (10.0, 10.0)])[1]
    40.0
    """
    if not points:
        return [], 0.0
    if len(points) > MOST_SOLVED:
        order = _nearest(start, points)
    else:
        places = (start, *points)
        order = list(_routed(tuple(tuple(round(10 * math.dist(a, b)) for b in places) for a in places), 1)[0])
    way = [start, *(points[k] for k in order), start]
    return order, sum(math.dist(a, b) for a, b in pairwise(way))


def _nearest(start: Spot, points: list[Spot]) -> list[int]:
    left, at, order = set(range(len(points))), start, []
    while left:
        k = min(left, key=lambda j: math.dist(at, points[j]))
        left.remove(k)
        order.append(k)
        at = points[k]
    return order


def shared(minutes: Floats, at_each: Floats, people: int) -> list[list[int]]:
    """Orders of k points among people who all begin and end at place 0, so that the last is back soonest. minutes (k +
    1, k + 1) on the way between places, finite; at_each (k,) minutes of work. Somebody may have nothing to do.

    >>> off = np.array([[0.0, 5, 5], [5, 0, 9], [5, 9, 0]])
    >>> sorted(shared(off, np.ones(2), 2))
    [[0], [1]]
    """
    count = len(at_each)
    if not count:
        return [[] for _ in range(people)]
    cost = np.rint(10 * (minutes + np.r_[0.0, at_each][None, :])).astype(np.int64)  # tenths of a minute
    return [list(route) for route in _routed(tuple(map(tuple, cost.tolist())), people)]


@lru_cache(maxsize=64)
def _routed(cost: tuple[tuple[int, ...], ...], people: int) -> tuple[tuple[int, ...], ...]:
    """By the routing solver's descent, which is bounded by its own count and so ends always alike: for one person by
    the sum; for several by the longest and then the sum, beginning with one round cut into stretches, which is within
    some 5 % and all that is done for many points."""
    from ortools.constraint_solver import pywrapcp, routing_enums_pb2

    stretches = _stretches(cost, _routed(cost, 1)[0], people) if people > 1 else []
    if stretches and len(cost) > MOST_EVENED:
        return tuple(map(tuple, stretches))
    manager = pywrapcp.RoutingIndexManager(len(cost), people, 0)
    routing = pywrapcp.RoutingModel(manager)
    transit = routing.RegisterTransitMatrix([list(row) for row in cost])
    routing.SetArcCostEvaluatorOfAllVehicles(transit)
    asked = pywrapcp.DefaultRoutingSearchParameters()
    asked.first_solution_strategy = routing_enums_pb2.FirstSolutionStrategy.PATH_CHEAPEST_ARC
    if people == 1:
        solution = routing.SolveWithParameters(asked)
    else:
        routing.AddDimension(transit, 0, sum(map(max, cost)) + 1, True, "time")
        routing.GetDimensionOrDie("time").SetGlobalSpanCostCoefficient(100)
        asked.solution_limit = MOST_STEPS // len(cost)
        routing.CloseModelWithParameters(asked)
        begun = routing.ReadAssignmentFromRoutes([[k + 1 for k in one] for one in stretches], True)
        solution = routing.SolveFromAssignmentWithParameters(begun, asked)
    routes = []
    for person in range(people):
        order, at = [], solution.Value(routing.NextVar(routing.Start(person)))
        while not routing.IsEnd(at):
            order.append(manager.IndexToNode(at) - 1)
            at = solution.Value(routing.NextVar(at))
        routes.append(tuple(order))
    return tuple(routes)


def _stretches(cost: tuple[tuple[int, ...], ...], order: tuple[int, ...], people: int) -> list[list[int]]:
    """A round cut into a stretch for each, so that the longest, with the way out and home, is as short as the order
    allows."""

    def cut(most: int) -> list[list[int]]:
        out: list[list[int]] = []
        spent, at = most + 1, 0
        for k in order:
            spent += cost[at][k + 1]
            if spent + cost[k + 1][0] > most:
                out.append([])
                spent = cost[0][k + 1]
            out[-1].append(k)
            at = k + 1
        return out

    alone = max(cost[0][k + 1] + cost[k + 1][0] for k in order)
    all_of_it = sum(map(max, cost))
    most = bisect.bisect_left(range(all_of_it), True, lo=alone, key=lambda limit: len(cut(limit)) <= people)
    found = cut(most)
    return found + [[] for _ in range(people - len(found))]
