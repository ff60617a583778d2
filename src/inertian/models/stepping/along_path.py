"""The forces of a model along a path that is known: of samples, or of a rule's own steps."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from inertian.models.definitions.system import System
from inertian.models.stepping.force_lines import write_forces
from inertian.models.stepping.modes import analytic_abs
from inertian.models.stepping.program import acceleration_text, compiled, laws_text, namespace_of
from inertian.models.stepping.written_forces import Entry
from inertian.quantities.estimates import Array


def _inside(amount: Any) -> Any:
    return np.where(amount > 0.0, 1.0, 0.0)


def _direction(push: Any, limit: Any) -> Any:
    with np.errstate(all="ignore"):
        return np.nan_to_num(np.clip(push / limit, -1.0, 1.0))


def _direction_in_plane(push_x: Any, push_y: Any, v_x: Any, v_y: Any, limit: Any) -> Any:
    with np.errstate(all="ignore"):
        pushed, speed = np.hypot(push_x, push_y), np.hypot(v_x, v_y)
        rests = (pushed <= limit) | (speed == 0.0)
        return (
            np.nan_to_num(np.where(rests, push_x / np.maximum(limit, pushed), v_x / speed)),
            np.nan_to_num(np.where(rests, push_y / np.maximum(limit, pushed), v_y / speed)),
        )


def along_path(
    system: System, t: Array, places: Array, rates: Array,
    values: Mapping[str, float] | None = None, start: float | None = None,
) -> tuple[tuple[Entry, ...], Array, Array]:  # fmt: skip
    """Return all forces on a path, (entries, n) in N or N·m, and the accelerations they give,
    (coordinates, n); moments t in s, (n,), places and rates (coordinates, n).
    """
    written = write_forces(system, numbered=False)
    texts = [laws_text(written), acceleration_text(written), acceleration_text(written, True)]
    space = namespace_of(system, values or {})
    space["t_start"] = float(t[0]) if start is None else start
    exec(compiled("\n\n".join(texts)), space)
    space |= {
        "abs": analytic_abs,
        "inside": _inside,
        "direction_with_rest": _direction,
        "direction_in_plane_with_rest": _direction_in_plane,
    }
    exec(compiled("\n".join(written.before)), space)
    dt = np.append(np.diff(t), t[-1] - t[-2]) if len(t) > 1 else np.ones(1)
    with np.errstate(all="ignore"):
        found = space["acceleration"](t, *places, *rates, dt)
        forces = space["forces"](t, *places, *rates, dt)
    one = found if len(system.coordinates) > 1 else (found,)
    wide = np.zeros(len(t))
    return (
        tuple(written.entries),
        np.array([f + wide for f in forces]).reshape(len(written.entries), len(t)),
        np.array([a + wide for a in one]),
    )
