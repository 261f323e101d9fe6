"""Rules of a survey as it was closed: what its residuals say against the prediction of what was done."""

from collections.abc import Iterator

from kardo.core.policy.policy import Rule
from kardo.core.practice.catalogue import Finding, View, finding, rule

TESTS = (
    "conditional and global test of the residuals against their predicted covariance: Baarda, Publications on Geodesy"
    " 2/5, 1968"
)


@rule("closed-outlier")
def _outlier(r: Rule, view: View) -> Iterator[Finding]:
    for one in view.closed.outside if view.closed else ():
        mend = "Measure it again, or find out what it is; or say why it is accepted."
        yield finding(r, one.words, mend, f"control/{one.id}")


@rule("closed-global")
def _global(r: Rule, view: View) -> Iterator[Finding]:
    if view.closed and view.closed.worse:
        mend = "Look for the blunder that fits, then in the largest share of the budget; or say why it is accepted."
        yield finding(r, view.closed.worse, mend)
