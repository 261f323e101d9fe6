"""Holds what was once reached: measures it anew and compares it with the table beside this file; ends with 1 where a
figure is worse by a third.

    python -m benchmarks.hold [GROUP ...] [--write]

Every figure is a ratio within one run, or a size, so that it holds on a slower machine: requests in terms of the plan's
own, computations and what a load asks of the processors in terms of LAPACK's band factor of 2,000 exposures. A group in
which something is worse is measured once more, for machines are shared, and the better of both counts. --write puts
what was measured into the table."""

import argparse
import json
import sys
import tomllib
from collections.abc import Callable
from pathlib import Path

TABLE = Path(__file__).with_name("held.toml")
WORSE = 1 / 3
Figures = dict[str, float]


def requests() -> Figures:
    """Milliseconds of each request over those of the plan; what each asks of the database."""
    from benchmarks.answers import compare

    told = compare(None, rounds=1)["after"]
    plan = told["plan"][1]
    ratios = {name: ms / plan for name, (_, ms, _) in told.items() if name != "plan"}
    return ratios | {f"{name}, queries": float(queries) for name, (queries, _, _) in told.items()}


def prediction() -> Figures:
    """Of 2,000 exposures: the whole prediction over the band's factor, and its memory over the band."""
    from benchmarks.prediction import run

    (row,) = run((2000,))
    return {"2,000 exposures": row.ratio, "2,000 exposures, memory": row.memory_ratio}


def search() -> Figures:
    """Of a block of 2,000 exposures: the first proposal and the last, over the band's factor."""
    return {name: seconds / _yardstick() for name, seconds in _searched().items()}


def _searched() -> Figures:
    import time

    from benchmarks.prediction import block_plan
    from kardo.core.layout.proposed import SearchOptions
    from kardo.core.layout.search import search as searched
    from kardo.warm import warm

    warm()
    plan, first = block_plan(2000), list[float]()
    began = time.perf_counter()
    searched(plan, SearchOptions(plan.brief.chance), so_far=lambda _: first.append(time.perf_counter() - began))
    return {"first proposal": first[0], "settled": time.perf_counter() - began}


def coverage() -> Figures:
    """Of 2,000 and of 10,000 exposures, over the band's factor: the quickest turn of each, for whoever else works on
    the machine only adds to them."""
    from benchmarks.coverage import measured

    rows = measured(turns=5)
    unit = min(_yardstick() for _ in range(3))
    return {f"about {size:,} exposures": one.least / unit for size, one in rows.items()}


def load() -> Figures:
    """Fifty people, three of whom drag, for a short while: seconds of the web's processor for a hundred answers, over
    the band's factor. What they wait is told by `benchmarks.load`; it is no ratio of anything, for where the processors
    are full it goes with whoever else works on the machine."""
    told = _program("load", "--users", "50", "--dragging", "3", "--seconds", "30", "--warm", "60")
    return {"processor for a hundred answers": told["processor_ms_an_answer"] / 10 / _yardstick()}


def pace() -> Figures:
    """Of the page in a browser with 10,000 exposures: milliseconds from frame to frame over a screen's sixtieth;
    megabytes of all processes after the start, and in use, over a thousand."""
    told = _program("pace")
    return {
        "frame while dragged": told["dragged"] / (1000 / 60),
        "frame while zoomed": told["zoomed"] / (1000 / 60),
        "gigabytes after the start": told["megabytes"] / 1000,
        "gigabytes in use": told["megabytes in use"] / 1000,
    }


def stations() -> Figures:
    """Of the page in a browser, on the demo job: from the key to the drawn station, the slowest of nine, and from a
    typed digit to the second frame after it, over a screen's sixtieth; kilobytes of the first page over a hundred."""
    told = _program("stations")
    frame = 1000 / 60
    return {
        "station first opened": told["station first opened, ms"] / frame,
        "station opened": told["station opened, ms"] / frame,
        "typed": told["typed, ms"] / frame,
        "first page": told["first page, kB"] / 100,
    }


def _program(name: str, *words: str) -> dict:
    """One of the benchmarks in a process of its own, which writes what it found."""
    import subprocess
    import tempfile

    with tempfile.NamedTemporaryFile(suffix=".json") as file:
        command = [sys.executable, "-m", f"benchmarks.{name}", *words, "--json", file.name]
        subprocess.run(command, check=True, stdout=subprocess.DEVNULL)
        return json.loads(Path(file.name).read_text())


def _yardstick() -> float:
    """Seconds of LAPACK's band factor for 2,000 exposures, now."""
    from benchmarks.prediction import cholesky_seconds

    return cholesky_seconds(12_511, 1001)


GROUPS: dict[str, Callable[[], Figures]] = {
    "requests": requests,
    "prediction": prediction,
    "search": search,
    "coverage": coverage,
    "load": load,
    "pace": pace,
    "stations": stations,
}


def worse(figures: Figures, held: Figures) -> list[str]:
    """What is worse than it is held to by more than a third, a line each; a figure that nobody holds yet is told too.

    >>> worse({"a": 1.3, "b": 1.4}, {"a": 1.0, "b": 1.0})
    ['b: 1.40, held to 1.00']
    """
    lines = []
    for name, figure in figures.items():
        if name not in held:
            lines.append(f"{name}: {figure:.2f}, held to nothing")
        elif figure > held[name] * (1 + WORSE) + 1e-9:
            lines.append(f"{name}: {figure:.2f}, held to {held[name]:.2f}")
    return lines


def measured(group: str, held: Figures) -> Figures:
    """The figures of a group; where one is worse, the better of two turns of each."""
    figures = GROUPS[group]()
    if not worse(figures, held):
        return figures
    again = GROUPS[group]()
    return {name: min(figure, again.get(name, figure)) for name, figure in figures.items()}


def main() -> int:
    """1 where a figure is worse by a third."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("groups", nargs="*", help=f"some of {', '.join(GROUPS)}; all of them where none is named")
    parser.add_argument("--write", action="store_true", help="put what was measured into the table")
    args = parser.parse_args()
    table, failed = tomllib.loads(TABLE.read_text()), 0
    for group in args.groups or GROUPS:
        held = table.get(group, {})
        figures = measured(group, {} if args.write else held)
        found = [] if args.write else worse(figures, held)
        table[group], failed = (figures if args.write else held), failed + len(found)
        for name, figure in figures.items():
            print(f"{group:10} {name:40} {figure:8.2f}   held to {held.get(name, float('nan')):.2f}")
        for line in found:
            print(f"WORSE: {group}, {line}", flush=True)
    if args.write:
        TABLE.write_text(_toml(table))
    return 1 if failed else 0


def _toml(table: dict[str, Figures]) -> str:
    head = (
        "# What `python -m benchmarks.hold` holds: a third more than this is too much. Written by --write, on a quiet"
        " machine.\n"
    )
    groups = [
        f"\n[{group}]\n" + "".join(f'"{n}" = {f:.3g}\n' for n, f in rows.items()) for group, rows in table.items()
    ]
    return head + "".join(groups)


if __name__ == "__main__":
    sys.exit(main())
