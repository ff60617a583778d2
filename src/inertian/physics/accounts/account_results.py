"""Named results of an account: ratios, mean forces and coefficients that are made of its amounts,
from the same inputs, so that what cancels, cancels.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from operator import itemgetter
from typing import Any

import numpy as np

from inertian.physics.accounts.account_inputs import (
    CLOSING,
    OPENING,
    ContactInput,
    DateValue,
    FactOf,
    Integral,
    MassOf,
    RubbedInside,
    Through,
    Values,
)
from inertian.physics.accounts.along_track import MOMENTUM_ALONG
from inertian.physics.accounts.encounters import (
    Encounter,
    at_contact,
    contact_moment,
    velocities,
)
from inertian.physics.accounts.entries import (
    FRICTION,
    GAUGE,
    LINEAR_FACT,
    PUSH,
    PUSH_FACT,
    PUSHED_RATE,
    QUADRATIC_FACT,
    SLOWING,
)
from inertian.physics.accounts.events import Event, EventKind
from inertian.physics.accounts.forms import (
    GRAVITY,
    HEIGHT,
    INCLINE,
    KINETIC,
    SPRING,
    RelativeKineticForm,
    square,
)
from inertian.physics.accounts.ledger import (
    ENERGY,
    ENERGY_UNIT,
    MOMENTUM_UNIT,
    Ledger,
    momentum_law,
)
from inertian.physics.accounts.named_results import NamedResults
from inertian.physics.accounts.statements import WHOLE, AmountOf, EntryOf, Unaccounted
from inertian.quantities.coverage import Scalar
from inertian.quantities.estimates import JointScalars
from inertian.quantities.propagation import Results

PREFIX = "impulse of the "
ONE_IS_PUSHED = (
    EventKind.WALL,
    EventKind.BUMPER,
    EventKind.THRUST,
    EventKind.LAUNCH,
    EventKind.TOWED,
)
DRAGS = {LINEAR_FACT: ("linear drag", "kg/s"), QUADRATIC_FACT: ("quadratic drag", "kg/m")}
CLEAR = 2.0  # times its own 95 % interval: what is divided by
Formula = Callable[[Values], Any]


@dataclass(frozen=True)
class ResultRule:
    """A named result: its unit, and its formula of the inputs of the accounts."""

    name: str
    unit: str
    formula: Formula


def results_of(
    event: Event, ledgers: Sequence[Ledger], inputs: JointScalars, at: Encounter | None = None
) -> NamedResults:
    """Return the results that an event has, by name, with their units; those that are not defined
    are left out. `at` is the contact, where there is one.
    """
    beside = _at_contact(at, inputs)
    statement = ledgers[0].statement
    rules = _speeds(statement.bodies, inputs) if len(statement.dates) == 2 else []
    rules += _of_a_hit(event, ledgers, inputs)
    for key in inputs.names:  # coefficients of drag that were fitted
        if isinstance(key, FactOf) and key.symbol in DRAGS and key.body:
            rules.append(ResultRule(*DRAGS[key.symbol], itemgetter(key)))
    for ledger in ledgers:
        if ledger.unit == ENERGY_UNIT:
            rules += _of_energy(event, ledger, inputs)
        elif ledger.unit == MOMENTUM_UNIT:
            rules += _of_momentum(event, ledger, inputs)

    made, found = _worked_out(rules, beside, inputs)
    if event.kind is EventKind.WALL and "mean force" in found:
        length = ledgers[0].closes_at - ledgers[0].opens_at
        found["mean force"] = _of_unsure_length(found["mean force"][0], length, event.step), "N"
    return _defined(made, found)


def results_of_motion(at: Encounter, inputs: JointScalars) -> NamedResults:
    """Return the results of a contact that need no mass: speeds and velocities."""
    return _defined(*_worked_out(_speeds(at.bodies, inputs), _at_contact(at, inputs), inputs))


def _worked_out(
    rules: Sequence[ResultRule], beside: Formula | None, inputs: JointScalars
) -> tuple[Results | None, dict[str, tuple[Scalar, str]]]:
    """All results, by name, with units; None where there are none."""

    def law(q: Values) -> dict[Any, Any]:
        more = {} if beside is None else beside(q)
        return {**{rule.name: rule.formula(q) for rule in rules}, **more}

    if not rules and beside is None:
        return None, {}

    units = {rule.name: rule.unit for rule in rules}
    with np.errstate(all="ignore"):
        made = Results(law, inputs)
        return made, {name: (made[name], units.get(name, "m/s")) for name in made}


def _defined(made: Results | None, found: dict[str, tuple[Scalar, str]]) -> NamedResults:
    """Those that are numbers."""
    if made is None:
        return NamedResults()
    kept = {
        name: (one, unit)
        for name, (one, unit) in found.items()
        if np.isfinite(one.value) and np.isfinite(one.u)
    }
    return NamedResults(kept, {name: (made, name) for name in kept})


def _of_unsure_length(one: Scalar, length: float, step: float) -> Scalar:
    """A mean over a contact of which each end is known to a sample's step, as limits."""
    u = abs(one.value) * np.sqrt(2.0 / 3.0) * step / length
    return Scalar(one.value, float(np.hypot(one.u, u)), one.dof)


def _speeds(bodies: Sequence[str], inputs: JointScalars) -> list[ResultRule]:
    """Speeds, and velocities along the axes, before and after."""
    rules = []
    for body in bodies:
        axes = [a for a in ("x", "y") if DateValue(1, body, a, OPENING) in inputs.names]
        for date, word in ((OPENING, "before"), (CLOSING, "after")):
            keys = tuple(DateValue(1, body, axis, date) for axis in axes)

            def speed(q: Values, keys: tuple[DateValue, ...] = keys) -> Any:
                return np.sqrt(square([q[key] for key in keys]))

            rules.append(ResultRule(f"speed {word} of {body}", "m/s", speed))
            rules += [
                ResultRule(f"velocity {word} of {body} along {key.axis}", "m/s", itemgetter(key))
                for key in keys
            ]
    return rules


def _at_contact(at: Encounter | None, inputs: JointScalars) -> Formula | None:
    """Velocities just before and just after a contact in m/s, and what it changes them by: carried
    to its moment along the free motions, so that friction beside it has no part in them. Of an
    interaction without touch, the change that friction had no part in. All by name.
    """
    if at is None:
        return None
    pairs = [(b, a) for b in at.bodies for a in at.axes if DateValue(1, b, a, 0) in inputs.names]
    if not pairs:
        return None

    def touching(q: Values) -> dict[str, Any]:
        moment, found = contact_moment(q, at), {}
        for body, axis in pairs:
            before, after = at_contact(q, at, moment, body, axis)
            found[f"change of velocity of {body} along {axis}"] = after - before
            found[f"velocity just before contact of {body} along {axis}"] = before
            found[f"velocity just after contact of {body} along {axis}"] = after
        return found

    def apart(q: Values) -> dict[str, Any]:
        found = {}
        for body, axis in pairs:
            before, after = velocities(q, body, axis)
            rubbed = RubbedInside(body, axis)
            after = after - q[rubbed] if rubbed in inputs.names else after
            found[f"change of velocity of {body} along {axis}"] = after - before
        return found

    return touching if at.touching else apart


def _of_a_hit(event: Event, ledgers: Sequence[Ledger], inputs: JointScalars) -> list[ResultRule]:
    """What two bodies that hit lose in the frame of their centre of mass, and, in line, the speeds
    that a given restitution promises.
    """
    bodies = ledgers[0].statement.bodies
    if not event.kind.contact or len(bodies) != 2 or len(ledgers[0].dates) != 2:
        return []
    axes = tuple(a for a in ("x", "y") if DateValue(1, bodies[0], a, OPENING) in inputs.names)
    inner = [RelativeKineticForm(body, bodies, axes) for body in bodies]

    def lost(q: Values) -> Any:
        return sum(one.amount(q, OPENING) - one.amount(q, CLOSING) for one in inner)

    rules = [ResultRule("energy lost in the centre-of-mass frame", "J", lost)]
    if ContactInput.RESTITUTION not in inputs.names or len(axes) != 1:
        return rules
    for body, other in (bodies, bodies[::-1]):

        def promised(q: Values, body: str = body, other: str = other) -> Any:
            m1, m2 = q[MassOf(body)], q[MassOf(other)]
            v1, v2 = (q[DateValue(1, b, axes[0], OPENING)] for b in (body, other))
            e = q[ContactInput.RESTITUTION]
            return (m1 * v1 + m2 * v2 + m2 * e * (v2 - v1)) / (m1 + m2)

        name = f"expected velocity after of {body} along {axes[0]}"
        rules.append(ResultRule(name, "m/s", promised))
    return rules


def _of_energy(event: Event, ledger: Ledger, inputs: JointScalars) -> list[ResultRule]:
    statement, last = ledger.statement, len(ledger.dates) - 1
    rules = []

    def amounts(q: Values) -> Mapping[Any, Any]:
        return statement.amounts(q)

    opening = ledger.opening
    if ledger.law == ENERGY and opening.value > CLEAR * opening.k95 * opening.u:
        rules.append(
            ResultRule(
                "fraction kept", "", lambda q: _over(amounts(q), AmountOf(last), AmountOf(0))
            )
        )
    names = ledger.form_names
    stored = {EventKind.SLOPE: HEIGHT, EventKind.FALL: HEIGHT, EventKind.LAUNCH: SPRING}
    spent = stored.get(event.kind, "")
    if spent in names:

        def efficiency(q: Values) -> Any:
            all_of = amounts(q)
            gained = all_of[AmountOf(last, "", KINETIC)] - all_of[AmountOf(0, "", KINETIC)]
            return gained / (all_of[AmountOf(0, "", spent)] - all_of[AmountOf(last, "", spent)])

        rules.append(ResultRule("efficiency", "", efficiency))
    if event.kind is EventKind.HOPS and event.vertical is not None:
        rules += _of_bounces(ledger, event.vertical.axis, inputs)
    if event.kind in (EventKind.UP_AND_BACK, EventKind.SLOPE) and HEIGHT in names:
        rules += _of_friction(ledger, inputs)
    return rules


def _of_bounces(ledger: Ledger, axis: str, inputs: JointScalars) -> list[ResultRule]:
    """Of each bounce of hops: its restitution along the vertical, and which part of the kinetic
    energy it keeps, both at the moment at which the flights before and after meet.
    """
    body, rules = ledger.body_names[0], []
    axes = tuple(a for a in ("x", "y") if DateValue(2, body, a, 0) in inputs.names)
    for number, first in enumerate(range(0, len(ledger.dates) - 1, 2), 1):
        one, two = ledger.dates[first], ledger.dates[first + 1]
        at = Encounter((body,), axes, one.t, two.t, body, first=first)

        def speeds(q: Values, at: Encounter = at) -> dict[str, tuple[Any, Any]]:
            moment = contact_moment(q, at)
            return {a: at_contact(q, at, moment, body, a) for a in at.axes}

        def bounced(q: Values, at: Encounter = at) -> Any:
            before, after = speeds(q, at)[axis]
            return -after / before

        def kept(q: Values, at: Encounter = at) -> Any:
            found = speeds(q, at).values()
            return square([two for _, two in found]) / square([one for one, _ in found])

        known = (DateValue(2, body, a, k) for a in axes for k in (first, first + 1))
        if axis in axes and all(key in inputs.names for key in known):
            rules.append(ResultRule(f"restitution of bounce {number}", "", bounced))
            rules.append(ResultRule(f"fraction kept by bounce {number}", "", kept))
    return rules


def _of_friction(ledger: Ledger, inputs: JointScalars) -> list[ResultRule]:
    """The mean force that explains what is lost besides friction, and its coefficient."""
    statement, body = ledger.statement, ledger.body_names[0]
    paths = [Through(Integral.PATH, body, "", k) for k in statement.periods]
    if any(path not in inputs.names for path in paths):
        return []

    def lost(q: Values) -> Any:
        all_of = statement.amounts(q)
        friction = all_of.get(EntryOf(WHOLE, FRICTION), 0.0)
        return -(all_of[Unaccounted(WHOLE)] + friction) / sum(q[path] for path in paths)

    rules = [ResultRule("mean force of loss", "N", lost)]
    if FactOf(GRAVITY) in inputs.names and FactOf(INCLINE) in inputs.names:

        def coefficient(q: Values) -> Any:
            weight = q[MassOf(body)] * q[FactOf(GRAVITY)]
            return lost(q) / (weight * np.cos(q[FactOf(INCLINE)]))

        rules.append(ResultRule("friction coefficient", "", coefficient))
    return rules


def _of_momentum(event: Event, ledger: Ledger, inputs: JointScalars) -> list[ResultRule]:
    statement = ledger.statement
    length = ledger.closes_at - ledger.opens_at
    own = {e.name for entries in statement.entries for e in entries}
    given = next((name for name in (GAUGE, PUSH) if name in own), "")

    def gained(q: Values) -> Any:
        """Change of momentum besides what other outside forces gave."""
        all_of = statement.amounts(q)
        return all_of[Unaccounted(WHOLE)] + all_of.get(EntryOf(WHOLE, given), 0.0)

    def pushed(q: Values) -> Any:
        return statement.amounts(q)[EntryOf(WHOLE, given)]

    rules: list[ResultRule] = []
    along = MOMENTUM_ALONG if event.track else momentum_law("x")
    alone = len(statement.bodies) == 1 and ledger.law == along
    if not alone or event.kind not in ONE_IS_PUSHED:
        return rules
    if event.kind is EventKind.THRUST:
        rules += _of_a_thrust(statement.bodies[0], inputs)
    else:
        what = pushed if given else gained
        rules.append(ResultRule("mean force", "N", lambda q: what(q) / length))
    if not given:
        rules.append(ResultRule("impulse", "N·s", gained))
        return rules

    def apart(q: Values) -> Any:
        one, two = pushed(q), gained(q)
        return 100.0 * (one - two) / (0.5 * (one + two))

    rules.append(ResultRule(f"impulse of the {given.removeprefix(PREFIX)}", "N·s", pushed))
    rules.append(ResultRule("change of momentum", "N·s", gained))
    rules.append(ResultRule("percent difference", "%", apart))
    return rules


def _of_a_thrust(body: str, inputs: JointScalars) -> list[ResultRule]:
    """Forces while a constant push acts: the net force m a, that of the push, which friction works
    against, and what others do beside a push that was typed.
    """
    rate, slowed, typed = (FactOf(s, body) for s in (PUSHED_RATE, SLOWING, PUSH_FACT))
    if rate not in inputs.names:
        return []

    def net(q: Values) -> Any:
        return q[MassOf(body)] * q[rate]

    rules = [ResultRule("net force", "N", net)]
    if slowed in inputs.names:
        way = float(np.sign(inputs.values[inputs.index(rate)]))
        rules.append(
            ResultRule("mean force", "N", lambda q: net(q) + way * q[MassOf(body)] * q[slowed])
        )
    if typed in inputs.names:
        rules.append(ResultRule("other forces", "N", lambda q: net(q) - q[typed]))
    return rules


def _over(amounts: Mapping[Any, Any], upper: AmountOf, lower: AmountOf) -> Any:
    return amounts[upper] / amounts[lower]
