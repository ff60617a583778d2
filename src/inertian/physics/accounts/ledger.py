"""Ledgers: opening, entries from outside, closing, and what is unaccounted, with verdict and
budget.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache, partial
from typing import Any

import numpy as np

from inertian.physics.accounts.collision_inputs import AccountError, CollisionInputs
from inertian.physics.accounts.laws import (
    AmountOf,
    ContactInput,
    Edge,
    EntryOf,
    LawFunction,
    MassOf,
    Total,
    Values,
    energy_account,
    momentum_account,
    restitution,
)
from inertian.physics.accounts.verdicts import Expectation, Judgement, Verdict, judge, verdict_of
from inertian.quantities.coverage import Scalar, equivalent_z
from inertian.quantities.estimates import ErrorSource, JointScalars
from inertian.quantities.propagation import Results, propagate

ENERGY = "kinetic energy"
# An approach that is at least so many times its own 95 % interval: then that of e is at most a
# third wider than first order says, 1/(1 − 1/CLEAR_APPROACH²)
CLEAR_APPROACH = 2.0
WIDEST = 14.0  # times u: the 95 % interval with one degree of freedom
MOMENTUM_UNIT, ENERGY_UNIT = "kg·m/s", "J"


def momentum_law(axis: str) -> str:
    """Return the name of the momentum law along one axis."""
    return f"momentum {axis}"


@dataclass(frozen=True)
class BodyLine:
    """One body's line in a ledger."""

    name: str
    opening: Scalar
    closing: Scalar


@dataclass(frozen=True, eq=False)
class Ledger:
    """The account of one quantity over one contact; amounts in `unit`, times in s.

    unaccounted = closing − opening − entries: negative is lost, positive gained.
    """

    law: str
    unit: str
    expectation: Expectation
    opens_at: float
    closes_at: float
    body_names: tuple[str, ...]
    amounts: Results
    judgement: Judgement

    @property
    def opening(self) -> Scalar:
        """The total at the opening instant."""
        return self.amounts[Total.OPENING]

    @property
    def closing(self) -> Scalar:
        """The total at the closing instant."""
        return self.amounts[Total.CLOSING]

    @property
    def expected(self) -> Scalar:
        """What should be there at the closing instant: opening + entries."""
        return self.amounts[Total.EXPECTED]

    @property
    def unaccounted(self) -> Scalar:
        """What is left: closing − opening − entries."""
        return self.amounts[Total.UNACCOUNTED]

    @property
    def entries(self) -> tuple[tuple[str, Scalar], ...]:
        """What came from outside, by name."""
        return tuple(
            (key.name, self.amounts[key]) for key in self.amounts if isinstance(key, EntryOf)
        )

    @property
    def bodies(self) -> tuple[BodyLine, ...]:
        """Each body's line."""
        return tuple(
            BodyLine(b, *(self.amounts[AmountOf(edge, b)] for edge in Edge))
            for b in self.body_names
        )

    @property
    def budget(self) -> Mapping[ErrorSource, float]:
        """The variance of the unaccounted amount by source."""
        return self.amounts.first.joint.shares(Total.UNACCOUNTED)


@dataclass(frozen=True)
class JointJudgement:
    """Momentum along all axes tested together: χ² for its degrees of freedom, and the equivalent
    normal z.
    """

    axes: tuple[str, ...]
    chi_squared: float
    p: float
    z: float
    verdict: Verdict


@dataclass(frozen=True, eq=False)
class Accounts:
    """All ledgers of one trial."""

    ledgers: tuple[Ledger, ...]
    together: JointJudgement | None
    restitution: Scalar | None
    collision: CollisionInputs

    def ledger(self, law: str) -> Ledger:
        """Return the ledger of one law. Raises KeyError."""
        for ledger in self.ledgers:
            if ledger.law == law:
                return ledger
        raise KeyError(law)


def _ledger(
    law: str,
    unit: str,
    function: LawFunction,
    expectation: Expectation,
    collision: CollisionInputs,
) -> Ledger:
    amounts, at = Results(function, collision.inputs), collision.encounter
    sums = [sum(abs(amounts.value(AmountOf(edge, b))) for b in at.bodies) for edge in Edge]
    left = amounts[Total.UNACCOUNTED]
    judgement = judge(expectation, left.value, left.u, left.dof, max(sums))
    return Ledger(law, unit, expectation, at.opening, at.closing, at.bodies, amounts, judgement)


def build_accounts(collision: CollisionInputs, expectations: Mapping[str, Expectation]) -> Accounts:
    """Return every ledger of a collision: momentum along each axis, and kinetic energy.

    `expectations` by law name; momentum is expected conserved and kinetic energy not, unless said
    otherwise. The restitution is None where it is not defined: other than two bodies, or no clear
    contact. Raises AccountError if a mass is missing.
    """
    at = collision.encounter
    for body in at.bodies:
        if MassOf(body) not in collision.inputs.names:
            raise AccountError(body, f"The mass of {body} is missing.")
    ledgers = []
    for axis in at.axes:
        law = momentum_law(axis)
        expectation = expectations.get(law, Expectation.CONSERVED)
        function = partial(momentum_account, at=at, axis=axis)
        ledgers.append(_ledger(law, MOMENTUM_UNIT, function, expectation, collision))
    expectation = expectations.get(ENERGY, Expectation.NOT_CONSERVED)
    found = restitution_of(collision)
    if expectation is Expectation.GIVEN_E and (
        ContactInput.RESTITUTION not in collision.inputs.names or found is None
    ):
        expectation = Expectation.NOT_CONSERVED
    function = partial(energy_account, at=at, given_e=expectation is Expectation.GIVEN_E)
    ledgers.append(_ledger(ENERGY, ENERGY_UNIT, function, expectation, collision))
    return Accounts(tuple(ledgers), _joint_test(collision, tuple(ledgers)), found, collision)


def _joint_test(collision: CollisionInputs, ledgers: tuple[Ledger, ...]) -> JointJudgement | None:
    """Test the unaccounted momentum of all axes at once: dᵀ U⁻¹ d against Hotelling's T² (JCGM
    102:2011, 7.4).
    """
    from scipy.special import fdtrc, ndtri

    at = collision.encounter
    vector = [
        led for led in ledgers if led.law != ENERGY and led.expectation is Expectation.CONSERVED
    ]
    if len(vector) < 2:
        return None

    def all_axes(q: Values) -> dict[str, Any]:
        return {axis: momentum_account(q, at, axis)[Total.UNACCOUNTED] for axis in at.axes}

    joint = propagate(all_axes, collision.inputs).joint
    covariance = joint.covariance
    spread = np.linalg.eigvalsh(covariance)
    if not spread[0] > spread[-1] * len(spread) * np.finfo(float).eps:  # true for NaN too
        return None  # one axis tells nothing that the other does not
    chi_squared = float(joint.values @ np.linalg.solve(covariance, joint.values))
    size, dof = len(joint.values), _pooled_dof(joint)
    if np.isinf(dof):
        dof = 1e9
    scaled = chi_squared * (dof - size + 1.0) / (dof * size) if dof > size else chi_squared / size
    p = float(fdtrc(size, max(dof - size + 1.0, 1.0), scaled))
    z = float(-ndtri(p / 2.0)) if p > 1e-300 else equivalent_z(float(np.sqrt(chi_squared)), dof)
    rough = any(led.judgement.verdict is Verdict.TOO_ROUGH for led in vector)
    verdict = Verdict.TOO_ROUGH if rough else verdict_of(z)
    return JointJudgement(at.axes, chi_squared, p, z, verdict)


def _pooled_dof(joint: JointScalars) -> float:
    return min(joint.dof(name) for name in joint.names)


@lru_cache(maxsize=4)
def restitution_of(collision: CollisionInputs) -> Scalar | None:
    """Return the coefficient of restitution, or None where it is not defined; masses do not matter
    to it.

    Not defined: other than two bodies, no clear contact, no line of centres, or no clear approach
    along it, as in a push-off: a ratio to a speed that may be zero has no finite interval (Fieller,
    J. R. Stat. Soc. B 16, 175, 1954).
    """
    at = collision.encounter
    if len(at.bodies) != 2 or at.timer is None:
        return None
    with np.errstate(all="ignore"):
        found = Results(partial(restitution, at=at), collision.inputs)
        approach = found[Total.APPROACH]
        wide = WIDEST * approach.u
        if not approach.value > CLEAR_APPROACH * wide:  # else it is clear for any ν, without SciPy
            wide = approach.k95 * approach.u
        if not approach.value > CLEAR_APPROACH * wide:
            return None
        e = found[Total.RESTITUTION]
    return e if np.isfinite(e.value) and np.isfinite(e.u) else None
