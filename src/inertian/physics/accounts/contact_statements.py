"""Which accounts make sense of a contact, from wall to wall."""

from collections.abc import Mapping
from dataclasses import replace

from inertian.physics.accounts.account_inputs import ContactInput
from inertian.physics.accounts.along_track import MOMENTUM_ALONG, Track, along_track
from inertian.physics.accounts.collision_inputs import CollisionInputs
from inertian.physics.accounts.contact_entries import (
    ContactForces,
    ContactTorque,
    GivenRestitution,
)
from inertian.physics.accounts.entries import EntryRule
from inertian.physics.accounts.forms import (
    AngularForm,
    KineticForm,
    MomentumForm,
    RelativeKineticForm,
)
from inertian.physics.accounts.ledger import (
    ANGULAR_MOMENTUM,
    ANGULAR_UNIT,
    ENERGY,
    ENERGY_UNIT,
    MOMENTUM_UNIT,
    RELATIVE_ENERGY,
    momentum_law,
    restitution_of,
)
from inertian.physics.accounts.statements import Date, Statement
from inertian.physics.accounts.verdicts import Expectation


def collision_statements(
    collision: CollisionInputs,
    expectations: Mapping[str, Expectation],
    gauge: EntryRule | None = None,
    centre: tuple[float, float] = (0.0, 0.0),
    track: Track | None = None,
) -> list[Statement]:
    """Return what can be drawn up of a contact: momentum along each axis, before that along a
    straight track if there is one, and kinetic energy; and what is drawn up only if it is asked
    for, angular momentum about a centre in m.

    `expectations` by law name; momentum is expected conserved, unless one body alone is driven
    back by something without a `gauge`, and kinetic energy not, unless said otherwise.
    """
    at = collision.encounter
    dates = (Date("before", at.opening, -1), Date("after", at.closing, 1))
    alone = len(at.bodies) == 1 and gauge is None
    usual = Expectation.NOT_CONSERVED if alone else Expectation.CONSERVED
    made = []
    for axis in at.axes:
        law = momentum_law(axis)
        entries: tuple[EntryRule, ...] = (ContactForces(at, axis),)
        if gauge is not None:
            entries = (*entries, gauge)
        forms = tuple(MomentumForm(b, axis) for b in at.bodies)
        expectation = expectations.get(law, usual)
        made.append(Statement(law, MOMENTUM_UNIT, dates, forms, (entries,), expectation))
    expectation = expectations.get(ENERGY, Expectation.NOT_CONSERVED)
    if expectation is Expectation.GIVEN_E and (
        ContactInput.RESTITUTION not in collision.inputs.names
        or len(at.bodies) != 2
        or restitution_of(collision) is None
    ):
        expectation = Expectation.NOT_CONSERVED
    entries = (ContactForces(at, ""),)
    if expectation is Expectation.GIVEN_E:
        entries = (*entries, GivenRestitution(at))
    kinetic = tuple(KineticForm(b, at.axes) for b in at.bodies)
    energy = Statement(ENERGY, ENERGY_UNIT, dates, kinetic, (entries,), expectation)
    if track is not None:
        along, *made = along_track(made[0], made[1], track)
        along = replace(along, expectation=expectations.get(MOMENTUM_ALONG, usual))
        made = [along, energy, *made]
    else:
        made.append(energy)
    return [*made, *_more_of_a_contact(collision, expectations, dates, centre)]


def _more_of_a_contact(
    collision: CollisionInputs,
    expectations: Mapping[str, Expectation],
    dates: tuple[Date, ...],
    centre: tuple[float, float],
) -> list[Statement]:
    """What can be drawn up of a contact besides, if it is asked for: the energy of several bodies
    about their centre of mass, and their angular momentum in the plane.
    """
    at, made = collision.encounter, []
    if len(at.bodies) < 2:
        return []
    relative = tuple(RelativeKineticForm(b, at.bodies, at.axes) for b in at.bodies)
    expected = expectations.get(RELATIVE_ENERGY, Expectation.NOT_CONSERVED)
    made.append(Statement(RELATIVE_ENERGY, ENERGY_UNIT, dates, relative, ((),), expected))
    if set(at.axes) == {"x", "y"}:
        turning = tuple(AngularForm(b, centre) for b in at.bodies)
        torque: tuple[EntryRule, ...] = (ContactTorque(at, centre),) if at.touching else ()
        expected = expectations.get(ANGULAR_MOMENTUM, Expectation.CONSERVED)
        made.append(Statement(ANGULAR_MOMENTUM, ANGULAR_UNIT, dates, turning, (torque,), expected))
    return made
