"""Where bodies start, as it is typed: "stone x = 0.00 ± 0.01 m; stone v = 1.40 ± 0.02 m/s"."""

import re
from collections.abc import Sequence
from dataclasses import replace

from inertian.models.definitions.model import TypedState
from inertian.quantities.errors import Refusal
from inertian.quantities.facts import Fact, parse_fact
from inertian.quantities.units import SI_SYMBOL, unit_of

# By what is typed: the axis, whether it is a rate, and what kind of quantity
_NAMES = {
    "x": ("x", False, "length"), "y": ("y", False, "length"), "φ": ("angle", False, "angle"),
    "v_x": ("x", True, "speed"), "v_y": ("y", True, "speed"), "ω": ("angle", True, "frequency"),
    "phi": ("angle", False, "angle"), "omega": ("angle", True, "frequency"),
}  # fmt: skip
_LINE = re.compile(
    r"^\s*(?:(?P<body>.*?)\s+)?(?P<name>v_x|v_y|x|y|v|φ|ω|phi|omega)\s*=\s*(?P<value>.+)$"
)


def parse_states(text: str, axes: Sequence[tuple[str, Sequence[str]]]) -> tuple[TypedState, ...]:
    """Read where bodies start; `axes` are bodies with the axes they move along ("angle" for one
    that turns). What is not typed is taken from the samples. Raises Refusal, FactError or
    UnitError.
    """
    found: dict[tuple[str, str], TypedState] = {}
    for part in (p for p in re.split(r"[;\n]", text) if p.strip()):
        match = _LINE.match(part)
        if match is None:
            raise Refusal(f"“{part.strip()[:60]}” says no start. Write: x = 0 m, or v = 1.4 m/s.")
        body, own = _body(match["body"], axes)
        axis, rate, kind = _NAMES.get(match["name"], (own[0], True, "speed"))
        if axis not in own:
            raise Refusal(f"{body} does not move along {axis}, but along {' and '.join(own)}.")
        unit = unit_of(kind, "°" if kind == "angle" else SI_SYMBOL[kind])
        value = match["value"].replace("rad/s", "").replace("1/s", "") if kind == "frequency" else (
            match["value"]
        )  # fmt: skip
        fact: Fact = parse_fact(value, kind, unit)
        state = found.get((body, axis), TypedState(body, axis))
        found[body, axis] = replace(state, rate=fact) if rate else replace(state, place=fact)
    return tuple(found.values())


def _body(name: str | None, axes: Sequence[tuple[str, Sequence[str]]]) -> tuple[str, Sequence[str]]:
    if not name and len(axes) == 1:
        return axes[0]
    for body, own in axes:
        if body == name:
            return body, own
    there = ", ".join(body for body, _ in axes)
    raise Refusal(f"Say of which body: “{name or ''}” is none. There is: {there}.")


def states_text(states: Sequence[TypedState]) -> str:
    """Return where bodies start as it is typed, a line each."""
    lines = []
    for one in states:
        names = ("φ", "ω") if one.axis == "angle" else (one.axis, f"v_{one.axis}")
        for name, fact in zip(names, (one.place, one.rate), strict=True):
            if fact is not None:
                lines.append(f"{one.body} {name} = {fact}")
    return "\n".join(lines)
