"""From a model and a trial as it is read to a system: every number behind the forces is found, or
it is said what is missing.
"""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from math import inf

import numpy as np

from inertian.models.definitions.force_kinds import (
    CORD,
    FORCE_AXIS,
    FORMULA,
    PENDULUM,
    RECORDED,
    Acts,
    G,
    ParameterKind,
    force_kind,
)
from inertian.models.definitions.model import Force, Model
from inertian.models.definitions.system import (
    Coordinate,
    Follower,
    MovingBody,
    RecordedForce,
    Setting,
    System,
)
from inertian.models.definitions.typed_forces import parse_value
from inertian.models.fitting.formula_units import (
    check_unit,
    infer_units,
    moved_dimensions,
    unit_of_typed,
)
from inertian.motion.recording.frame import CENTRE
from inertian.motion.recording.trials import Body
from inertian.physics.definitions.fact_names import mass_key
from inertian.physics.evaluation.trial_context import TrialContext
from inertian.quantities.dimensions import OF_KIND, parse_unit
from inertian.quantities.errors import Refusal
from inertian.quantities.expressions import parse_formula
from inertian.quantities.facts import Fact, FactId
from inertian.quantities.units import SI_SYMBOL

_GREEK = {"μ": "mu", "θ": "theta", "τ": "tau", "β": "beta", "κ": "kappa", "φ": "phi", "α": "alpha"}
_WORDS = frozenset(
    "t dt i a F x y v m lambda if in is or and not for def pi sin cos tan exp log sqrt tanh arctan "
    "abs interp inside angle omega torque steps forces acceleration t_start inertia speed weight "
    "push drag spring damping bumper thrust pull gauge formula direction normal moved".split()
)
BEGIN = "begin"
RADIUS, UNKNOWN = "r", "not known, and not needed"
ONLY_SEEN = (RADIUS, BEGIN, "x_c", "y_c", "x_p", "y_p")  # that only say where samples are seen


def bodies_of(context: TrialContext, model: Model) -> tuple[Body, ...]:
    """Return the bodies of a trial that a model moves. Raises Refusal."""
    followed = {body.name: body for body in context.trial.followed}
    wanted = model.bodies or tuple(followed)
    unknown = [
        n for n in (*wanted, *(b for f in model.acting for b in f.bodies)) if n not in followed
    ]
    if unknown or not followed:
        there = ", ".join(followed) or "none whose position was recorded"
        raise Refusal(f"There is no body “{', '.join(unknown)}” in this trial. There is: {there}.")
    return tuple(body for name, body in followed.items() if name in wanted)


def system_of(context: TrialContext, model: Model) -> System:
    """Return what a model moves in a trial, with all numbers. Raises Refusal or FormulaError."""
    forces = model.acting
    hanging = {f.bodies[1]: f.bodies[0] for f in forces if f.kind == CORD and len(f.bodies) == 2}
    bodies = tuple(b for b in bodies_of(context, model) if b.name not in hanging)
    if not bodies or not set(hanging.values()) <= {b.name for b in bodies}:
        raise Refusal("A cord pulls the body that is named first; the second one hangs on it.")
    turning = {
        name
        for force in forces
        if _turns(force)
        for name in (force.bodies or [b.name for b in bodies])
    }
    moving = tuple(
        _moving(body, f"_{k}" if len(bodies) > 1 else "", body.name in turning, forces)
        for k, body in enumerate(bodies, 1)
    )
    found = _Settings(context, model, moving, forces)
    settings = found.all()
    if not context.trial.recorded:
        settings = _unseen(settings, moving)
    followers = tuple(
        found.follower(body, next(b for b in moving if b.name == leader))
        for body, leader in hanging.items()
    )
    recorded = _recorded(context, bodies, forces)
    return System(moving, forces, settings, recorded, followers)


def _turns(force: Force) -> bool:
    """Whether a force is a torque: a formula is, where it hangs on an angle."""
    if force.kind != FORMULA:
        return force_kind(force.kind).acts is Acts.TURNING
    return any(name.partition("_")[0] in ("φ", "ω") for name in parse_formula(force.formula).names)


def _unseen(
    settings: Mapping[tuple[int, str, str], Setting], bodies: Sequence[MovingBody]
) -> Mapping[tuple[int, str, str], Setting]:
    """Settings where nothing was recorded: where circles are seen has no meaning, so they lie about
    zero, as large as the pendulum is long.
    """
    hanging = {body.name for body in bodies if body.hanging}
    long = next((s.value for (_, symbol, _), s in settings.items() if symbol == "l"), 1.0)
    return {
        key: replace(
            one, free=False, known=True,
            value=0.0 if key[1] != RADIUS else long if key[2] in hanging else 1.0,
        )
        if one.free and key[1] in ONLY_SEEN
        else one
        for key, one in settings.items()
    }  # fmt: skip


def _moving(body: Body, mark: str, turning: bool, forces: Sequence[Force]) -> MovingBody:
    if turning:
        inertia, name = f"inertia{mark}", body.name
        one = Coordinate(
            name, "angle", f"angle{mark}", f"omega{mark}", f"torque{mark}", f"alpha{mark}", inertia
        )
        hangs = any(f.kind == PENDULUM and (not f.bodies or name in f.bodies) for f in forces)
        return MovingBody(name, mark, (one,), hangs)
    alone = len(body.axes) == 1
    cs = []
    for axis in body.axes:
        along = mark if alone else f"_{axis}{mark}"
        cs.append(
            Coordinate(
                body.name, axis, f"{axis}{mark}", f"v{along}", f"F{along}", f"a{along}", f"m{mark}"
            )
        )
    return MovingBody(body.name, mark, tuple(cs))


def _recorded(
    context: TrialContext, bodies: Sequence[Body], forces: Sequence[Force]
) -> dict[str, RecordedForce]:
    if not any(force.kind == RECORDED for force in forces):
        return {}
    found = {}
    for body in bodies:
        for channel in context.trial.body(body.name).sensors:
            good = np.isfinite(channel.si)
            if channel.axis == FORCE_AXIS and good.sum() > 1:
                found[body.name] = RecordedForce(context.trial.t[good], channel.si[good])
    if not found:
        raise Refusal("No force was recorded in this trial, so that none can drive a model.")
    return found


@dataclass
class _Settings:
    """Finds all settings of a model, with a name and a name in the program for each."""

    context: TrialContext
    model: Model
    bodies: tuple[MovingBody, ...]
    forces: tuple[Force, ...]
    found: dict[tuple[int, str, str], Setting] = field(default_factory=dict)
    _codes: dict[object, str] = field(default_factory=dict)

    def all(self) -> Mapping[tuple[int, str, str], Setting]:
        """Return all settings by force, symbol and body."""
        for body in self.bodies:
            self._mass(body)
        for place, force in enumerate(self.forces):
            if force.kind == FORMULA:
                self._formula(place, force)
            else:
                for one in force_kind(force.kind).parameters:
                    self._parameter(place, force, one)
        for body in self.bodies:
            if body.turning:
                self._circle(body)
        return self.found

    def _on(self, force: Force) -> list[MovingBody]:
        return [b for b in self.bodies if not force.bodies or b.name in force.bodies]

    def _mass(self, body: MovingBody) -> None:
        acting = [f for f in self.forces if not f.bodies or body.name in f.bodies]
        damped = any(f.kind == PENDULUM and _typed_value(f, "b") for f in acting)
        needed = damped or any(force_kind(f.kind).needs_mass for f in acting)
        hinged = body.turning and not body.hanging
        known = self.context.masses.get(body.name)
        if hinged:
            fact = self.context.setup.get(("I", body.name))
            turned = any(
                _typed_value(f, p.symbol) or not _typed_zero(f, p.symbol)
                for f in acting
                if force_kind(f.kind).acts is Acts.TURNING
                for p in force_kind(f.kind).parameters[:1]
            )
            if fact is None and turned:
                raise Refusal(
                    f"The moment of inertia of {body.name} is needed: type it in the setup (in a "
                    f"command --fact “moment of inertia of {body.name} = …”)."
                )
            code, name = f"inertia{body.suffix}", f"moment of inertia of {body.name}"
            none = Setting(name, code, 1.0, "inertia", "kg·m²", known=False, symbol=UNKNOWN)
            own = self._of_fact(name, code, "inertia", *fact) if fact is not None else none
            self._keep((-1, "I", body.name), own)
        if known is None and needed and not hinged:
            raise Refusal(
                f"The mass of {body.name} is needed for these forces: type it in the setup (in a "
                f"command --fact “{mass_key(body.name)} = …”)."
            )
        code, name = f"m{body.suffix}", mass_key(body.name)
        if known is None:
            one = Setting(name, code, 1.0, "mass", "kg", known=False, symbol=UNKNOWN)
        else:
            one = self._of_fact(name, code, "mass", *known)
        self._keep((-1, "m", body.name), one)

    def _keep(self, place: tuple[int, str, str], one: Setting) -> None:
        self.found[place] = one

    def _of_fact(
        self, name: str, code: str, kind: str, key: FactId, fact: Fact, **more: object
    ) -> Setting:
        made = Setting(name, code, fact.si, kind, SI_SYMBOL[kind], key, fact)
        return replace(made, **more)  # type: ignore[arg-type]

    def _code(self, symbol: str, identity: object) -> str:
        """A name in the program, the same for the same thing."""
        if identity in self._codes:
            return self._codes[identity]
        plain = "".join(_GREEK.get(letter, letter) for letter in symbol)
        plain = re.sub(r"\W", "_", plain)
        taken = {*self._codes.values(), *(f"m{b.suffix}" for b in self.bodies)}
        taken |= {n for b in self.bodies for c in b.coordinates for n in (c.place, c.rate, c.force)}
        taken |= {c.acceleration for b in self.bodies for c in b.coordinates}
        code = f"{plain}_0" if plain in _WORDS else plain
        number = 2
        while code in taken:
            code, number = f"{plain}_{number}", number + 1
        self._codes[identity] = code
        return code

    def _name(self, force: Force, symbol: str) -> str:
        """How a parameter is called: by its symbol, with body or force where others have it too."""
        spelled = force.parameter(symbol).spelled or symbol
        others = [f for f in self.forces if f is not force and _has(f, symbol)]
        if not others:
            return spelled
        if force.bodies and any(f.kind == force.kind for f in others):
            return f"{spelled} of {', '.join(force.bodies)}"
        return f"{spelled} of {force.kind}"

    def _parameter(self, place: int, force: Force, kind: ParameterKind) -> None:
        bodies = self._on(force)
        each = kind.fact in ("F_p", "x_c", "y_c")
        if kind.fact == "y_c":  # of a pendulum that was followed along one axis, it is not seen
            bodies = [b for b in bodies if len(self.context.trial.body(b.name).axes) > 1]
        for body in bodies if each else [None]:
            self._one(place, force, kind, "" if body is None else body.name)

    def _one(self, place: int, force: Force, kind: ParameterKind, body: str) -> None:
        typed = force.parameter(kind.symbol)
        name = self._name(force, kind.symbol)
        base = Setting(
            name, "", 0.0, kind.kind, SI_SYMBOL[kind.kind], least=kind.least, tried=kind.tried,
            force=place, symbol=kind.symbol, known=False,
        )  # fmt: skip
        fact = typed.fact
        key = None
        if fact is None:
            known = self._setup_fact(kind, body)
            if known is not None:
                key, fact = known
        elif fact.u > 0.0 and not typed.free:
            scope = f"trial {self.context.trial.id}"
            key = FactId(f"{name} = {fact} in models", scope)
        if fact is None and not typed.free and kind.symbol == "m_h" and len(force.bodies) == 2:
            known = self.context.masses.get(force.bodies[1])
            if known is not None:
                key, fact = known
        if fact is None and not typed.free and kind.default:
            fact = parse_value(kind.default, kind)
        if fact is not None:
            base = replace(base, value=fact.si, fact=fact, key=key, known=True)
        if typed.free or fact is None:
            base = replace(base, free=True, key=None)
        identity = base.key if base.key is not None else (place, kind.symbol, body)
        code = self._code(kind.symbol, identity)
        self._keep((place, kind.symbol, body), replace(base, code=code))

    def follower(self, body: str, leader: MovingBody) -> Follower:
        """Return a body that hangs on the cord of another, with where it begins as a setting."""
        axes = self.context.trial.body(body).axes
        code = self._code("begin", (BEGIN, body))
        name = f"start of {body}"
        one = Setting(name, code, 0.0, "length", "m", free=True, known=False, symbol=BEGIN)
        self._keep((-1, BEGIN, body), one)
        return Follower(body, axes[-1], leader.coordinates[0].place, code)

    def _setup_fact(self, kind: ParameterKind, body: str) -> tuple[FactId, Fact] | None:
        if not kind.fact:
            return None
        if kind.fact in ("x_c", "y_c"):
            return self.context.shared.get(CENTRE[kind.fact[0]])
        setup = self.context.setup
        return setup.get((kind.fact, body)) or setup.get((kind.fact, ""))

    def _circle(self, body: MovingBody) -> None:
        """The circle on which a turning body is seen: its radius, and its centre."""
        axes = self.context.trial.body(body.name).axes
        pendulum = next(
            (k for k, f in enumerate(self.forces) if f.kind == PENDULUM and body in self._on(f)),
            None,
        )
        base = Setting("", "", 0.0, "length", "m", free=True, known=False, least=0.0)
        if len(axes) > 1:
            code, name = self._code(f"r{body.suffix}", ("r", body.name)), f"radius of {body.name}"
            self._keep((-1, RADIUS, body.name), replace(base, name=name, code=code, symbol="r"))
        elif pendulum is None:
            raise Refusal(f"{body.name} has to be followed along x and y to turn about an axis.")
        if pendulum is not None:
            return
        for axis, name in CENTRE.items():
            code = self._code(f"{axis}_c{body.suffix}", (axis, body.name))
            known = self.context.shared.get(name)
            one = replace(
                base, name=f"{name} of {body.name}", code=code, symbol=f"{axis}_c", least=-inf
            )
            if known is not None:
                key, fact = known
                one = replace(one, value=fact.si, fact=fact, key=key, free=False, known=True)
            self._keep((-1, f"{axis}_c", body.name), one)

    def _formula(self, place: int, force: Force) -> None:
        formula = parse_formula(force.formula)
        known = dict(moved_dimensions(self.bodies))
        own: dict[str, Setting] = {}
        for symbol in formula.names:
            if symbol in known:
                continue
            typed = force.parameter(symbol)
            name = self._name(force, symbol)
            fact = self._fact_of_formula(symbol)
            if typed.fact is None and not typed.free and fact is not None:
                key, value = fact
                code = self._code(symbol, key)
                own[symbol] = self._of_fact(
                    name, code, value.unit.kind, key, value, force=place, symbol=symbol
                )
                known[symbol] = OF_KIND[value.unit.kind]
                continue
            code = self._code(symbol, (place, symbol, ""))
            base = Setting(name, code, 0.0, "number", typed.unit, force=place, symbol=symbol,
                           known=False)  # fmt: skip
            if typed.fact is not None:
                value = typed.fact
                scope = f"trial {self.context.trial.id}"
                own_key = FactId(f"{name} = {value} in models", scope)
                key2 = own_key if value.u > 0.0 else None
                kind, unit, dimension = unit_of_typed(value)
                base = replace(base, value=value.si, kind=kind, unit=unit, fact=value, key=key2,
                               known=True)  # fmt: skip
                known[symbol] = dimension
            elif typed.unit:
                known[symbol] = parse_unit(typed.unit)[1]
            if typed.free or typed.fact is None:
                base = replace(base, free=True, key=None)
            own[symbol] = base
        turning = all(b.turning for b in self._on(force))
        wanted = OF_KIND["torque" if turning else "force"]
        infer_units(formula, known, wanted)
        for symbol, one in own.items():
            if not one.unit:
                unit = str(known[symbol])
                own[symbol] = one = replace(one, unit="" if unit == "1" else unit)
            self._keep((place, symbol, ""), one)
        check_unit(formula, known, wanted)

    def _fact_of_formula(self, symbol: str) -> tuple[FactId, Fact] | None:
        if (symbol, "") in self.context.setup:
            return self.context.setup[symbol, ""]
        return None


def _has(force: Force, symbol: str) -> bool:
    if force.kind == FORMULA:
        return symbol in parse_formula(force.formula).names
    return any(p.symbol == symbol for p in force_kind(force.kind).parameters) and symbol != G.symbol


def _typed_value(force: Force, symbol: str) -> bool:
    one = force.parameter(symbol)
    return one.free or (one.fact is not None and one.fact.si != 0.0)


def _typed_zero(force: Force, symbol: str) -> bool:
    one = force.parameter(symbol)
    return one.fact is not None and one.fact.si == 0.0 and not one.free
