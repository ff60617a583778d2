"""A model as a program: a loop of one rule over moments, which is run here and shown as it is.

What is run is what is shown, so both give the same numbers to the last digit. Rules: Euler's;
velocity first (semi-implicit, Hairer, Lubich & Wanner, *Geometric Numerical Integration*, 2nd ed.,
2006, I.1.2); velocity Verlet (Swope et al., J. Chem. Phys. 76 (1982) 637-649), with the velocity
foreseen where forces hang on it; classical Runge and Kutta.
"""

import ast
import inspect
import textwrap
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from types import CodeType, ModuleType
from typing import Any

import numpy as np

from inertian.models.definitions.model import Rule
from inertian.models.definitions.system import Coordinate, System
from inertian.models.stepping import friction_direction
from inertian.models.stepping.force_lines import write_forces
from inertian.models.stepping.written_forces import WrittenForces
from inertian.physics.definitions import force_laws
from inertian.quantities.estimates import Array

INDENT = "    "
FROM_NUMPY = ("sin", "cos", "tan", "exp", "log", "sqrt", "tanh", "arctan", "interp", "pi")


@dataclass(frozen=True, eq=False)
class SteppedMotion:
    """A motion stepped by a rule: moments in s, (n,), places and rates of all coordinates,
    (coordinates, n), in SI.
    """

    t: Array
    places: Array
    rates: Array


@lru_cache(maxsize=64)
def source_of_law(name: str, module: ModuleType = force_laws) -> str:
    """Return a law as it stands in this program, without types, its text shortened to a line."""
    function = ast.parse(textwrap.dedent(inspect.getsource(getattr(module, name)))).body[0]
    assert isinstance(function, ast.FunctionDef)
    text = " ".join((ast.get_docstring(function) or "").split())
    body = [ast.unparse(node) for node in function.body[1:]]
    arguments = ", ".join(
        f"{a.arg}={ast.unparse(d)}" if d is not None else a.arg
        for a, d in zip(
            function.args.args,
            [None] * (len(function.args.args) - len(function.args.defaults))
            + list(function.args.defaults),
            strict=True,
        )
    )
    first = text.partition(". ")[0].rstrip(".")
    said = textwrap.indent("\n".join(textwrap.wrap(first, 88)), "# ")
    inner = textwrap.indent("\n".join(body).replace("np.", ""), INDENT)
    return f"{said}\ndef {name}({arguments}):\n{inner}"


def laws_text(written: WrittenForces) -> str:
    """Return the text of all laws that a program uses."""
    texts = [
        source_of_law(name, friction_direction if "direction" in name else force_laws)
        for name in written.laws
    ]
    if written.insides:
        texts.append(source_of_law("inside", friction_direction))
    return "\n\n\n".join(texts)


def _states(cs: tuple[Coordinate, ...]) -> list[str]:
    return [*(c.place for c in cs), *(c.rate for c in cs)]


def acceleration_text(written: WrittenForces, entries: bool = False) -> str:
    """Return the function of time, places, rates and step that gives all accelerations; with
    `entries` also each force.
    """
    cs = written.system.coordinates
    name = "forces" if entries else "acceleration"
    given = [e.variable for e in written.entries] if entries else [c.acceleration for c in cs]
    returned = ", ".join(given) + ("," if entries else "")
    lines = [*written.lines, f"return {returned if given else '()'}"]
    lines = _without_first_zero(lines)
    body = textwrap.indent("\n".join(lines), INDENT)
    return f"def {name}({', '.join(['t', *_states(cs), 'dt'])}):\n{body}"


def _without_first_zero(lines: list[str]) -> list[str]:
    """F = 0.0 followed at once by F = F + weight says less than F = weight."""
    kept: list[str] = []
    for line in lines:
        name = line.partition(" = ")[0]
        if f"{name} = 0.0" in kept and line.startswith(f"{name} = {name} + "):
            between = kept[kept.index(f"{name} = 0.0") + 1 :]
            used = any(name in part for part in between)
            kept.remove(f"{name} = 0.0")
            if not used:
                kept.append(line.replace(f"{name} = {name} + ", f"{name} = "))
                continue
            kept.insert(len(kept) - len(between), f"{name} = 0.0")
        kept.append(line)
    return kept


def loop_text(cs: tuple[Coordinate, ...], rule: Rule) -> str:
    """Return the function that steps over moments t from places and rates on, by a rule; Runge and
    Kutta's stands for the reference, which is none of this kind.
    """
    states = _states(cs)
    lists = [f"all_{name}" for name in states]
    lines = [f"{', '.join(lists)} = {', '.join(f'[{name}]' for name in states)}"]
    loop = ["dt = t[i + 1] - t[i]", *_LOOPS[rule](cs)]
    loop += [f"{rows}.append({name})" for rows, name in zip(lists, states, strict=True)]
    lines += ["for i in range(len(t) - 1):", textwrap.indent("\n".join(loop), INDENT)]
    lines.append(f"return {', '.join(lists)}")
    return f"def steps({', '.join(['t', *states])}):\n" + textwrap.indent("\n".join(lines), INDENT)


def _call(cs: tuple[Coordinate, ...], t: str, states: list[str], mark: str = "") -> str:
    given = ", ".join(f"{c.acceleration}{mark}" for c in cs)
    return f"{given} = acceleration({', '.join([t, *states, 'dt'])})"


def _euler(cs: tuple[Coordinate, ...]) -> list[str]:
    return [
        _call(cs, "t[i]", _states(cs)),
        *(f"{c.place} = {c.place} + {c.rate}*dt" for c in cs),
        *(f"{c.rate} = {c.rate} + {c.acceleration}*dt" for c in cs),
    ]


def _velocity_first(cs: tuple[Coordinate, ...]) -> list[str]:
    return [
        _call(cs, "t[i]", _states(cs)),
        *(f"{c.rate} = {c.rate} + {c.acceleration}*dt" for c in cs),
        *(f"{c.place} = {c.place} + {c.rate}*dt" for c in cs),
    ]


def _verlet(cs: tuple[Coordinate, ...]) -> list[str]:
    foreseen = [f"{c.rate} + {c.acceleration}*dt" for c in cs]
    return [
        _call(cs, "t[i]", _states(cs)),
        *(f"{c.place} = {c.place} + {c.rate}*dt + 0.5*{c.acceleration}*dt*dt" for c in cs),
        _call(cs, "t[i + 1]", [*(c.place for c in cs), *foreseen], "_new"),
        *(f"{c.rate} = {c.rate} + 0.5*({c.acceleration} + {c.acceleration}_new)*dt" for c in cs),
    ]


def _runge_kutta(cs: tuple[Coordinate, ...]) -> list[str]:
    lines = []
    for stage, (before, part, at) in enumerate(
        (("", "", "t[i]"), ("1", "0.5*", "t[i] + 0.5*dt"), ("2", "0.5*", "t[i] + 0.5*dt"),
         ("3", "", "t[i + 1]")), 1
    ):  # fmt: skip
        if before:
            # noise-free names: v2 is the velocity of the second stage
            lines += [f"{c.place}{stage} = {c.place} + {part}{c.rate}{before}*dt" for c in cs]
            lines += [f"{c.rate}{stage} = {c.rate} + {part}{c.acceleration}{before}*dt" for c in cs]
        else:
            lines += [f"{c.place}1, {c.rate}1 = {c.place}, {c.rate}" for c in cs]
        states = [f"{name}{stage}" for name in _states(cs)]
        lines.append(_call(cs, at, states, str(stage)))
    for c in cs:
        a, v = c.acceleration, c.rate
        lines.append(f"{c.place} = {c.place} + dt/6*({v}1 + 2*{v}2 + 2*{v}3 + {v}4)")
    for c in cs:
        a, v = c.acceleration, c.rate
        lines.append(f"{v} = {v} + dt/6*({a}1 + 2*{a}2 + 2*{a}3 + {a}4)")
    return lines


_LOOPS = {
    Rule.EULER: _euler,
    Rule.SEMI_IMPLICIT: _velocity_first,
    Rule.VERLET: _verlet,
    Rule.RK4: _runge_kutta,
    Rule.REFERENCE: _runge_kutta,
}


@lru_cache(maxsize=64)
def compiled(text: str) -> CodeType:
    """Return a text of this program's own making, ready to run."""
    return compile(text, "<model>", "exec")


def namespace_of(system: System, values: Mapping[str, Any]) -> dict[str, Any]:
    """Return what a program may use: functions of NumPy, recorded forces, and all settings, from
    `values` where they are given.
    """
    space: dict[str, Any] = {name: getattr(np, name) for name in FROM_NUMPY}
    for body in system.bodies:
        if body.name in system.recorded:
            one = system.recorded[body.name]
            space[f"recorded_t{body.suffix}"] = one.t
            space[f"recorded_F{body.suffix}"] = one.adjusted(values)
    space |= {s.code: s.value for s in system.distinct}
    return {**space, **values}


def run_program(
    system: System, rule: Rule, t: Array, places: Array, rates: Array,
    values: Mapping[str, float] | None = None,
) -> SteppedMotion:  # fmt: skip
    """Step a system over moments t in s, (n,), from places and rates, (coordinates,), on, in SI.

    `values` are of settings by their names in the program.
    """
    written = write_forces(system, numbered=False)
    cs = system.coordinates
    text = "\n\n".join([laws_text(written), acceleration_text(written), loop_text(cs, rule)])
    space = namespace_of(system, values or {})
    space["t_start"] = float(t[0])
    exec(compiled(text), space)
    exec(compiled("\n".join(written.before)), space)
    for name, value in list(space.items()):
        if isinstance(value, np.float64):
            space[name] = float(value)  # the same number, and twice as fast in a loop
    with np.errstate(all="ignore"):
        found = space["steps"](t.tolist(), *map(float, places), *map(float, rates))
    rows = np.array(found, dtype=float).reshape(2, len(cs), len(t))
    return SteppedMotion(t, rows[0], rows[1])
