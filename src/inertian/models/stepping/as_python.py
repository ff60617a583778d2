"""A model as a short program of its own, for a class: plain Python with NumPy, one loop.

It holds the laws, the numbers and the loop that this program runs, so it gives the same numbers to
the last digit.
"""

import re
from collections.abc import Mapping, Sequence
from textwrap import wrap

import numpy as np

from inertian.models.definitions.model import Rule
from inertian.models.definitions.system import Setting, System
from inertian.models.stepping.force_lines import write_forces
from inertian.models.stepping.program import (
    FROM_NUMPY,
    acceleration_text,
    laws_text,
    loop_text,
)
from inertian.quantities.estimates import Array

_TITLES = {
    Rule.EULER: "plain steps (Euler)",
    Rule.SEMI_IMPLICIT: "velocity first, then position (semi-implicit)",
    Rule.VERLET: "velocity Verlet",
    Rule.RK4: "classical Runge-Kutta",
    Rule.REFERENCE: "classical Runge-Kutta; the adaptive reference itself needs more than a loop",
}


def program_text(
    system: System, rule: Rule, t: Array, places: Array, rates: Array,
    values: Mapping[str, float], title: str,
) -> str:  # fmt: skip
    """Return the program of a model: moments t in s, (n,), from places and rates, (coordinates,),
    on; `values` of settings by their names in it.
    """
    written = write_forces(system, numbered=False)
    body = [
        laws_text(written),
        "\n".join(_numbers(system, values)),
        "\n".join([*_recorded(system, values), *written.before]),
        acceleration_text(written),
        loop_text(system.coordinates, rule),
    ]
    used = "\n".join(body)
    code = re.sub(r"#.*", "", used)
    names = [n for n in FROM_NUMPY if re.search(rf"\b{n}\b", code)]
    words = " ".join(title.split())
    head = [
        f'"""{words}: {_TITLES[rule]}."""',
        "import numpy as np",
        f"from numpy import {', '.join(names)}" if names else "",
    ]
    states = [n for c in system.coordinates for n in (c.place,)]
    rated = [c.rate for c in system.coordinates]
    lists = [f"all_{n}" for n in [*states, *rated]]
    start = _start(system, places, rates)
    tail = [
        *_moments(t),
        *(["t_start = t[0]"] if "t_start" in used else []),
        *start,
        f"{', '.join(lists)} = steps({', '.join(['t', *states, *rated])})",
        "",
        f"for row in zip({', '.join(['t', *lists])}):",
        '    print(*(f"{float(value):.17g}" for value in row))',
    ]
    parts = ["\n".join(line for line in head if line), *(b for b in body if b.strip())]
    before = [*(["t_start = " + repr(float(t[0]))] if "t_start" in used else [])]
    if before:
        parts.insert(1, "\n".join(before))
        tail = [line for line in tail if not line.startswith("t_start")]
    return "\n\n\n".join([*parts, "\n".join(tail)]) + "\n"


def _numbers(system: System, values: Mapping[str, float]) -> list[str]:
    lines = []
    for one in system.distinct:
        value = float(values.get(one.code, one.value))
        lines.append(f"{one.code} = {value!r}{_said(one)}")
    return lines


def _said(one: Setting) -> str:
    unit = f", in {one.unit}" if one.unit else ""
    fitted = ", fitted" if one.free else ""
    return f"  # {one.name}{unit}{fitted}"


def _recorded(system: System, values: Mapping[str, float]) -> list[str]:
    lines = []
    for body in system.bodies:
        if body.name in system.recorded:
            one = system.recorded[body.name]
            adjusted = any(code in values for code in one.errors)
            unit = "N, adjusted within their noise" if adjusted else "N"
            lines += _array(f"recorded_t{body.suffix}", one.t, f"s, of the force on {body.name}")
            lines += _array(f"recorded_F{body.suffix}", one.adjusted(values), unit)
    return lines


def _array(name: str, values: Sequence[float] | Array, unit: str) -> list[str]:
    numbers = ", ".join(repr(float(v)) for v in values)
    rows = wrap(numbers, 92)
    return [f"{name} = np.array([  # in {unit}", *(f"    {row}" for row in rows), "])"]


def _moments(t: Array) -> list[str]:
    """Moments as a grid where they are one to the last digit, else one by one; floats, so that
    the loop is of plain numbers.
    """
    many = len(t) - 1
    step = (t[-1] - t[0]) / many if many else 0.0
    for one in (step, float(np.median(np.diff(t))) if many else 0.0, float(f"{step:.12g}")):
        if many and np.array_equal(t[0] + one * np.arange(many + 1), t):
            start = float(t[0])
            return [
                f"dt = {float(one)!r}  # step in s",
                f"t = ({start!r} + dt * np.arange({many + 1})).tolist()  # moments in s",
            ]
    return [*_array("t", t, "s, moments"), "t = t.tolist()"]


def _start(system: System, places: Array, rates: Array) -> list[str]:
    lines = []
    for c, x, v in zip(system.coordinates, places, rates, strict=True):
        turning = c.axis == "angle"
        lines.append(f"{c.place} = {float(x)!r}  # start in {'rad' if turning else 'm'}")
        lines.append(f"{c.rate} = {float(v)!r}  # in {'rad/s' if turning else 'm/s'}")
    return lines
