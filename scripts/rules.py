"""Write docs/rules.md: every rule of the catalogue, as it is in the code. Run it after a rule is added or changed."""

from pathlib import Path

from kardo.core.policy.policy import catalogue

PAGE = Path(__file__).parent.parent / "docs" / "rules.md"
HEAD = """# The rules

What practitioners know, as Kardo asks it of a plan. Made by `python -m scripts.rules` from the catalogue itself. Thresholds are common
practice, not law; those without a figure are read from the plan, the standard or the equipment.

| rule | asks | severity | station | threshold | why | from |
|---|---|---|---|---|---|---|
"""


def page() -> str:
    """The page, one line a rule in the order of the stations."""
    rows = []
    for r in catalogue().values():
        threshold = f"{r.threshold:g} {r.unit}" if r.has_threshold else "–"
        cells = (f"`{r.id}`", r.asks, r.severity, r.station, threshold, r.why, r.source)
        rows.append(f"| {' | '.join(cell.replace('|', '/') for cell in cells)} |\n")
    return HEAD + "".join(rows)


if __name__ == "__main__":
    PAGE.write_text(page())
