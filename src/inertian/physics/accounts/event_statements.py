"""Which accounts make sense of an event: their forms, entries and expectations, as far as facts
are there.

Height as a form excludes the work of the weight as an entry: it is never counted twice.
"""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise

from inertian.motion.recording.trials import Trial
from inertian.physics.accounts.account_inputs import Integral
from inertian.physics.accounts.along_track import along_track
from inertian.physics.accounts.contact_entries import FreeChange, TurningChange
from inertian.physics.accounts.entries import (
    FRICTION_FACT,
    LINEAR_FACT,
    PUSH_FACT,
    QUADRATIC_FACT,
    RECORDED,
    ROLLING_FACT,
    SLOWING,
    TURNED,
    EntryRule,
    Push,
    Recorded,
    Resistance,
    SlowedDown,
    SpringImpulse,
    StoredWork,
    WeightImpulse,
)
from inertian.physics.accounts.events import Event, EventKind
from inertian.physics.accounts.forms import (
    ADDED_INERTIA,
    INCLINE,
    ROLLING,
    SPRING_REST,
    STIFFNESS,
    Form,
    HeightForm,
    KineticForm,
    MomentumForm,
    SpringForm,
    TurningForm,
)
from inertian.physics.accounts.gauges import gauge_of
from inertian.physics.accounts.ledger import (
    ANGULAR_MOMENTUM,
    ANGULAR_UNIT,
    ENERGY,
    ENERGY_UNIT,
    MECHANICAL,
    MOMENTUM_UNIT,
    momentum_law,
)
from inertian.physics.accounts.statements import Statement
from inertian.physics.accounts.verdicts import Expectation

COEFFICIENTS = (FRICTION_FACT, ROLLING_FACT, LINEAR_FACT, QUADRATIC_FACT)
TYPED = "the coefficient that was typed"


OF_MOMENTUM = (
    EventKind.THRUST,
    EventKind.NONE,
    EventKind.TOWED,
    EventKind.WALL,
    EventKind.BUMPER,
)


@dataclass(frozen=True)
class Surroundings:
    """What an account of an event may draw on: the trial, symbols of facts that are known, with the
    body where they belong to one; what the motion tells, by symbol and body: where it comes from,
    and whether it was seen on the level; the centre that bodies turn about, and which way the
    gauge counts.
    """

    trial: Trial
    facts: Collection[tuple[str, str]]
    told: Mapping[tuple[str, str], tuple[str, bool]] = field(default_factory=dict)
    centre: tuple[float, float] = (0.0, 0.0)
    gauge_sign: float = 1.0
    pushed: Collection[str] = ()  # bodies of which it is known when a constant force acts
    spring_side: float = 0.0  # of a spring that only pushes: where x − x₀ is when it is pressed

    @property
    def gauge_source(self) -> str:
        """What is said of where the impulse of the gauge comes from."""
        return RECORDED if self.gauge_sign > 0.0 else RECORDED + TURNED

    def knows(self, symbol: str, body: str = "") -> bool:
        """Whether a fact is known, of a body or of all."""
        return (symbol, body) in self.facts or (symbol, "") in self.facts


def statements_of(
    event: Event, around: Surroundings, expectations: Mapping[str, Expectation]
) -> list[Statement]:
    """Return what can be drawn up of an event that is no contact, the usual accounts first;
    `expectations` by law, where they are not the usual ones.
    """
    made = usual_statements(event, around)
    if event.kind not in (EventKind.SPINNING, EventKind.SEVERAL):
        more = [*_of_momentum(event, around), _kinetic_alone(event, around)]
        there = {one.law for one in made}
        made += [one for one in more if one.law not in there]
    return [
        replace(one, expectation=expectations[one.law]) if one.law in expectations else one
        for one in made
    ]


def usual_statements(event: Event, around: Surroundings) -> list[Statement]:
    """Return the accounts that an event has unless others are asked for."""
    if event.kind is EventKind.SPINNING:
        return _of_turning(event, around)
    if event.kind is EventKind.SEVERAL:
        return _of_several(event, around)
    energy = _of_energy(event, around)
    return [*_of_momentum(event, around), energy] if event.kind in OF_MOMENTUM else [energy]


def _kinetic_alone(event: Event, around: Surroundings) -> Statement:
    """Kinetic energy, changed by the work of all forces, also of weight and springs: these are no
    forms here.
    """
    whole = _of_energy(event, around)
    kinetic = tuple(form for form in whole.forms if isinstance(form, KineticForm))
    works = tuple(StoredWork(form) for form in whole.forms if not isinstance(form, KineticForm))
    entries = tuple((*works, *own) for own in whole.entries)
    return replace(whole, law=ENERGY, forms=kinetic, entries=entries)


def _bodies(around: Surroundings) -> tuple[str, ...]:
    """The bodies whose motion is known: by their positions, or by an accelerometer aboard."""
    aboard = gauge_of(around.trial, "a")
    followed = tuple(b.name for b in around.trial.followed)
    return followed or ((aboard[0],) if aboard else ())


def _axes(around: Surroundings) -> tuple[str, ...]:
    return tuple(around.trial.axes) or ("x",)


def _no_entries(event: Event) -> tuple[tuple[EntryRule, ...], ...]:
    return ((),) * (len(event.dates) - 1)


def _of_momentum(event: Event, around: Surroundings) -> list[Statement]:
    """Momentum along each axis; with a gauge, its impulse is what should have changed it."""
    gauge, bodies = gauge_of(around.trial), _bodies(around)
    made = []
    for axis in _axes(around):
        forms = tuple(MomentumForm(b, axis) for b in bodies)
        own = (*_weight(event, around, axis), *_pushes(event, around, axis), *_slowed(around, axis))
        if gauge is not None and axis == "x":
            own = (*own, Recorded(*gauge, around.gauge_sign, source=around.gauge_source))
        # Without these nothing is known of what pulled meanwhile
        pulls = any(isinstance(one, Recorded | Push | SpringImpulse) for one in own)
        fall = event.kind in (EventKind.FALL, EventKind.UP_AND_BACK) and bool(own)
        told = pulls or (fall and not event.held)
        expectation = Expectation.CONSERVED if told else Expectation.NOT_CONSERVED
        entries = tuple(own for _ in _no_entries(event))
        made.append(
            Statement(momentum_law(axis), MOMENTUM_UNIT, event.dates, forms, entries, expectation)
        )
    if event.track is None or len(made) != 2:
        return made
    along, *made = along_track(made[0], made[1], event.track)
    with_gauge = replace(made[1], expectation=along.expectation)  # it pushes along both axes
    return [along, made[0], with_gauge]


def _pushes(event: Event, around: Surroundings, axis: str) -> tuple[EntryRule, ...]:
    """The impulses of springs and of constant forces that were typed, along an axis; not of one
    that launches a body, as a hand holds it until it is let go.
    """
    found: list[EntryRule] = []
    lengths = tuple(b.t - a.t for a, b in pairwise(event.dates))
    sprung = around.knows(STIFFNESS) and around.knows(SPRING_REST)
    for body in around.trial.followed:
        if axis != body.axes[0]:
            continue
        if sprung and event.kind is not EventKind.LAUNCH:
            found.append(SpringImpulse(body.name, axis, lengths))
        if around.knows(PUSH_FACT, body.name) and body.name in around.pushed:
            found.append(Push(body.name, axis, energy=False))
    return tuple(found)


def _of_several(event: Event, around: Surroundings) -> list[Statement]:
    """Contacts one after another: momentum holds through each, and free motion lies between."""
    bodies, axes = _bodies(around), around.trial.axes
    lengths = tuple(two.t - one.t for one, two in pairwise(event.dates))
    short = tuple(k not in event.held for k in range(len(lengths)))

    def entries(own: tuple[str, ...], energy: bool) -> tuple[tuple[EntryRule, ...], ...]:
        return ((FreeChange(bodies, own, energy, lengths, short),),) * len(lengths)

    made = [
        Statement(
            momentum_law(axis),
            MOMENTUM_UNIT,
            event.dates,
            tuple(MomentumForm(b, axis) for b in bodies),
            entries((axis,), False),
            Expectation.CONSERVED,
            _each(event),
        )
        for axis in axes
    ]
    kinetic = tuple(KineticForm(b, axes) for b in bodies)
    lost = Expectation.NOT_CONSERVED
    energy = Statement(ENERGY, ENERGY_UNIT, event.dates, kinetic, entries(axes, True), lost)
    return [*made, energy]


def _weight(event: Event, around: Surroundings, axis: str) -> tuple[EntryRule, ...]:
    """The impulse of the weight along an axis that it acts along."""
    vertical, lengths = event.vertical, tuple(b.t - a.t for a, b in pairwise(event.dates))
    if vertical is not None and axis == vertical.axis:
        return tuple(WeightImpulse(b, lengths, vertical.upwards) for b in _bodies(around))
    if around.knows(INCLINE) and axis == _axes(around)[0]:
        return tuple(WeightImpulse(b, lengths, inclined=True) for b in _bodies(around))
    return ()


def _each(event: Event) -> tuple[Expectation, ...]:
    """What is expected of each period, where something is given away in some of them."""
    if not event.held:
        return ()
    return tuple(
        Expectation.NOT_CONSERVED if k in event.held else Expectation.CONSERVED
        for k in range(len(event.dates) - 1)
    )


def _of_turning(event: Event, around: Surroundings) -> list[Statement]:
    """Angular momentum and energy of a body that turns; where something falls onto it, angular
    momentum holds, if it is known what turns with it then.
    """
    body, entries = _bodies(around)[0], _no_entries(event)
    known = bool(event.held) and around.knows(ADDED_INERTIA, body)
    added = event.held[0] + 1 if known else None
    spin, energy = (TurningForm(body, e, added) for e in (False, True))
    lost = Expectation.NOT_CONSERVED
    whole = Expectation.CONSERVED if known else lost
    lasts = tuple(b.t - a.t for a, b in pairwise(event.dates))
    short = tuple(k in event.held for k in range(len(lasts)))
    made = []
    for law, unit, form, expected in (
        (ANGULAR_MOMENTUM, ANGULAR_UNIT, spin, whole),
        (MECHANICAL, ENERGY_UNIT, energy, lost),
    ):
        own = entries
        if event.held:
            own = ((TurningChange(form, lasts, short),),) * len(lasts)
        made.append(Statement(law, unit, event.dates, (form,), own, expected))
    return made


def _of_energy(event: Event, around: Surroundings) -> Statement:
    """Kinetic energy with height and spring, where facts tell them; and what slows the bodies."""
    forms: list[Form] = []
    for body in _bodies(around):
        axes = around.trial.body(body).axes or _axes(around)
        forms.append(KineticForm(body, axes, around.knows(ROLLING, body)))
        forms += _stored(event, around, body, axes)
    whole = len(forms) > len(_bodies(around))
    works, expectation = _works(around), _expected(event, around, whole)
    entries = tuple(works for _ in range(len(event.dates) - 1))
    law = MECHANICAL if whole else ENERGY
    return Statement(
        law, ENERGY_UNIT, event.dates, tuple(forms), entries, expectation, _each(event)
    )


def _stored(event: Event, around: Surroundings, body: str, axes: Sequence[str]) -> tuple[Form, ...]:
    """Height and spring of a body."""
    found: list[Form] = []
    if event.vertical is not None:
        found.append(HeightForm(body, event.vertical.axis, event.vertical.upwards))
    elif event.kind is EventKind.SWING and "y" in axes:
        found.append(HeightForm(body, "y"))
    elif around.knows(INCLINE):
        found.append(HeightForm(body, axes[0], inclined=True))
    if around.knows(STIFFNESS) and around.knows(SPRING_REST):
        found.append(SpringForm(body, axes[0], around.spring_side))
    return tuple(found)


def _slowed(around: Surroundings, axis: str = "") -> tuple[EntryRule, ...]:
    """What slows the bodies down, by what was typed, or by what the motion tells: as work, or as
    impulse along an axis.
    """
    found: list[EntryRule] = []
    inclined = around.knows(INCLINE)
    for body in _bodies(around):
        if axis and axis not in around.trial.body(body).axes:
            continue
        known = [symbol for symbol in COEFFICIENTS if around.knows(symbol)]
        found += [Resistance(body, s, inclined, TYPED, axis) for s in known]
        for (symbol, whose), (source, level) in around.told.items():
            if whose != body or symbol in known:
                continue
            if symbol == SLOWING:
                found.append(SlowedDown(body, axis, level and inclined, source))
            else:
                found.append(Resistance(body, symbol, inclined, source, axis))
    return tuple(found)


def _works(around: Surroundings) -> tuple[EntryRule, ...]:
    """The work of what slows the bodies down, of a gauge, and of constant forces."""
    found: list[EntryRule] = []
    gauge = gauge_of(around.trial)
    if gauge is not None and gauge[0] in _bodies(around):
        work = Integral.WORK
        found.append(Recorded(*gauge, around.gauge_sign, work, around.gauge_source))
    for body in around.trial.followed:
        if around.knows(PUSH_FACT, body.name) and body.name in around.pushed:
            found.append(Push(body.name, body.axes[0], energy=True))
    return (*found, *_slowed(around))


def _fitted_here(entry: EntryRule, around: Surroundings) -> bool:
    """Whether an entry was fitted to the very motion it explains, so that nothing is left to check:
    drag.
    """
    return isinstance(entry, Resistance) and (entry.symbol, entry.body) in around.told


def _expected(event: Event, around: Surroundings, whole: bool) -> Expectation:
    """Energy is expected to hold where all its forms, and what slows bodies down, are there."""
    works = [one for one in _works(around) if not _fitted_here(one, around)]
    pushed = event.kind in (EventKind.THRUST, EventKind.TOWED)
    told = any(isinstance(one, Recorded | Push) for one in works) if pushed else bool(works)
    free = event.kind in (EventKind.FALL, EventKind.SWING, EventKind.LAUNCH)
    flat = event.kind in (EventKind.NONE, EventKind.THRUST, EventKind.TOWED)
    if (whole or flat) and not event.held and (told or (free and whole)):
        return Expectation.CONSERVED
    return Expectation.NOT_CONSERVED
