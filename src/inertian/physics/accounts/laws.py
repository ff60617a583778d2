"""The laws of a collision as plain NumPy functions of named inputs, in SI, analytic in each.

First-order propagation, Monte Carlo and tests all call these functions.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from enum import Enum, StrEnum
from functools import lru_cache
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

Values = Mapping[Any, NDArray[Any]]
Results = dict[Any, Any]
FRICTION, GIVEN_LOSS = "outside forces", "into other forms, by e"


class Edge(StrEnum):
    """The two instants between which a contact is accounted for."""

    OPENING = "opening"
    CLOSING = "closing"
    __hash__ = str.__hash__  # keys are looked up thousands of times while an edge is dragged


class EdgeValue(NamedTuple):
    """An input: position (order 0), velocity (1) or free acceleration (2) of a body at an
    instant.
    """

    order: int
    body: str
    axis: str
    edge: Edge


class MassOf(NamedTuple):
    """An input: the mass of a body."""

    body: str


class RubbedInside(NamedTuple):
    """An input: what friction changes of a body's velocity along an axis in an interaction without
    touch; of its kinetic energy per kg where the axis is "".
    """

    body: str
    axis: str


class ContactInput(Enum):
    """Inputs of which there is one: the restitution that is given, and where in the span a contact
    is.

    The latter counts from the middle in s, where the motion itself does not tell.
    """

    RESTITUTION = "e"
    WAIT = "wait"


class Total(StrEnum):
    """Results that are of all bodies together."""

    OPENING = "opening"
    CLOSING = "closing"
    EXPECTED = "expected"
    UNACCOUNTED = "unaccounted"
    RESTITUTION = "e"
    APPROACH = "approach"
    __hash__ = str.__hash__


class AmountOf(NamedTuple):
    """A result: what one body has at an instant."""

    edge: Edge
    body: str


class EntryOf(NamedTuple):
    """A result: what came from outside, by name."""

    name: str


def momentum(m: Any, v: Any) -> Any:
    """Return m v in kg·m/s."""
    return m * v


def kinetic_energy(m: Any, v2: Any) -> Any:
    """Return ½ m v² in J, from the square of the speed."""
    return 0.5 * m * v2


def restitution_loss(m1: Any, m2: Any, e: Any, approach: Any) -> Any:
    """Return the kinetic energy ½ μ (1 − e²) u² in J that a hit with restitution e turns into other
    forms.

    μ is the reduced mass and u the approach speed along the line of centres (Goldsmith, Impact,
    1960, ch. 1).
    """
    return 0.5 * m1 * m2 / (m1 + m2) * (1.0 - e * e) * approach * approach


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

    @property
    def middle(self) -> float:
        """The middle of the contact span in s."""
        return 0.5 * (self.opening + self.closing)


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
        x1, v1, a1 = _motion(q, at.timer, axis, Edge.OPENING)
        x2, v2, a2 = _motion(q, at.timer, axis, Edge.CLOSING)
        before, after = x1 + v1 * half + 0.5 * a1 * half**2, x2 - v2 * half + 0.5 * a2 * half**2
        kick = (v2 - a2 * half) - (v1 + a1 * half)
        apart = apart + (after - before) * kick
        kick2 = kick2 + kick * kick
    away = -apart / kick2
    return at.middle + np.where(np.abs(np.real(away)) <= half, away, half * np.sign(np.real(away)))


def _motion(q: Values, body: str, axis: str, edge: Edge) -> tuple[Any, Any, Any]:
    """Position, velocity and acceleration of a body at an instant."""
    x, v, a = _keys(body, axis, edge)
    return q[x], q[v], q[a]


@lru_cache(maxsize=256)
def _keys(body: str, axis: str, edge: Edge) -> tuple[EdgeValue, EdgeValue, EdgeValue]:
    return (
        EdgeValue(0, body, axis, edge),
        EdgeValue(1, body, axis, edge),
        EdgeValue(2, body, axis, edge),
    )


def _velocities(q: Values, body: str, axis: str) -> tuple[Any, Any]:
    """The velocities of a body at the opening and at the closing instant."""
    opening, closing = _keys(body, axis, Edge.OPENING)[1], _keys(body, axis, Edge.CLOSING)[1]
    return q[opening], q[closing]


def _at_contact(q: Values, at: Encounter, moment: Any, body: str, axis: str) -> tuple[Any, Any]:
    """The velocities just before and just after the contact, carried there along the free
    motions.
    """
    _, v1, a1 = _motion(q, body, axis, Edge.OPENING)
    _, v2, a2 = _motion(q, body, axis, Edge.CLOSING)
    return v1 + a1 * (moment - at.opening), v2 - a2 * (at.closing - moment)


def _beside(q: Values, at: Encounter, moment: Any, body: str, axis: str) -> tuple[Any, Any]:
    """The velocities just before and just after a contact; of an interaction those at its edges."""
    return _at_contact(q, at, moment, body, axis) if at.touching else _velocities(q, body, axis)


def momentum_account(q: Values, at: Encounter, axis: str) -> Results:
    """Return the momentum ledger along one axis, in kg·m/s: bodies, totals, impulse of outside
    forces, unaccounted.

    Outside forces act from the opening instant to the contact with the acceleration before it, and
    from there to the closing instant with the one after it.
    """
    opened, closed, outside = {}, {}, 0.0
    moment = contact_moment(q, at) if at.touching else None
    for b in at.bodies:
        m = q[MassOf(b)]
        v1, v2 = _velocities(q, b, axis)
        opened[AmountOf(Edge.OPENING, b)] = momentum(m, v1)
        closed[AmountOf(Edge.CLOSING, b)] = momentum(m, v2)
        if moment is None:
            outside = outside + momentum(m, q[RubbedInside(b, axis)])
            continue
        in1, in2 = _at_contact(q, at, moment, b, axis)
        outside = outside + momentum(m, in1 - v1) + momentum(m, v2 - in2)
    return _account(opened, closed, {FRICTION: outside})


def energy_account(q: Values, at: Encounter, given_e: bool) -> Results:
    """Return the kinetic-energy ledger in J; with `given_e`, the loss that input `e` implies is an
    entry.

    The work of outside forces is the change of ½mv² along the free motions, opening → contact and
    contact → closing; in an interaction without touch it is that along the path.
    """
    opened, closed = {}, {}
    outside: Any = 0.0
    moment = contact_moment(q, at) if at.touching else None
    for b in at.bodies:
        m = q[MassOf(b)]
        squares: list[Any] = [0.0, 0.0, 0.0, 0.0]
        for axis in at.axes:
            v1, v2 = _velocities(q, b, axis)
            inside = (v1, v2) if moment is None else _at_contact(q, at, moment, b, axis)
            squares = [s + v * v for s, v in zip(squares, (v1, v2, *inside), strict=True)]
        e1, e2, in1, in2 = (kinetic_energy(m, s) for s in squares)
        opened[AmountOf(Edge.OPENING, b)], closed[AmountOf(Edge.CLOSING, b)] = e1, e2
        if moment is None:
            outside = outside + m * q[RubbedInside(b, "")]
        else:
            outside = outside + (in1 - e1) + (e2 - in2)
    entries = {FRICTION: outside}
    if given_e:
        m1, m2 = (q[MassOf(b)] for b in at.bodies)
        entries[GIVEN_LOSS] = -restitution_loss(
            m1, m2, q[ContactInput.RESTITUTION], _closing_speed(q, at)[0]
        )
    return _account(opened, closed, entries)


def _account(opened: Results, closed: Results, entries: Results) -> Results:
    opening, closing = sum(opened.values()), sum(closed.values())
    expected = opening + sum(entries.values())
    named = {EntryOf(name): value for name, value in entries.items()}
    totals = {
        Total.OPENING: opening,
        Total.CLOSING: closing,
        Total.EXPECTED: expected,
        Total.UNACCOUNTED: closing - expected,
    }
    return {**opened, **closed, **named, **totals}


def _closing_speed(q: Values, at: Encounter) -> tuple[Any, Any]:
    """The relative velocities of the two bodies along the line of centres, just before and just
    after the contact.
    """
    first, second = at.bodies
    moment: Any = contact_moment(q, at) if at.touching else at.opening
    line, length2 = {}, 0.0
    for axis in at.axes:
        ends = []
        for b in (first, second):
            x, v, a = _motion(q, b, axis, Edge.OPENING)
            wait = moment - at.opening
            ends.append(x + v * wait + 0.5 * a * wait**2)
        line[axis] = ends[1] - ends[0]
        length2 = length2 + line[axis] * line[axis]
    before: Any = 0.0
    after: Any = 0.0
    for axis in at.axes:
        a1, a2 = _beside(q, at, moment, first, axis)
        b1, b2 = _beside(q, at, moment, second, axis)
        cosine = line[axis] / np.sqrt(length2)
        before, after = before + (b1 - a1) * cosine, after + (b2 - a2) * cosine
    return before, after


def restitution(q: Values, at: Encounter) -> Results:
    """Return e = −(relative velocity after)/(before) along the line of centres at contact (Newton's
    law of impact), and the speed in m/s at which the bodies approach: negative if they part.
    """
    before, after = _closing_speed(q, at)
    return {Total.RESTITUTION: -after / before, Total.APPROACH: -before}


LawFunction = Callable[[Values], Results]
