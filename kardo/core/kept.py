"""Answers kept by what they depend on: asked again with the same, nothing is computed again."""

import functools
import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Any, ParamSpec, TypeVar

P = ParamSpec("P")
T = TypeVar("T")

_ALL: list[OrderedDict[Hashable, Any]] = []


def kept(most: int, by: Callable[P, Hashable]) -> Callable[[Callable[P, T]], Callable[P, T]]:
    """A function that keeps its latest answers, so many at most, under what `by` makes of its arguments: all that the
    answer depends on, and nothing else. Answers are shared, so nobody changes one; an error is raised anew each time.

    >>> @kept(2, by=lambda place, note: place)
    ... def asked(place, note):
    ...     return [place, note]
    >>> asked(1, "first"), asked(1, "second")
    ([1, 'first'], [1, 'first'])
    """
    answers: OrderedDict[Hashable, Any] = OrderedDict()
    guard = threading.Lock()
    _ALL.append(answers)

    def keeping(function: Callable[P, T]) -> Callable[P, T]:
        @functools.wraps(function)
        def asked(*args: P.args, **words: P.kwargs) -> T:
            key = by(*args, **words)
            with guard:
                if key in answers:
                    answers.move_to_end(key)
                    found: T = answers[key]
                    return found
            answer = function(*args, **words)
            with guard:
                answers[key] = answer
                while len(answers) > most:
                    answers.popitem(last=False)
            return answer

        return asked

    return keeping


def forget() -> None:
    """Let go of every answer that is kept, as a new process has none."""
    for answers in _ALL:
        answers.clear()
