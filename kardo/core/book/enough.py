"""Is it enough to leave? In a sentence, with what would mend it."""

from kardo.core.accuracy.change.advice import Promise
from kardo.core.accuracy.figures.acceptance import chance_words
from kardo.core.book.done import StillToDo
from kardo.core.book.entries import Book, Departure, Entry
from kardo.core.geodesy.units import small
from kardo.core.plan.model import Plan
from kardo.core.plan.naming import name_of

NOBODY = "00000000-0000-0000-0000-000000000000"
MOST_NAMED = 4


def if_left_now(book: Book, visit: str) -> Book:
    """The book as it would be if the crew left now."""
    if not book.entries:
        return book
    last = book.entries[-1]
    leaving = Entry(id=NOBODY, device="", at=last.at, by="", visit=visit, said=Departure())
    return Book((*book.entries, leaving))


def enough(plan: Plan, left: StillToDo, promise: Promise | None, lack: str = "") -> str:
    """What leaving now would come to: promise of the plan as done if the crew left now, None while it is computed; lack
    where nothing can be predicted of it. A base that was last heard elsewhere than planned comes first: no figure knows
    of that."""
    still = " ".join(part for part in (_short(left), _still(plan, left)) if part)
    if left.off_air:
        key, words = next(iter(left.off_air.items()))
        return (
            f"Not enough to leave: the {name_of(plan, 'setup', key)} was heard elsewhere than planned. {words} Mend it,"
            " listen again, and measure again everything positioned from it."
        )
    if lack:
        return f"Not enough to leave: {lack} {still}".strip()
    if promise is None:
        return f"What leaving now would come to is being computed. {still}".strip()
    unit = plan.brief.unit
    figures = f"H {small(promise.rmse_h, unit)} of {small(promise.limit_h, unit)}, V {small(promise.rmse_v, unit)}"
    if promise.limit_v is not None:
        figures += f" of {small(promise.limit_v, unit)}"
    chance = "no checks to pass" if promise.chance is None else f"{chance_words(promise.chance)} to pass"
    if promise.good:
        return f"Enough to leave: {figures}, {chance}. {still}".strip()
    mend = (
        _still(plan, left)
        or "Nothing that was planned is left: observe again under another sky, or fly a sortie again."
    )
    return f"Not enough to leave: {figures}, {chance}. {' '.join(part for part in (_short(left), mend) if part)}"


def _short(left: StillToDo) -> str:
    """What was done is short of the plan in."""
    return f"Short of the plan: {'; '.join(left.short)}." if left.short else ""


def _still(plan: Plan, left: StillToDo) -> str:
    """What is still to do, the first few by name."""
    names = [name_of(plan, "control", path.split("/")[1]) for path in left.points]
    names += [
        f"sortie {leg} of {name_of(plan, 'flight', key)}" for _, key, leg in (path.split("/") for path in left.sorties)
    ]
    if not names:
        return ""
    more = f" and {len(names) - MOST_NAMED} more" if len(names) > MOST_NAMED else ""
    return f"Still to do: {', '.join(names[:MOST_NAMED])}{more}."
