"""What comes from outside in a period of an account, as plain functions of named inputs, in SI,
analytic in each: forces of `force_laws` integrated from date to date.
"""

from dataclasses import dataclass
from typing import Any, Protocol

import numpy as np

from inertian.physics.accounts.account_inputs import (
    CLOSING,
    OPENING,
    ContactInput,
    DateValue,
    FactOf,
    InputKey,
    Integral,
    MassOf,
    RubbedInside,
    Through,
    Values,
)
from inertian.physics.accounts.encounters import (
    Encounter,
    at_contact,
    closing_speed,
    contact_moment,
    restitution_loss,
    velocities,
)
from inertian.physics.accounts.forms import GRAVITY, INCLINE, kinetic_energy, momentum, square
from inertian.physics.definitions.force_laws import (
    linear_drag,
    normal_force,
    quadratic_drag,
    rolling_resistance,
    sliding_friction,
    weight_along,
)

OUTSIDE, GIVEN_LOSS = "outside forces", "into other forms, by e"
GAUGE, FRICTION, WEIGHT = "impulse of the gauge", "sliding friction", "weight"
GAUGE_WORK, ROLLS, AIR = "work of the gauge", "rolling resistance", "air resistance"
FRICTION_FACT, ROLLING_FACT, LINEAR_FACT, QUADRATIC_FACT = "μ", "c_r", "b", "c"
SLOWING = "deceleration by friction"
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


def _motion_keys(bodies: tuple[str, ...], axes: tuple[str, ...]) -> tuple[InputKey, ...]:
    return tuple(
        DateValue(order, b, axis, date)
        for b in bodies
        for axis in axes
        for order in range(3)
        for date in (OPENING, CLOSING)
    )


@dataclass(frozen=True)
class ContactForces:
    """What outside forces change from the opening of a contact to it, with the acceleration before
    it, and from there to its closing with the one after it: of momentum along an axis, or of
    kinetic energy where the axis is "".

    In an interaction without touch it is what friction changes along the way inside.
    """

    at: Encounter
    axis: str
    source: str = "accelerations of the free motions"
    name: str = OUTSIDE

    def needs(self, period: int) -> tuple[InputKey, ...]:
        """See `EntryRule`."""
        masses = tuple(MassOf(b) for b in self.at.bodies)
        if not self.at.touching:
            return (*masses, *(RubbedInside(b, self.axis) for b in self.at.bodies))
        wait = (ContactInput.WAIT,) if self.at.timer is None else ()
        return (*masses, *wait, *_motion_keys(self.at.bodies, self.at.axes))

    def amount(self, q: Values, period: int) -> Any:
        """See `EntryRule`; in kg·m/s, or J."""
        total: Any = 0.0
        moment = contact_moment(q, self.at) if self.at.touching else None
        for b in self.at.bodies:
            m = q[MassOf(b)]
            if moment is None:
                total = total + m * q[RubbedInside(b, self.axis)]
            elif self.axis:
                v1, v2 = velocities(q, b, self.axis)
                in1, in2 = at_contact(q, self.at, moment, b, self.axis)
                total = total + momentum(m, in1 - v1) + momentum(m, v2 - in2)
            else:
                total = total + self._work(q, moment, b)
        return total

    def _work(self, q: Values, moment: Any, body: str) -> Any:
        """The change of ½mv² along the free motions, opening → contact and contact → closing."""
        ends = [velocities(q, body, axis) for axis in self.at.axes]
        inside = [at_contact(q, self.at, moment, body, axis) for axis in self.at.axes]
        e1, e2, in1, in2 = (
            kinetic_energy(q[MassOf(body)], square([pair[k] for pair in pairs]))
            for pairs in (ends, inside)
            for k in (0, 1)
        )
        return (in1 - e1) + (e2 - in2)


@dataclass(frozen=True)
class ContactTorque:
    """What outside forces change of the angular momentum about a centre, from the opening of a
    contact to it where the bodies then are, and from there to its closing.
    """

    at: Encounter
    centre: tuple[float, float] = (0.0, 0.0)
    source: str = "accelerations of the free motions"
    name: str = OUTSIDE

    def needs(self, period: int) -> tuple[InputKey, ...]:
        """See `EntryRule`."""
        wait = (ContactInput.WAIT,) if self.at.timer is None else ()
        masses = tuple(MassOf(b) for b in self.at.bodies)
        return (*masses, *wait, *_motion_keys(self.at.bodies, self.at.axes))

    def amount(self, q: Values, period: int) -> Any:
        """See `EntryRule`; in kg·m²/s."""
        total: Any = 0.0
        moment = contact_moment(q, self.at)
        for b in self.at.bodies:
            changes = []
            for axis in "xy":
                v1, v2 = velocities(q, b, axis)
                in1, in2 = at_contact(q, self.at, moment, b, axis)
                changes.append((in1 - v1, v2 - in2))
            for date in (OPENING, CLOSING):
                x, y = (
                    q[DateValue(0, b, axis, date)] - c
                    for axis, c in zip("xy", self.centre, strict=True)
                )
                total = total + q[MassOf(b)] * (x * changes[1][date] - y * changes[0][date])
        return total


@dataclass(frozen=True)
class GivenRestitution:
    """The kinetic energy that a hit of two bodies with a given restitution turns into other
    forms.
    """

    at: Encounter
    source: str = "the restitution that is given"
    name: str = GIVEN_LOSS

    def needs(self, period: int) -> tuple[InputKey, ...]:
        """See `EntryRule`."""
        return (ContactInput.RESTITUTION, *_motion_keys(self.at.bodies, self.at.axes))

    def amount(self, q: Values, period: int) -> Any:
        """See `EntryRule`; in J."""
        m1, m2 = (q[MassOf(b)] for b in self.at.bodies)
        approach = closing_speed(q, self.at)[0]
        return -restitution_loss(m1, m2, q[ContactInput.RESTITUTION], approach)


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
    """The work of what slows a body down: sliding friction or rolling resistance over the way that
    it goes, with the force that presses it to the ground; or drag.
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

    @property
    def _along(self) -> Through:
        what = {LINEAR_FACT: Integral.SQUARE, QUADRATIC_FACT: Integral.CUBE}
        return Through(what.get(self.symbol, Integral.PATH), self.body, "", 0)

    def needs(self, period: int) -> tuple[InputKey, ...]:
        """See `EntryRule`."""
        found = (FactOf(self.symbol), self._along._replace(period=period))
        if self.symbol in (LINEAR_FACT, QUADRATIC_FACT):
            return found
        tilt = (FactOf(INCLINE),) if self.inclined else ()
        return (*found, MassOf(self.body), FactOf(GRAVITY), *tilt)

    def amount(self, q: Values, period: int) -> Any:
        """See `EntryRule`; in J."""
        coefficient, along = q[FactOf(self.symbol)], q[self._along._replace(period=period)]
        if self.symbol == LINEAR_FACT:
            return linear_drag(coefficient, along)
        if self.symbol == QUADRATIC_FACT:
            return quadratic_drag(coefficient, along)
        tilt = q[FactOf(INCLINE)] if self.inclined else 0.0
        law = sliding_friction if self.symbol == FRICTION_FACT else rolling_resistance
        return law(coefficient, normal_force(q[MassOf(self.body)], q[FactOf(GRAVITY)], tilt), along)


@dataclass(frozen=True)
class SlowedDown:
    """The work −m f s of friction that is known by the deceleration f it gives over a way s."""

    body: str
    source: str = "the difference of the accelerations up and down"
    name: str = FRICTION

    def needs(self, period: int) -> tuple[InputKey, ...]:
        """See `EntryRule`."""
        path = Through(Integral.PATH, self.body, "", period)
        return MassOf(self.body), FactOf(SLOWING, self.body), path

    def amount(self, q: Values, period: int) -> Any:
        """See `EntryRule`; in J."""
        path = q[Through(Integral.PATH, self.body, "", period)]
        return -q[MassOf(self.body)] * q[FactOf(SLOWING, self.body)] * path


@dataclass(frozen=True)
class FreeChange:
    """What outside forces change of bodies that move freely between contacts, as their fits have
    it: of momentum along an axis, or of kinetic energy along all axes.

    `short` are periods of a contact, in which each body is changed by its accelerations before and
    after it, for half of the time each; `lengths` are those of the periods in s.
    """

    bodies: tuple[str, ...]
    axes: tuple[str, ...]
    energy: bool
    lengths: tuple[float, ...]
    short: tuple[bool, ...]
    source: str = "accelerations of the free motions"
    name: str = OUTSIDE

    def needs(self, period: int) -> tuple[InputKey, ...]:
        """See `EntryRule`."""
        orders = (1, 2) if self.short[period] else (1,)
        rates = (
            DateValue(order, b, axis, date)
            for b in self.bodies
            for axis in self.axes
            for order in orders
            for date in (period, period + 1)
        )
        return (*(MassOf(b) for b in self.bodies), *rates)

    def amount(self, q: Values, period: int) -> Any:
        """See `EntryRule`; in kg·m/s, or J."""
        total: Any = 0.0
        half = 0.5 * self.lengths[period]
        for b in self.bodies:
            for axis in self.axes:
                v1, v2 = (q[DateValue(1, b, axis, date)] for date in (period, period + 1))
                weights = (v1, v2) if self.energy else (1.0, 1.0)
                if self.short[period]:
                    a1, a2 = (q[DateValue(2, b, axis, date)] for date in (period, period + 1))
                    changed = half * (weights[0] * a1 + weights[1] * a2)
                else:
                    changed = 0.5 * (v2 * v2 - v1 * v1) if self.energy else v2 - v1
                total = total + q[MassOf(b)] * changed
        return total


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
