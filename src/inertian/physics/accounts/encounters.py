"""A contact of bodies as plain NumPy functions of named inputs, in SI, analytic in each: when it
is, what outside forces change meanwhile, and its restitution.
"""

from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache
from typing import Any

import numpy as np

from inertian.physics.accounts.account_inputs import (
    CLOSING,
    OPENING,
    ContactInput,
    DateValue,
    Values,
)


class Impact(StrEnum):
    """What is said of an impact: its restitution, and the speed in m/s at which bodies approach."""

    RESTITUTION = "e"
    APPROACH = "approach"


@dataclass(frozen=True)
class Encounter:
    """The fixed facts of one contact that the laws need: bodies, axes, instants, and whose motion
    times the contact.

    `timer` is the body whose velocity changed most clearly; its two free motions meet at the moment
    of contact. None: no change stands out, so the moment is the middle of the span plus the input
    `wait`. An interaction without touch has no such moment: there, friction is given as measured.
    """

    bodies: tuple[str, ...]
    axes: tuple[str, ...]
    opening: float
    closing: float
    timer: str | None
    touching: bool = True
    first: int = OPENING  # the date it opens at; it closes at the next

    @property
    def middle(self) -> float:
        """The middle of the contact span in s."""
        return 0.5 * (self.opening + self.closing)


def restitution_loss(m1: Any, m2: Any, e: Any, approach: Any) -> Any:
    """Return the kinetic energy ½ μ (1 − e²) u² in J that a hit with restitution e turns into other
    forms.

    μ is the reduced mass and u the approach speed along the line of centres (Goldsmith, Impact,
    1960, ch. 1).
    """
    return 0.5 * m1 * m2 / (m1 + m2) * (1.0 - e * e) * approach * approach


def contact_moment(q: Values, at: Encounter) -> Any:
    """Return the time in s at which the free motions before and after meet, kept inside the contact
    span.

    From x_before(t) = x_after(t) along the change of velocity of the timing body, at second order
    about the middle.
    """
    if at.timer is None:
        return at.middle + q[ContactInput.WAIT]
    half = 0.5 * (at.closing - at.opening)
    apart: Any = 0.0
    kick2: Any = 0.0
    for axis in at.axes:
        x1, v1, a1 = _motion(q, at.timer, axis, at.first)
        x2, v2, a2 = _motion(q, at.timer, axis, at.first + 1)
        before, after = x1 + v1 * half + 0.5 * a1 * half**2, x2 - v2 * half + 0.5 * a2 * half**2
        kick = (v2 - a2 * half) - (v1 + a1 * half)
        apart = apart + (after - before) * kick
        kick2 = kick2 + kick * kick
    away = -apart / kick2
    return at.middle + np.where(np.abs(np.real(away)) <= half, away, half * np.sign(np.real(away)))


def _motion(q: Values, body: str, axis: str, date: int) -> tuple[Any, Any, Any]:
    """Position, velocity and acceleration of a body at an instant."""
    x, v, a = _keys(body, axis, date)
    return q[x], q[v], q[a]


@lru_cache(maxsize=256)
def _keys(body: str, axis: str, date: int) -> tuple[DateValue, DateValue, DateValue]:
    return (
        DateValue(0, body, axis, date),
        DateValue(1, body, axis, date),
        DateValue(2, body, axis, date),
    )


def velocities(q: Values, body: str, axis: str) -> tuple[Any, Any]:
    """Return the velocities of a body in m/s at the opening and at the closing instant."""
    return q[_keys(body, axis, OPENING)[1]], q[_keys(body, axis, CLOSING)[1]]


def at_contact(q: Values, at: Encounter, moment: Any, body: str, axis: str) -> tuple[Any, Any]:
    """Return the velocities in m/s just before and just after the contact at a moment in s, carried
    there along the free motions.
    """
    _, v1, a1 = _motion(q, body, axis, at.first)
    _, v2, a2 = _motion(q, body, axis, at.first + 1)
    return v1 + a1 * (moment - at.opening), v2 - a2 * (at.closing - moment)


def _beside(q: Values, at: Encounter, moment: Any, body: str, axis: str) -> tuple[Any, Any]:
    """The velocities just before and just after a contact; of an interaction those at its edges."""
    return at_contact(q, at, moment, body, axis) if at.touching else velocities(q, body, axis)


def closing_speed(q: Values, at: Encounter) -> tuple[Any, Any]:
    """Return the relative velocities of two bodies in m/s along the line of centres, just before
    and just after the contact; of one body those along its change of velocity.
    """
    moment: Any = contact_moment(q, at) if at.touching else at.opening
    line, length2 = _line(q, at, moment)
    before: Any = 0.0
    after: Any = 0.0
    for axis in at.axes:
        cosine = line[axis] / np.sqrt(length2)
        for sign, body in zip((-1.0, 1.0), reversed(at.bodies[:2]), strict=False):
            one, two = _beside(q, at, moment, body, axis)
            before, after = before - sign * one * cosine, after - sign * two * cosine
    return before, after


def _line(q: Values, at: Encounter, moment: Any) -> tuple[dict[str, Any], Any]:
    """The line from the first to the second body at a moment, and the square of its length; of one
    body the way it is driven.
    """
    line: dict[str, Any] = {}
    for axis in at.axes:
        if len(at.bodies) == 1:
            before, after = _beside(q, at, moment, at.bodies[0], axis)
            line[axis] = after - before
            continue
        ends = []
        for b in at.bodies:
            x, v, a = _motion(q, b, axis, OPENING)
            wait = moment - at.opening
            ends.append(x + v * wait + 0.5 * a * wait**2)
        line[axis] = ends[1] - ends[0]
    length2: Any = 0.0
    for part in line.values():
        length2 = length2 + part * part
    return line, length2


def restitution(q: Values, at: Encounter) -> dict[Any, Any]:
    """Return e = −(relative velocity after)/(before) along the line of centres at contact (Newton's
    law of impact), and the speed in m/s at which the bodies approach: negative if they part.
    """
    before, after = closing_speed(q, at)
    return {Impact.RESTITUTION: -after / before, Impact.APPROACH: -before}
