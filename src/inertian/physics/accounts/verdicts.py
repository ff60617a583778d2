"""Expectations and verdicts: what a law promises, and whether the account bears it out."""

import math
from enum import StrEnum
from typing import NamedTuple

from inertian.quantities.coverage import detectable, equivalent_z, two_sided_p


class Expectation(StrEnum):
    """What is expected of a law in this trial."""

    CONSERVED = "conserved"
    NOT_CONSERVED = "not conserved"
    GIVEN_E = "given e"


class Verdict(StrEnum):
    """What the account says, in words."""

    BALANCES = "no imbalance seen"
    DOUBTFUL = "doubtful"
    IMBALANCE = "does not balance"
    TOO_ROUGH = "too rough to tell"


SIGN = {
    Verdict.BALANCES: "=",
    Verdict.DOUBTFUL: "?",
    Verdict.IMBALANCE: "≠",
    Verdict.TOO_ROUGH: "~",
}
BALANCES_UP_TO, DOUBTFUL_UP_TO = 2.0, 3.0  # |z|
ROUGH_SHARE = 0.5  # of the turnover


class Judgement(NamedTuple):
    """A verdict with the numbers behind it; z and p are None where nothing was expected to hold or
    u is zero.
    """

    z: float | None
    p: float | None
    smallest_visible: float
    verdict: Verdict | None


def judge(
    expectation: Expectation, unaccounted: float, u: float, dof: float, turnover: float
) -> Judgement:
    """Judge an unaccounted amount against its own uncertainty.

    unaccounted/u is turned through the t distribution with ν degrees of freedom into the equivalent
    normal z. `turnover` is the larger of Σ|opening| and Σ|closing| over the bodies, in the ledger's
    unit. `smallest_visible` is the imbalance that would show, |z| > 2, with 95 % probability.
    """
    visible = detectable(dof) * u if u > 0.0 else 0.0
    if expectation is Expectation.NOT_CONSERVED:
        return Judgement(None, None, visible, None)
    if u == 0.0:
        same = unaccounted == 0.0
        return Judgement(None, None, visible, Verdict.BALANCES if same else Verdict.IMBALANCE)
    ratio = unaccounted / u
    z, p = equivalent_z(ratio, dof), two_sided_p(ratio, dof)
    if visible > ROUGH_SHARE * turnover:
        return Judgement(z, p, visible, Verdict.TOO_ROUGH)
    if not math.isfinite(z):
        return Judgement(None, p, visible, Verdict.IMBALANCE)
    return Judgement(z, p, visible, verdict_of(z))


def verdict_of(z: float) -> Verdict:
    """Return the verdict that the size of an equivalent normal z stands for."""
    if abs(z) <= BALANCES_UP_TO:
        return Verdict.BALANCES
    return Verdict.DOUBTFUL if abs(z) <= DOUBTFUL_UP_TO else Verdict.IMBALANCE
