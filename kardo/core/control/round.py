"""The order in which points are walked."""

import math
from functools import lru_cache
from itertools import pairwise

Spot = tuple[float, float]
MOST_SOLVED = 150  # points up to which the solver orders them; above, each time to the nearest


def walk(start: Spot, points: list[Spot]) -> tuple[list[int], float]:
    """The order of points on a round from a start and back to it, and its metres in the places' own.

    >>> walk((0.0, 0.0), [(10.0, 0.0), (0.0, 10.0), (10.0, 10.0)])[1]
    40.0
    """
    if not points:
        return [], 0.0
    order = list(_solved((start, *points))) if len(points) <= MOST_SOLVED else _nearest(start, points)
    way = [start, *(points[k] for k in order), start]
    return order, sum(math.dist(a, b) for a, b in pairwise(way))


@lru_cache(maxsize=64)
def _solved(places: tuple[Spot, ...]) -> tuple[int, ...]:
    """By the routing solver's descent, which ends by itself and always alike."""
    from ortools.constraint_solver import pywrapcp, routing_enums_pb2

    manager = pywrapcp.RoutingIndexManager(len(places), 1, 0)
    routing = pywrapcp.RoutingModel(manager)
    decimetres = [[round(10 * math.dist(a, b)) for b in places] for a in places]
    routing.SetArcCostEvaluatorOfAllVehicles(routing.RegisterTransitMatrix(decimetres))
    asked = pywrapcp.DefaultRoutingSearchParameters()
    asked.first_solution_strategy = routing_enums_pb2.FirstSolutionStrategy.PATH_CHEAPEST_ARC
    solution = routing.SolveWithParameters(asked)
    order, at = [], solution.Value(routing.NextVar(routing.Start(0)))
    while not routing.IsEnd(at):
        order.append(manager.IndexToNode(at) - 1)
        at = solution.Value(routing.NextVar(at))
    return tuple(order)


def _nearest(start: Spot, points: list[Spot]) -> list[int]:
    left, at, order = set(range(len(points))), start, []
    while left:
        k = min(left, key=lambda j: math.dist(at, points[j]))
        left.remove(k)
        order.append(k)
        at = points[k]
    return order
