"""Everything about one investigation, as one immutable value."""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property, lru_cache
from typing import TYPE_CHECKING

from inertian.models.definitions.model import Model
from inertian.motion.fits.free_motion import FreeMotion
from inertian.motion.recording.frame import ANGLE, CENTRE, FILE_FRAME, ORIGIN, Frame, zero_key
from inertian.motion.recording.prepared_trial import PreparedTrial, prepare
from inertian.motion.recording.tidying import TidyStep
from inertian.motion.recording.trials import Trial
from inertian.motion.spans.span_suggestion import suggest_spans
from inertian.motion.spans.spans import Spans
from inertian.physics.accounts.account_choices import Choices
from inertian.physics.accounts.statements import Date
from inertian.physics.accounts.typed_entries import TypedEntry
from inertian.physics.accounts.verdicts import Expectation
from inertian.physics.definitions.derived_quantities import (
    ACCOUNT_FACTS,
    READY_MADE,
    SETUP_FACTS,
    DerivedQuantity,
    DerivedQuantityError,
    SetupFact,
    centre_of_mass_quantities,
)
from inertian.physics.definitions.fact_names import ACCEPTED, SCALE, TIME_BASE, mass_key, offset_key
from inertian.physics.definitions.formula_resolution import resolve
from inertian.physics.definitions.reading_units import units_by_name
from inertian.physics.definitions.requests import CurveRequest, NamedReading, Quantity, QuantityRef
from inertian.project.trend_requests import Trends
from inertian.quantities.facts import Fact, FactId, Meaning
from inertian.quantities.units import unit_of

if TYPE_CHECKING:
    from inertian.files.cells.recipes import Recipe

RESTITUTION = "restitution"
# Anywhere on Earth, unless it is typed
GRAVITY = Fact(9.81, 0.03, Meaning.LIMITS, unit_of("acceleration", "m/s²"))
READING_NOISE = "reading noise"


def setup_key(name: str, body: str = "") -> str:
    """Return the name of a fact of the setup, of one body where it belongs to one."""
    return f"{name} of {body}" if body else name


@dataclass(frozen=True)
class Dismissal:
    """A note of the second look that a person looked at and put away: its code, what it is about,
    and why.
    """

    code: str
    subject: str
    reason: str


@dataclass(frozen=True, eq=False)
class Entry:
    """A trial as it stands in a project: the raw recording, its series, its tidy steps, its frame
    and its spans.

    `named` are readings that were given a name, and `curves` the curves fitted over spans.
    """

    trial: Trial
    series: str
    spans: Spans = field(default_factory=Spans)
    steps: tuple[TidyStep, ...] = ()
    frame: Frame = FILE_FRAME
    named: tuple[NamedReading, ...] = ()
    curves: tuple[CurveRequest, ...] = ()
    # Of its accounts, in file time; those that its event suggests if there are none
    dates: tuple[Date, ...] = ()
    typed: tuple[TypedEntry, ...] = ()  # entries of its accounts, by hand; in file time
    dismissed: tuple[Dismissal, ...] = ()
    # What was set by hand, by name: a number with its ±, or a word
    variables: tuple[tuple[str, Fact | str], ...] = ()
    apart: str | None = None  # why it does not count among all trials; None: it does
    models: tuple[Model, ...] = ()  # that stand beside it

    @property
    def prepared(self) -> PreparedTrial:
        """The samples that count, in the frame; equal steps and frames give the identical
        answer.
        """
        return prepare(self.trial, self.steps, self.frame)

    @property
    def used_trial(self) -> Trial:
        """The trial as later stages see it: samples set aside are missing, positions are in the
        frame.
        """
        return self.prepared.trial


@dataclass(frozen=True)
class Series:
    """Trials made under the same conditions, with the settings they share."""

    name: str
    motion: FreeMotion = FreeMotion.GLIDE
    expectations: Mapping[str, Expectation] = field(default_factory=dict)
    window: str = ""  # of local fits, as it was typed; by the data if empty
    off: tuple[str, ...] = ()  # names of entries that do not count in accounts
    # Accounts to draw up, in order; those of the event if there are none
    laws: tuple[str, ...] = ()
    turned: bool | None = None  # whether the gauge counts the other way; None: as the motion says
    pattern: str = ""  # the id of the trial that others are treated like

    @property
    def scope(self) -> str:
        """The scope of facts that hold in this series."""
        return f"series {self.name}"


@dataclass(frozen=True, eq=False)
class Project:
    """Trials in their series, and the setup: the facts of the apparatus."""

    name: str = "Untitled"
    entries: tuple[Entry, ...] = ()
    series: tuple[Series, ...] = ()
    setup: Mapping[FactId, Fact] = field(default_factory=dict)
    recipes: tuple["Recipe", ...] = ()
    derived: tuple[DerivedQuantity, ...] = ()  # derived quantities, for all trials
    trends: Trends = field(default_factory=Trends)

    def with_recipe(self, recipe: "Recipe") -> "Project":
        """Return this project with one recipe more, in place of an older one for the same
        titles.
        """
        others = tuple(r for r in self.recipes if not r.fits(recipe.titles))
        return replace(self, recipes=(*others, recipe))

    def entry(self, trial_id: str) -> Entry:
        """Return the entry of one trial. Raises KeyError."""
        return self._by_id[trial_id]

    def find(self, trial_id: str) -> Entry | None:
        """Return the entry of one trial, or None."""
        return self._by_id.get(trial_id)

    @cached_property
    def _by_id(self) -> Mapping[str, Entry]:
        """The entries by the id of their trial: a shelf of thousands asks for many."""
        return {entry.trial.id: entry for entry in reversed(self.entries)}

    def series_named(self, name: str) -> Series:
        """Return one series. Raises KeyError."""
        for series in self.series:
            if series.name == name:
                return series
        raise KeyError(name)

    def entries_of(self, series: str) -> tuple[Entry, ...]:
        """Return the entries of one series, in order."""
        return tuple(entry for entry in self.entries if entry.series == series)

    def fact(self, name: str, entry: Entry) -> tuple[FactId, Fact] | None:
        """Return the fact of that name that holds for a trial: its own, else the series', else the
        project's.
        """
        for scope in (f"trial {entry.trial.id}", f"series {entry.series}", "project"):
            key = FactId(name, scope)
            if key in self.setup:
                return key, self.setup[key]
        return None

    def masses(self, entry: Entry) -> dict[str, tuple[FactId, Fact]]:
        """Return the known masses of a trial's bodies, by body."""
        found = {body.name: self.fact(mass_key(body.name), entry) for body in entry.trial.bodies}
        return {body: fact for body, fact in found.items() if fact is not None}

    def scale_facts(self, entry: Entry) -> dict[str, tuple[FactId, Fact]]:
        """Return the facts that stretch all lengths ("scale") or all times ("time base") of a
        trial, where they do.
        """
        named = {name: self.fact(name, entry) for name in (SCALE, TIME_BASE)}
        return {
            name: fact
            for name, fact in named.items()
            if fact is not None and (name == TIME_BASE or entry.trial.in_pixels)
        }

    def frame_facts(self, entry: Entry) -> dict[str, tuple[FactId, Fact]]:
        """Return the facts that a frame rests on, by name: the angle of its axes, its origin, zeros
        of sensors.
        """
        wanted = [ANGLE] if entry.frame.angle else []
        wanted += [ORIGIN[a] for a, o in zip("xy", entry.frame.origin, strict=True) if o]
        wanted += [zero_key(body, axis) for body, axis, _ in entry.frame.zeros]
        found = {name: self.fact(name, entry) for name in wanted}
        return {name: fact for name, fact in found.items() if fact is not None}

    def centre_facts(self, entry: Entry) -> dict[str, tuple[FactId, Fact]]:
        """Return the facts of a trial's centre of rotation, by name."""
        found = (
            {name: self.fact(name, entry) for name in CENTRE.values()} if entry.frame.centre else {}
        )
        return {name: fact for name, fact in found.items() if fact is not None}

    def quantities(self, entry: Entry) -> dict[str, DerivedQuantity]:
        """Return the formulas that hold for a trial, by symbol: ready-made ones, and those of one's
        own before them.
        """
        prepared = (*READY_MADE, *centre_of_mass_quantities(len(entry.trial.followed)))
        return {q.symbol: q for q in (*prepared, *self.derived)}

    def offered(self, entry: Entry) -> list[QuantityRef]:
        """Return the formulas that a trial has all positions, sensors and facts for, or that are
        one's own.
        """
        facts = {symbol for symbol, _ in self.setup_facts(entry)}
        facts |= ({"x_c", "y_c"} if entry.frame.centre else set()) | (
            {"m"} if self.masses(entry) else set()
        )
        bodies = tuple(
            (b.name, b.axes, tuple(c.axis for c in b.sensors)) for b in entry.trial.bodies
        )
        readings = tuple(units_by_name(entry.named).items())
        return list(
            _offered(
                tuple(self.quantities(entry).values()),
                self.derived,
                bodies,
                frozenset(facts),
                readings,
            )
        )

    def setup_facts(self, entry: Entry) -> dict[tuple[str, str], tuple[FactId, Fact]]:
        """Return the facts that formulas may use for a trial, by symbol and body ("" for all)."""
        return self._facts_of(entry, SETUP_FACTS)

    def account_facts(self, entry: Entry) -> dict[tuple[str, str], tuple[FactId, Fact]]:
        """Return the facts that accounts alone use for a trial, by symbol and body ("" for all)."""
        return self._facts_of(entry, ACCOUNT_FACTS)

    def _facts_of(
        self, entry: Entry, wanted: Iterable[SetupFact]
    ) -> dict[tuple[str, str], tuple[FactId, Fact]]:
        found = {}
        for known in wanted:
            for body in [b.name for b in entry.trial.followed] if known.of_bodies else [""]:
                name = setup_key(known.name, body)
                fact = self.fact(name, entry)
                if fact is None and known.symbol == "g":
                    fact = FactId(name), GRAVITY
                if fact is not None:
                    found[known.symbol, body] = fact
        return found

    def account_choices(self, entry: Entry) -> Choices:
        """Return what was chosen about the accounts of a trial."""
        chosen = self.series_named(entry.series)
        names = {
            key.name.removeprefix(ACCEPTED) for key in self.setup if key.name.startswith(ACCEPTED)
        }
        known = {name: self.fact(ACCEPTED + name, entry) for name in sorted(names)}
        accepted = {name: found[1] for name, found in known.items() if found}
        return Choices(
            chosen.expectations, chosen.off, chosen.laws, chosen.turned, entry.typed, accepted
        )

    def clock_offsets(self, entry: Entry) -> dict[str, tuple[FactId, Fact]]:
        """Return the clock offsets of a trial's bodies that another recorder followed, by body."""
        found = {b.name: self.fact(offset_key(b.name), entry) for b in entry.trial.followed}
        return {body: fact for body, fact in found.items() if fact is not None}

    def with_entry(self, new: Entry) -> "Project":
        """Return this project with the entry of the same trial exchanged."""
        return replace(
            self, entries=tuple(new if e.trial.id == new.trial.id else e for e in self.entries)
        )

    def with_fact(self, key: FactId, fact: Fact | None) -> "Project":
        """Return this project with one fact set, or removed if None."""
        setup = {k: f for k, f in self.setup.items() if k != key}
        return replace(self, setup=setup if fact is None else {**setup, key: fact})

    def with_series(self, new: Series) -> "Project":
        """Return this project with one series exchanged, or added."""
        if all(s.name != new.name for s in self.series):
            return replace(self, series=(*self.series, new))
        return replace(self, series=tuple(new if s.name == new.name else s for s in self.series))


@lru_cache(maxsize=128)
def _offered(
    quantities: tuple[DerivedQuantity, ...],
    mine: tuple[DerivedQuantity, ...],
    bodies: tuple[tuple[str, tuple[str, ...], tuple[str, ...]], ...],
    facts: frozenset[str],
    readings: tuple[tuple[str, str], ...],
) -> tuple[QuantityRef, ...]:
    """The formulas that bodies with some axes and sensors can show; remembered, as every move of
    the mouse asks.
    """
    own = {q.symbol: q for q in quantities}
    axes, sensors = {name: a for name, a, _ in bodies}, {name: s for name, _, s in bodies}
    found = []
    for quantity in quantities:
        for body in axes:
            try:
                made = resolve(quantity, own, body, axes, sensors, readings=dict(readings))
            except DerivedQuantityError:
                continue
            if (
                quantity in mine
                or not {n.fact for n in made.needed.values() if n.kind == "fact"} - facts
            ):
                unit = str(made.dimension)
                found.append(
                    QuantityRef(Quantity.DERIVED, quantity.symbol, "" if unit == "1" else unit)
                )
                break
    return tuple(found)


def with_trials(
    project: Project,
    trials: Iterable[Trial],
    series: str,
    mark: Callable[[Trial], Spans] = suggest_spans,
) -> Project:
    """Return the project with trials added to a series, spans marked; equal recordings get an id of
    their own.
    """
    if all(s.name != series for s in project.series):
        project = project.with_series(Series(series))
    for trial in trials:
        taken = {entry.trial.id for entry in project.entries}
        number, free = 2, trial.id
        while free in taken:
            number, free = number + 1, f"{trial.id}-{number}"
        trial = trial if free == trial.id else replace(trial, id=free)
        project = replace(project, entries=(*project.entries, Entry(trial, series, mark(trial))))
    return project
