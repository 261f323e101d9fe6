"""Rules of a survey as it was closed: what its residuals say against the prediction of what was done."""

from collections.abc import Iterator

from kardo.core.practice.catalogue import Finding, Rule, View, rule

TESTS = "conditional and global test of the residuals against their predicted covariance: Baarda, Publications on Geodesy 2/5, 1968"


@rule(
    "closed-outlier",
    "Does every check agree with the others?",
    "stop",
    "verdict",
    None,
    "One check that stands out is a blunder of it, or of the map there: an RMSE hides it among the rest.",
    TESTS,
)
def _outlier(r: Rule, view: View) -> Iterator[Finding]:
    for one in view.closed.outside if view.closed else ():
        mend = "Measure it again, or find out what it is; or say why it is accepted."
        yield r.found(one.words, mend, f"control/{one.id}")


@rule(
    "closed-global",
    "Are the residuals as large as predicted?",
    "stop",
    "verdict",
    None,
    "Residuals beyond what was predicted say that something is there which the plan does not know of, though the tolerance may be kept.",
    TESTS,
)
def _global(r: Rule, view: View) -> Iterator[Finding]:
    if view.closed and view.closed.worse:
        mend = "Look for the blunder that fits, then in the largest share of the budget; or say why it is accepted."
        yield r.found(view.closed.worse, mend)
