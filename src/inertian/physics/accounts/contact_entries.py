"""What outside forces change in contacts, and of free motion between them, as entries of accounts:
plain functions of named inputs, in SI, analytic in each.
"""

from dataclasses import dataclass
from typing import Any

from inertian.physics.accounts.account_inputs import (
    CLOSING,
    OPENING,
    ContactInput,
    DateValue,
    InputKey,
    MassOf,
    RubbedInside,
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
from inertian.physics.accounts.forms import (
    ANGLE,
    TurningForm,
    kinetic_energy,
    momentum,
    square,
)

OUTSIDE, GIVEN_LOSS = "outside forces", "into other forms, by e"


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
class TurningChange:
    """What friction changes of the angular momentum, or the energy, of a body that turns: all of it
    where it turns freely, and in periods of a contact (`short`) what its angular accelerations
    before and after would change, for half of the time each; `lengths` are those of the periods
    in s.
    """

    form: TurningForm
    lengths: tuple[float, ...]
    short: tuple[bool, ...]
    source: str = "accelerations of the free motions"
    name: str = OUTSIDE

    def needs(self, period: int) -> tuple[InputKey, ...]:
        """See `EntryRule`."""
        dates = (period, period + 1)
        found = tuple(key for date in dates for key in self.form.needs(date))
        if not self.short[period]:
            return found
        bends = (DateValue(2, self.form.body, ANGLE, date) for date in dates)
        return (*found, *bends)

    def amount(self, q: Values, period: int) -> Any:
        """See `EntryRule`; in kg·m²/s, or J."""
        form, dates = self.form, (period, period + 1)
        if not self.short[period]:
            return form.amount(q, period + 1) - form.amount(q, period)
        total: Any = 0.0
        for date in dates:
            torque = form.inertia(q, date) * q[DateValue(2, form.body, ANGLE, date)]
            rate = q[DateValue(1, form.body, ANGLE, date)] if form.energy else 1.0
            total = total + 0.5 * self.lengths[period] * torque * rate
        return total
