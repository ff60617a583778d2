"""Each kind of force as lines of a program."""

from collections.abc import Callable
from dataclasses import dataclass

from inertian.models.definitions.force_kinds import (
    BUMPER,
    CONTACT,
    CORD,
    DAMPED,
    DRY_TORQUE,
    FORMULA,
    FRICTION,
    LINEAR,
    NONE,
    PENDULUM,
    PUSH,
    QUADRATIC,
    RECORDED,
    REPULSION,
    ROLLING,
    SLOPE,
    SPRING,
    THRUST,
    TORSION,
    VISCOUS_TORQUE,
    WEIGHT,
)
from inertian.models.definitions.system import Coordinate, MovingBody, System
from inertian.models.stepping.written_forces import WrittenForces
from inertian.quantities.errors import Refusal
from inertian.quantities.expression_tree import (
    Binary,
    Call,
    Negative,
    Number,
    Operation,
    Symbol,
    Visitor,
)
from inertian.quantities.expressions import CONSTANTS, parse_formula


def write_forces(system: System, numbered: bool) -> WrittenForces:
    """Return all forces of a system as lines of a program; `numbered` for who keeps events.

    Raises Refusal for a force that cannot act on these bodies.
    """
    w = WrittenForces(system, numbered)
    w.lines += [f"{c.force} = 0.0" for c in system.coordinates]
    for place, force in enumerate(system.forces):
        if force.kind != NONE:
            w.place = place
            _WRITERS[force.kind](w, place)
    w.finish()
    return w


def _ground(w: WrittenForces, body: MovingBody, name: str) -> tuple[Coordinate, ...]:
    if body.turning:
        raise Refusal(f"{body.name} turns about an axis: “{name}” acts on what moves along.")
    return body.coordinates


def _weight(w: WrittenForces, place: int) -> None:
    for body in w.system.acted_on(place):
        cs = _ground(w, body, WEIGHT)
        c = body.along("y") or cs[0]
        up = "0.5*pi"
        w.constant(place, c, "weight", w.law("weight_along", c.inertia, w.code(place, "g"), up))


def _slope(w: WrittenForces, place: int) -> None:
    for body in w.system.acted_on(place):
        c = _ground(w, body, SLOPE)[0]
        arguments = (c.inertia, w.code(place, "g"), w.code(place, "θ"))
        w.constant(place, c, "weight", w.law("weight_along", *arguments))


def _push(w: WrittenForces, place: int) -> None:
    axis = w.system.forces[place].axis
    for body in w.system.acted_on(place):
        c = body.along(axis) or _ground(w, body, PUSH)[0]
        force = w.law("constant_push", w.code(place, "F", body.name))
        gates = []
        if w.system.setting(place, "t_1").value > -1e8 or w.system.setting(place, "t_1").free:
            gates.append(w.inside(f"t - {w.code(place, 't_1')}"))
        if w.system.setting(place, "t_2").value < 1e8 or w.system.setting(place, "t_2").free:
            gates.append(w.inside(f"{w.code(place, 't_2')} - t"))
        if gates:
            w.add(place, c, "push", "*".join([force, *gates]))
        else:
            w.constant(place, c, "push", force)


def _rubbing(w: WrittenForces, place: int, symbol: str, name: str, law: str) -> None:
    for body in w.system.acted_on(place):
        c = _ground(w, body, name)[0]
        incline = () if w.is_zero(place, "θ") else (w.code(place, "θ"),)
        pressed = w.law("normal_force", c.inertia, w.code(place, "g"), *incline)
        normal = w.hoist(f"normal{body.suffix}", pressed)
        coefficient = w.code(place, symbol)
        call = w.law(law, coefficient, normal, "{direction}")
        w.rub(place, body, f"{coefficient}*{normal}", name.split()[-1], call)


def _friction(w: WrittenForces, place: int) -> None:
    _rubbing(w, place, "μ", "friction", "sliding_friction")


def _rolling(w: WrittenForces, place: int) -> None:
    _rubbing(w, place, "c_r", "rolling", "rolling_resistance")


def _linear(w: WrittenForces, place: int) -> None:
    for body in w.system.acted_on(place):
        for c in _ground(w, body, LINEAR):
            w.add(place, c, "drag", w.law("linear_drag", w.code(place, "b"), c.rate))


def _quadratic(w: WrittenForces, place: int) -> None:
    for body in w.system.acted_on(place):
        cs = _ground(w, body, QUADRATIC)
        speed = w.speed(body)
        for c in cs:
            law = w.law("quadratic_drag", w.code(place, "c"), f"{c.rate}*{speed}")
            w.add(place, c, "drag", law)


def _spring(w: WrittenForces, place: int) -> None:
    kind = w.system.forces[place].kind
    for body in w.system.acted_on(place):
        c = _ground(w, body, SPRING)[0]
        stretched = f"{c.place} - {w.code(place, 'x_0')}"
        w.add(place, c, "spring", w.law("spring_force", w.code(place, "k"), stretched))
        if kind == DAMPED:
            w.add(place, c, "damping", w.law("linear_drag", w.code(place, "b"), c.rate))


def _bumper(w: WrittenForces, place: int) -> None:
    for body in w.system.acted_on(place):
        c = _ground(w, body, BUMPER)[0]
        ahead = w.system.signs[place, body.name] > 0
        stretched = f"{c.place} - {w.code(place, 'x_0')}"
        pressed = stretched if ahead else f"{w.code(place, 'x_0')} - {c.place}"
        gate = f"touches{c.force.removeprefix('F')}_{place + 1}"
        w.lines.append(f"{gate} = {w.inside(pressed)}")
        law = w.law("spring_force", w.code(place, "k"), stretched)
        w.add(place, c, "bumper", f"{gate}*{law}")
        if not w.is_zero(place, "b"):
            law = w.law("linear_drag", w.code(place, "b"), c.rate)
            w.add(place, c, "damping", f"{gate}*{law}")


def _pairs(w: WrittenForces, place: int) -> list[tuple[MovingBody, MovingBody]]:
    bodies = list(w.system.acted_on(place))
    if len(bodies) < 2:
        raise Refusal(f"“{w.system.forces[place].kind}” acts between two bodies; here is one.")
    return [(a, b) for i, a in enumerate(bodies) for b in bodies[i + 1 :]]


def _between(
    w: WrittenForces, place: int, a: MovingBody, b: MovingBody, name: str
) -> tuple[str, list[tuple[Coordinate, Coordinate, str]]]:
    """How far two bodies are apart, and the direction from the first to the second."""
    pairs = list(zip(_ground(w, a, name), _ground(w, b, name), strict=True))
    mark = f"{a.suffix}{b.suffix}_{place + 1}"
    apart = f"apart{mark}"
    if len(pairs) == 1:
        (c, d), ahead = pairs[0], w.system.signs[place, f"{a.name}\n{b.name}"] > 0
        w.lines.append(
            f"{apart} = " + (f"{d.place} - {c.place}" if ahead else f"{c.place} - {d.place}")
        )
        return apart, [(c, d, "" if ahead else "-")]
    for c, d in pairs:
        w.lines.append(f"gap_{c.axis}{mark} = {d.place} - {c.place}")
    squares = " + ".join(f"gap_{c.axis}{mark}*gap_{c.axis}{mark}" for c, _ in pairs)
    w.lines.append(f"{apart} = sqrt({squares})")
    return apart, [(c, d, f"gap_{c.axis}{mark}/{apart}*") for c, d in pairs]


def _push_apart(
    w: WrittenForces, place: int, ways: list[tuple[Coordinate, Coordinate, str]], name: str,
    force: str,
) -> None:  # fmt: skip
    for c, d, way in ways:
        minus = "" if way == "-" else "-"
        w.add(place, c, name, f"{minus}{'' if way == '-' else way}{force}")
        w.add(place, d, name, f"{way}{force}")


def _contact(w: WrittenForces, place: int) -> None:
    for a, b in _pairs(w, place):
        apart, ways = _between(w, place, a, b, CONTACT)
        mark = f"{a.suffix}{b.suffix}_{place + 1}"
        m, n = a.coordinates[0].inertia, b.coordinates[0].inertia
        together = w.hoist(f"reduced{mark}", f"{m}*{n}/({m} + {n})")
        law = w.law("contact_damping", w.code(place, "k"), together, w.code(place, "e"))
        damping = w.hoist(f"damping{mark}", law)
        overlap = f"overlap{mark}"
        w.lines.append(f"{overlap} = {w.code(place, 'd')} - {apart}")
        closing = " + ".join(
            f"{'-' if way == '-' else way}({c.rate} - {d.rate})" for c, d, way in ways
        )
        hit = w.law("contact_force", w.code(place, "k"), damping, overlap, closing)
        w.lines.append(f"contact{mark} = {w.inside(overlap)}*{hit}")
        _push_apart(w, place, ways, "contact_on", f"contact{mark}")


def _repulsion(w: WrittenForces, place: int) -> None:
    for a, b in _pairs(w, place):
        apart, ways = _between(w, place, a, b, REPULSION)
        mark = f"{a.suffix}{b.suffix}_{place + 1}"
        names = (w.code(place, "F"), w.code(place, "d"), apart, w.code(place, "n"))
        cut = w.system.setting(place, "r_c")
        gate = f"{w.inside(f'{cut.code} - {apart}')}*" if cut.value < 1e8 or cut.free else ""
        w.lines.append(f"repulsion{mark} = {gate}{w.law('repulsion', *names)}")
        _push_apart(w, place, ways, "repulsion_on", f"repulsion{mark}")


def _thrust(w: WrittenForces, place: int) -> None:
    for body in w.system.acted_on(place):
        c = _ground(w, body, THRUST)[0]
        begin = w.system.setting(place, "t_0")
        gate, since = "", "t - t_start"
        if begin.value > -1e8 or begin.free:
            gate = f"burning{c.force.removeprefix('F')}"
            w.lines.append(f"{gate} = {w.inside(f't - {begin.code}')}")
            since = f"{gate}*(t - {begin.code})"
        law = w.law("decaying_thrust", w.code(place, "F"), since, w.code(place, "τ"))
        w.add(place, c, "thrust", f"{gate}*{law}" if gate else law)


def _cord(w: WrittenForces, place: int) -> None:
    for body in w.system.acted_on(place):
        c = _ground(w, body, CORD)[0]
        mass = w.code(place, "m_h")
        sign = "-" if w.system.setting(place, "s").value < 0 else ""
        w.constant(place, c, "pull", sign + w.law("hanging_weight", mass, w.code(place, "g")))
        parts = w.more_inertia.setdefault(c.inertia, [])
        parts.append(mass)
        if not w.is_zero(place, "I"):
            law = w.law("pulley_mass", w.code(place, "I"), w.code(place, "r"))
            parts.append(w.hoist(f"pulley{body.suffix}", law))


def _pendulum(w: WrittenForces, place: int) -> None:
    for body in w.system.acted_on(place):
        c, mass = body.coordinates[0], w.system.setting(-1, "m", body.name).code
        length = w.code(place, "l")
        w.before.insert(0, f"{c.inertia} = {mass}*{length}*{length}")
        arguments = (mass, w.code(place, "g"), length, c.place)
        w.add(place, c, "weight", w.law("pendulum_torque", *arguments))
        if not w.is_zero(place, "b"):
            turning = f"{w.code(place, 'b')}*{length}*{length}"
            w.add(place, c, "damping", w.law("viscous_torque", turning, c.rate))


def _turning(w: WrittenForces, place: int) -> None:
    kind = w.system.forces[place].kind
    for body in w.system.acted_on(place):
        c = body.coordinates[0]
        if kind == DRY_TORQUE:
            size = w.code(place, "M_d")
            w.rub(place, body, size, "bearing", w.law("dry_torque", size, "{direction}"))
        elif kind == VISCOUS_TORQUE:
            w.add(place, c, "viscous", w.law("viscous_torque", w.code(place, "β"), c.rate))
        else:
            turned = f"{c.place} - {w.code(place, 'φ_0')}"
            w.add(place, c, "torsion", w.law("torsion_torque", w.code(place, "κ"), turned))


def _recorded(w: WrittenForces, place: int) -> None:
    for body in w.system.acted_on(place):
        if body.name not in w.system.recorded:
            continue
        c = _ground(w, body, RECORDED)[0]
        zero = "" if w.is_zero(place, "F_0") else f" - {w.code(place, 'F_0')}"
        read = f"interp(t, recorded_t{body.suffix}, recorded_F{body.suffix})"
        w.add(place, c, "gauge", f"{w.code(place, 'f')}*({read}{zero})")


def _typed(w: WrittenForces, place: int) -> None:
    force = w.system.forces[place]
    for body in w.system.acted_on(place):
        turns = body.coordinates[0] if body.turning else None
        c = turns or body.along(force.axis) or _ground(w, body, FORMULA)[0]
        names = formula_names(w.system, place, body)
        written = _Written({n: names[n] for n in parse_formula(force.formula).names})
        w.add(place, c, "formula", written.visit(parse_formula(force.formula).tree))


def formula_names(system: System, place: int, body: MovingBody) -> dict[str, str]:
    """Return what the names of a typed force stand for in the program: places, velocities, the
    time, and settings.
    """
    names = {"t": "t"}
    for number, one in enumerate(system.bodies, 1):
        for mark in (f"_{number}", f"_{one.name}", *([""] if one is body else [])):
            for c in one.coordinates:
                names[f"{'φ' if c.axis == 'angle' else c.axis}{mark}"] = c.place
                names[f"{'ω' if c.axis == 'angle' else f'v_{c.axis}'}{mark}"] = c.rate
            alone = len(one.coordinates) == 1
            squares = " + ".join(f"{c.rate}*{c.rate}" for c in one.coordinates)
            names[f"v{mark}"] = one.coordinates[0].rate if alone else f"sqrt({squares})"
            names[f"m{mark}"] = system.setting(-1, "m", one.name).code
    for (at, symbol, _), setting in system.settings.items():
        if at == place:
            names[symbol] = setting.code
    return names


_SIGNS = {
    Operation.ADD: " + ",
    Operation.SUBTRACT: " - ",
    Operation.MULTIPLY: "*",
    Operation.DIVIDE: "/",
    Operation.POWER: "**",
}
_CALLED = {"ln": "log", "atan": "arctan"}


@dataclass(frozen=True)
class _Written(Visitor[str]):
    """An expression as a line of Python."""

    names: dict[str, str]

    def number(self, node: Number) -> str:
        return repr(node.value)

    def symbol(self, node: Symbol) -> str:
        return (
            repr(float(CONSTANTS[node.name])) if node.name in CONSTANTS else self.names[node.name]
        )

    def negative(self, node: Negative) -> str:
        return f"(-{self.visit(node.inner)})"

    def binary(self, node: Binary) -> str:
        return f"({self.visit(node.left)}{_SIGNS[node.operation]}{self.visit(node.right)})"

    def call(self, node: Call) -> str:
        return f"{_CALLED.get(node.function, node.function)}({self.visit(node.argument)})"


_WRITERS: dict[str, Callable[[WrittenForces, int], None]] = {
    WEIGHT: _weight,
    SLOPE: _slope,
    PUSH: _push,
    FRICTION: _friction,
    ROLLING: _rolling,
    LINEAR: _linear,
    QUADRATIC: _quadratic,
    SPRING: _spring,
    DAMPED: _spring,
    BUMPER: _bumper,
    CONTACT: _contact,
    REPULSION: _repulsion,
    THRUST: _thrust,
    CORD: _cord,
    PENDULUM: _pendulum,
    RECORDED: _recorded,
    FORMULA: _typed,
    DRY_TORQUE: _turning,
    VISCOUS_TORQUE: _turning,
    TORSION: _turning,
}
