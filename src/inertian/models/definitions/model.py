"""A model as an immutable value: forces with parameters, a start, a stepping rule, a stretch of
time.
"""

from dataclasses import dataclass, replace
from enum import StrEnum

from inertian.quantities.facts import Fact


class Rule(StrEnum):
    """How a state is carried on from one moment to the next."""

    EULER = "euler"
    SEMI_IMPLICIT = "semi-implicit"
    VERLET = "verlet"
    RK4 = "rk4"
    REFERENCE = "reference"


ORDER = {Rule.EULER: 1, Rule.SEMI_IMPLICIT: 1, Rule.VERLET: 2, Rule.RK4: 4}


@dataclass(frozen=True)
class Parameter:
    """A parameter of a force: what is typed for it, or None for the fact of the setup; `free` to be
    fitted, from the typed value if there is one.
    """

    symbol: str
    fact: Fact | None = None
    free: bool = False
    # The unit of a parameter of a formula for which no value is typed
    unit: str = ""
    spelled: str = ""  # as it was typed, where that is not the symbol


@dataclass(frozen=True)
class Force:
    """One force of a model, of a kind by name, on some bodies (none named: on all it can act on).

    `formula` and `axis` are those of a typed force; `on` whether it counts.
    """

    kind: str
    parameters: tuple[Parameter, ...] = ()
    bodies: tuple[str, ...] = ()
    formula: str = ""
    axis: str = "x"
    on: bool = True

    def parameter(self, symbol: str) -> Parameter:
        """Return what is known of a parameter; one that is not typed if nothing is."""
        for one in self.parameters:
            if one.symbol == symbol:
                return one
        return Parameter(symbol)

    def with_parameter(self, new: Parameter) -> "Force":
        """Return this force with one parameter exchanged, or added."""
        if any(p.symbol == new.symbol for p in self.parameters):
            changed = tuple(new if p.symbol == new.symbol else p for p in self.parameters)
        else:
            changed = (*self.parameters, new)
        return replace(self, parameters=changed)


@dataclass(frozen=True)
class TypedState:
    """Where a coordinate of a body starts, and how fast, as typed; None is taken from the data."""

    body: str
    axis: str
    place: Fact | None = None
    rate: Fact | None = None


@dataclass(frozen=True)
class Start:
    """From where a model runs: from the begin of a span, with what a parabola over it says; from a
    moment in file time in s, with what the samples about it say; else from the first sample.

    `fitted`: position and velocity are adjusted with the free parameters. `typed` says them.
    """

    span: str = ""
    time: float | None = None
    fitted: bool = True
    typed: tuple[TypedState, ...] = ()


@dataclass(frozen=True)
class KeptPrediction:
    """What somebody expected before the fit: a parameter with its value, and when it was typed
    (ISO 8601).
    """

    name: str
    fact: Fact
    when: str


@dataclass(frozen=True)
class Model:
    """Forces on the bodies of a trial, from a start on, stepped by a rule.

    No `bodies` are all that were followed. `step` is in s; None is a step from sample to sample.
    `until` is the last moment in file time in s; None the end of the trial, or of what is free of
    hits. `shared` are the names of parameters that all trials of the series have in common.
    """

    name: str
    forces: tuple[Force, ...] = ()
    bodies: tuple[str, ...] = ()
    start: Start = Start()
    rule: Rule = Rule.VERLET
    step: float | None = None
    until: float | None = None
    shared: tuple[str, ...] = ()
    predictions: tuple[KeptPrediction, ...] = ()

    @property
    def acting(self) -> tuple[Force, ...]:
        """The forces that count."""
        return tuple(force for force in self.forces if force.on)
