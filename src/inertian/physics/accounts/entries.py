"""What comes from outside in a period of an account, as plain functions of named inputs, in SI,
analytic in each: forces of `force_laws` integrated from date to date.
"""

from dataclasses import dataclass
from typing import Any, Protocol

import numpy as np

from inertian.physics.accounts.account_inputs import (
    DateValue,
    FactOf,
    InputKey,
    Integral,
    MassOf,
    Through,
    Values,
)
from inertian.physics.accounts.forms import (
    GRAVITY,
    INCLINE,
    SPRING,
    SPRING_REST,
    STIFFNESS,
    Form,
    SpringForm,
)
from inertian.physics.definitions.force_laws import (
    linear_drag,
    normal_force,
    quadratic_drag,
    rolling_resistance,
    sliding_friction,
    spring_force,
    weight_along,
)

GAUGE, FRICTION, WEIGHT = "impulse of the gauge", "sliding friction", "weight"
GAUGE_WORK, ROLLS, AIR = "work of the gauge", "rolling resistance", "air resistance"
PUSH, PUSH_FACT = "push", "F_p"
FRICTION_FACT, ROLLING_FACT, LINEAR_FACT, QUADRATIC_FACT = "μ", "c_r", "b", "c"
SLOWING = "deceleration by friction"
PUSHED_RATE = "acceleration while it is pushed"
RECORDED, TURNED = "the recorded force", ", turned: it counts the other way"


class EntryRule(Protocol):
    """What comes from outside in a period."""

    @property
    def name(self) -> str:
        """What it is called."""

    @property
    def source(self) -> str:
        """Where its number comes from, in words."""

    def needs(self, period: int) -> tuple[InputKey, ...]:
        """Return the inputs it needs in a period."""

    def amount(self, q: Values, period: int) -> Any:
        """Return the amount of a period, in the unit of the account."""


@dataclass(frozen=True)
class Recorded:
    """The impulse, or the work, of a recorded force; `sign` is −1 where the gauge counts the other
    way.
    """

    body: str
    axis: str
    sign: float = 1.0
    what: Integral = Integral.IMPULSE
    source: str = RECORDED

    @property
    def name(self) -> str:
        """See `EntryRule`."""
        return GAUGE if self.what is Integral.IMPULSE else GAUGE_WORK

    def needs(self, period: int) -> tuple[InputKey, ...]:
        """See `EntryRule`."""
        return (Through(self.what, self.body, self.axis, period),)

    def amount(self, q: Values, period: int) -> Any:
        """See `EntryRule`; in N·s, or J."""
        return self.sign * q[Through(self.what, self.body, self.axis, period)]


@dataclass(frozen=True)
class Resistance:
    """The work, or with an axis the impulse along it, of what slows a body down: sliding friction
    or rolling resistance over the way that it goes, with the force that presses it to the ground;
    or drag.
    """

    body: str
    symbol: str  # of the coefficient
    inclined: bool
    source: str
    axis: str = ""

    @property
    def name(self) -> str:
        """See `EntryRule`."""
        return {FRICTION_FACT: FRICTION, ROLLING_FACT: ROLLS}.get(self.symbol, AIR)

    def _through(self, period: int) -> tuple[InputKey, ...]:
        """What it is summed up by: the way, or the direction of motion; of drag the speed."""
        if not self.axis:
            what = {LINEAR_FACT: Integral.SQUARE, QUADRATIC_FACT: Integral.CUBE}
            return (Through(what.get(self.symbol, Integral.PATH), self.body, "", period),)
        if self.symbol == LINEAR_FACT:
            dates = (period, period + 1)
            return tuple(DateValue(0, self.body, self.axis, date) for date in dates)
        square = self.symbol == QUADRATIC_FACT
        what_along = Integral.SIGNED_SQUARE if square else Integral.DIRECTION
        return (Through(what_along, self.body, self.axis, period),)

    def needs(self, period: int) -> tuple[InputKey, ...]:
        """See `EntryRule`."""
        found = (FactOf(self.symbol, self.body), *self._through(period))
        if self.symbol in (LINEAR_FACT, QUADRATIC_FACT):
            return found
        tilt = (FactOf(INCLINE),) if self.inclined else ()
        return (*found, MassOf(self.body), FactOf(GRAVITY), *tilt)

    def amount(self, q: Values, period: int) -> Any:
        """See `EntryRule`; in J, or N·s."""
        coefficient, summed = q[FactOf(self.symbol, self.body)], self._through(period)
        along = q[summed[1]] - q[summed[0]] if len(summed) > 1 else q[summed[0]]
        if self.symbol == LINEAR_FACT:
            return linear_drag(coefficient, along)
        if self.symbol == QUADRATIC_FACT:
            return quadratic_drag(coefficient, along)
        tilt = q[FactOf(INCLINE)] if self.inclined else 0.0
        law = sliding_friction if self.symbol == FRICTION_FACT else rolling_resistance
        return law(coefficient, normal_force(q[MassOf(self.body)], q[FactOf(GRAVITY)], tilt), along)


@dataclass(frozen=True)
class SlowedDown:
    """The work −m f s, or with an axis the impulse −m f ∫ cos dt along it, of friction that is
    known by the deceleration f it gives; on an incline f cos θ where it was seen on the level.
    """

    body: str
    axis: str = ""
    from_level: bool = False
    source: str = "the difference of the accelerations up and down"
    name: str = FRICTION

    def _through(self, period: int) -> Through:
        what = Integral.DIRECTION if self.axis else Integral.PATH
        return Through(what, self.body, self.axis, period)

    def needs(self, period: int) -> tuple[InputKey, ...]:
        """See `EntryRule`."""
        tilt = (FactOf(INCLINE),) if self.from_level else ()
        return MassOf(self.body), FactOf(SLOWING, self.body), *tilt, self._through(period)

    def amount(self, q: Values, period: int) -> Any:
        """See `EntryRule`; in J, or N·s."""
        pressed = np.cos(q[FactOf(INCLINE)]) if self.from_level else 1.0
        slowed = q[FactOf(SLOWING, self.body)] * pressed
        return sliding_friction(slowed, q[MassOf(self.body)], q[self._through(period)])


@dataclass(frozen=True)
class WeightImpulse:
    """The impulse of the weight along an axis, through a period of known length in s."""

    body: str
    lengths: tuple[float, ...]
    upwards: float = 1.0
    inclined: bool = False
    source: str = "mass and gravity"
    name: str = WEIGHT

    def needs(self, period: int) -> tuple[InputKey, ...]:
        """See `EntryRule`."""
        tilt = (FactOf(INCLINE),) if self.inclined else ()
        return (MassOf(self.body), FactOf(GRAVITY), *tilt)

    def amount(self, q: Values, period: int) -> Any:
        """See `EntryRule`; in kg·m/s."""
        tilt = q[FactOf(INCLINE)] if self.inclined else 0.5 * np.pi
        force = weight_along(q[MassOf(self.body)], q[FactOf(GRAVITY)], tilt)
        return self.upwards * force * self.lengths[period]


@dataclass(frozen=True)
class StoredWork:
    """The work of the weight or of a spring: what is stored less at the end of a period. For an
    account that does not have it as a form, as nothing is counted twice.
    """

    form: Form

    @property
    def name(self) -> str:
        """See `EntryRule`."""
        return SPRING if isinstance(self.form, SpringForm) else WEIGHT

    @property
    def source(self) -> str:
        """See `EntryRule`."""
        return f"{self.form.name} at both dates"

    def needs(self, period: int) -> tuple[InputKey, ...]:
        """See `EntryRule`."""
        return (*self.form.needs(period), *self.form.needs(period + 1))

    def amount(self, q: Values, period: int) -> Any:
        """See `EntryRule`; in J."""
        return self.form.amount(q, period) - self.form.amount(q, period + 1)


@dataclass(frozen=True)
class SpringImpulse:
    """The impulse −k ∫ (x − x₀) dt of a spring that pulls and pushes along an axis, through a
    period of known length in s.
    """

    body: str
    axis: str
    lengths: tuple[float, ...]
    source: str = "spring constant and way"
    name: str = SPRING

    def needs(self, period: int) -> tuple[InputKey, ...]:
        """See `EntryRule`."""
        places = Through(Integral.PLACE, self.body, self.axis, period)
        return FactOf(STIFFNESS), FactOf(SPRING_REST), places

    def amount(self, q: Values, period: int) -> Any:
        """See `EntryRule`; in N·s."""
        places = q[Through(Integral.PLACE, self.body, self.axis, period)]
        stretched = places - q[FactOf(SPRING_REST)] * self.lengths[period]
        return spring_force(q[FactOf(STIFFNESS)], stretched)


@dataclass(frozen=True)
class Push:
    """The work, or the impulse, of a constant force along an axis while it acts."""

    body: str
    axis: str
    energy: bool
    source: str = "the force that was typed"
    name: str = PUSH

    def _through(self, period: int) -> Through:
        what = Integral.PUSHED_WAY if self.energy else Integral.PUSHED_TIME
        return Through(what, self.body, self.axis, period)

    def needs(self, period: int) -> tuple[InputKey, ...]:
        """See `EntryRule`."""
        return FactOf(PUSH_FACT, self.body), self._through(period)

    def amount(self, q: Values, period: int) -> Any:
        """See `EntryRule`; in J, or N·s."""
        return q[FactOf(PUSH_FACT, self.body)] * q[self._through(period)]
