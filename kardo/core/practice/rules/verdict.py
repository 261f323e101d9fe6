"""Rules of the Verdict."""

from collections.abc import Iterator

from kardo.core.accuracy.figures.standards import held_to
from kardo.core.geodesy.units import cubic, small
from kardo.core.plan.assumptions import CURRENT_EDITION
from kardo.core.plan.edits import Edit
from kardo.core.plan.stands import OnSetUp
from kardo.core.policy.policy import Rule
from kardo.core.practice.catalogue import Finding, View, finding, rule


@rule("verdict-tolerance")
def _tolerance(r: Rule, view: View) -> Iterator[Finding]:
    p, unit = view.result, view.plan.brief.unit
    if p is None:
        return
    for name, is_, limit in (("H", p.rmse_h, p.limit_h), ("V", p.rmse_v, p.limit_v)):
        if limit is not None and is_ > limit:
            words = f"{name} of {small(is_, unit)} is outside the {small(limit, unit)} allowed."
            yield finding(r, words, "See the largest share of the budget.", measured=is_)


@rule("assumptions-newer")
def _newer_edition(r: Rule, view: View) -> Iterator[Finding]:
    edition = view.plan.assumptions.edition
    if edition != CURRENT_EDITION:
        take = (Edit("assumptions/edition", edition, CURRENT_EDITION),)
        words = f"This plan rests on the defaults of {edition}"
        by = view.result.newer if view.result else None
        if by is None or view.result is None:
            words += "; there are newer ones, and the figures will change."
        else:
            h, v, newer_h, newer_v = (
                small(metres, view.plan.brief.unit)
                for metres in (view.result.rmse_h, view.result.rmse_v, by.rmse_h, by.rmse_v)
            )
            words += f", by which it promises H {h}, V {v}. By those of {by.edition} it is H {newer_h}, V {newer_v}."
        yield finding(r, words, "Take the newer ones, or leave it.", edits=take, label=f"take {CURRENT_EDITION}")


@rule("verdict-volume")
def _volume(r: Rule, view: View) -> Iterator[Finding]:
    if view.plan.brief.standard != "volume" or view.result is None:
        return
    names = {a.id: a.name for a in view.plan.site.areas} | {"": "the whole site"}
    allowed, unit = held_to(view.plan.brief)[1], view.plan.brief.unit
    for volume in view.result.volumes:
        at_95 = volume.sigma * r.threshold
        if at_95 > allowed:
            share = f" or {100 * at_95 * volume.area / volume.content:.2g} %" if volume.content else ""
            words = (
                f"Mean height over {names.get(volume.id, volume.id)} is good to {small(at_95, unit)} at 95 %, which is"
                f" {cubic(at_95 * volume.area, unit)}{share}; {small(allowed, unit)} is allowed, which is"
                f" {cubic(allowed * volume.area, unit)}."
            )
            yield finding(r, words, "See the largest share of the budget.", measured=at_95)


@rule("verdict-blind")
def _blind(r: Rule, view: View) -> Iterator[Finding]:
    plan = view.plan
    setups = [
        plan.setup(f.positioned_from.setup)
        for f in plan.flights
        if isinstance(f.positioned_from, OnSetUp) and f.corrected
    ]
    marks = {s.mark for s in setups if s is not None and s.mark is not None}
    observed = [plan.base_mark(hung) for p in plan.checks for hung in p.by_source]
    checked_from = {mark.id if mark else None for mark in observed}
    if plan.checks and marks and checked_from <= marks:
        words = "Every check is positioned from the base's own mark."
        yield finding(r, words, "Observe some checks from another mark.", f"control/{plan.checks[0].id}")
