"""Where a fit of a model begins: found from the samples alone, without carrying the model on.

Along the path as it was seen the forces are known for any parameters; what they give, integrated
twice, is compared with the places, whatever the start (integral matching: Dattner & Klaassen,
Electron. J. Stat. 9 (2015) 1939-1973). Parameters that forces are linear in follow by least
squares, the others are tried.
"""

from collections.abc import Sequence
from itertools import product

import numpy as np

from inertian.models.definitions.force_kinds import (
    BUMPER,
    CONTACT,
    DAMPED,
    PENDULUM,
    RECORDED,
    REPULSION,
    SPRING,
    THRUST,
)
from inertian.models.definitions.system import Setting
from inertian.models.fitting.stretch import natural_length
from inertian.models.fitting.trial_model import TrialModel
from inertian.models.stepping.along_path import along_path
from inertian.quantities.estimates import Array

MOST_PLACES, MOST_TRIED, POLISHED_STEPS = 400, 150, 40
BESIDE_HIT = 12  # samples on each side of a hit that tell it
SMALL = 1e-3  # of a unit: at such sizes dry friction keeps nothing at rest


class _Path:
    """The path of a trial as it was seen, at some hundreds of moments."""

    def __init__(self, made: TrialModel) -> None:
        t = made.context.trial.t
        inside = (t >= made.stretch.start) & (t <= made.stretch.stop)
        for x, v in made.seen.values():
            inside &= np.isfinite(x) & np.isfinite(v)
        rows = np.flatnonzero(inside)
        if len(rows) > MOST_PLACES:
            rows = rows[np.linspace(0, len(rows) - 1, MOST_PLACES).astype(int)]
        self.made, self.t = made, t[rows]
        names = [c.place for c in made.system.coordinates]
        self.x = np.array([made.seen[n][0][rows] for n in names])
        self.v = np.array([made.seen[n][1][rows] for n in names])
        tau = self.t - self.t[0] if len(rows) else self.t
        self.free = np.column_stack([np.ones(len(tau)), tau])
        self.q = np.linalg.qr(self.free)[0] if len(tau) > 2 else np.zeros((len(tau), 0))

    def curves(self, values: dict[str, float]) -> Array:
        """What forces give to the places, without the start, (coordinates · n,)."""
        a = along_path(self.made.system, self.t, self.x, self.v, values, self.made.stretch.start)[2]
        a = np.nan_to_num(a, nan=0.0, posinf=0.0, neginf=0.0)
        v = _running(self.t, a)
        return self._without_start(_running(self.t, v))

    def wanted(self) -> Array:
        """The places themselves, without the start."""
        return self._without_start(self.x)

    def _without_start(self, rows: Array) -> Array:
        return np.asarray((rows.T - self.q @ (self.q.T @ rows.T)).T.ravel())


def _running(t: Array, rows: Array) -> Array:
    steps = 0.5 * (rows[:, 1:] + rows[:, :-1]) * np.diff(t)
    return np.concatenate([np.zeros((len(rows), 1)), np.cumsum(steps, axis=1)], axis=1)


def first_values(made: TrialModel) -> dict[str, float]:
    """Return where to begin: values of the free settings by their names in the program, in SI."""
    circles = {s.code for s in made.system.free if s.force < 0 and not s.known}
    searched = [s for s in made.system.free if s.code not in circles]
    found = dict(made.guessed) | {s.code: s.value for s in searched if s.known}
    unknown = [s for s in searched if not s.known and (s.tried or s.code not in made.guessed)]
    if not unknown:
        return found
    path = _Path(made)
    if len(path.t) < 4:
        return {**found, **{s.code: max(SMALL, s.least) for s in unknown}}
    tried = [s for s in unknown if _choices(made, s)]
    linear = [s for s in unknown if s not in tried]
    wanted = path.wanted()
    best, least = found, np.inf
    grids = [_choices(made, s) for s in tried]
    combinations = list(product(*grids))
    if len(combinations) > MOST_TRIED:
        combinations = combinations[:: -(-len(combinations) // MOST_TRIED)]
    for values in combinations:
        trial = {**found, **{s.code: v for s, v in zip(tried, values, strict=True)}}
        trial, left = _linear(path, wanted, trial, linear)
        if left < least:
            best, least = trial, left
    if tried and np.isfinite(least):
        best = _polished(path, wanted, best, unknown)
    return best


def _linear(
    path: _Path, wanted: Array, values: dict[str, float], linear: Sequence[Setting]
) -> tuple[dict[str, float], float]:
    """Values of the settings that the forces are linear in, and what is left of the places."""
    none = {**values, **{s.code: 0.0 for s in linear}}
    base = path.curves(none)
    if linear:
        columns = np.column_stack(
            [(path.curves({**none, s.code: SMALL}) - base) / SMALL for s in linear]
        )
        size = np.maximum(np.linalg.norm(columns, axis=0), 1e-300)
        c = np.linalg.lstsq(columns / size, wanted - base, rcond=1e-10)[0] / size
        none |= {
            s.code: max(float(v), s.least if np.isfinite(s.least) else v)
            for s, v in zip(linear, c, strict=True)
        }
        base = path.curves(none)
    left = wanted - base
    total = float(left @ left)
    return none, total if np.isfinite(total) else np.inf


def _polished(
    path: _Path, wanted: Array, values: dict[str, float], unknown: Sequence[Setting]
) -> dict[str, float]:
    from scipy.optimize import least_squares

    def left(at: Array) -> Array:
        moved = {**values, **{s.code: float(v) for s, v in zip(unknown, at, strict=True)}}
        return np.asarray(path.curves(moved) - wanted)

    start = np.array([values[s.code] for s in unknown])
    low = np.array([s.least for s in unknown])
    start = np.maximum(start, np.where(np.isfinite(low), low + 1e-12, start))
    try:
        found = least_squares(
            left, start, bounds=(low, np.inf), x_scale=np.maximum(np.abs(start), 1e-6),
            max_nfev=POLISHED_STEPS,
        )  # fmt: skip
    except ValueError:
        return values
    if not np.isfinite(found.x).all():
        return values
    return {**values, **{s.code: float(v) for s, v in zip(unknown, found.x, strict=True)}}


def _choices(made: TrialModel, one: Setting) -> Sequence[float]:
    """Values to try of a setting that forces are not linear in; none for one they are."""
    if not one.tried:
        return ()
    kind = made.system.forces[one.force].kind
    c = made.system.acted_on(one.force)[0].coordinates[0]
    t = made.context.trial.t
    inside = (t >= made.stretch.start) & (t <= made.stretch.stop)
    x = made.seen[c.place][0][inside]
    x = x[np.isfinite(x)]
    low, high = (float(x.min()), float(x.max())) if len(x) else (0.0, 1.0)
    duration = made.stretch.stop - made.stretch.start
    parts = np.array(one.tried)
    if kind in (SPRING, DAMPED):
        return list(low + parts * (high - low))
    if kind == BUMPER:
        ahead = made.system.signs.get((one.force, c.body), 1.0) > 0
        return list(low + parts * (high - low) if ahead else high - parts * (high - low))
    if kind == THRUST:
        return list(duration * parts)
    if kind == PENDULUM:
        usual = made.guessed.get(one.code) or natural_length(t[inside], x, 9.81)
        return list(usual * parts)
    if kind == RECORDED:
        force = made.system.recorded[c.body]
        here = (force.t >= made.stretch.start) & (force.t <= made.stretch.stop)
        return list(np.quantile(force.values[here] if here.any() else force.values, parts))
    if kind == REPULSION:
        return list(parts)
    if kind == CONTACT:
        return _of_contact(made, one, parts)
    return list(parts)


def _of_contact(made: TrialModel, one: Setting, parts: Array) -> list[float]:
    a, b = made.system.acted_on(one.force)[:2]
    t = made.context.trial.t
    inside = (t >= made.stretch.start) & (t <= made.stretch.stop)
    if one.symbol == "k":
        masses = [made.system.setting(-1, "m", x.name).value for x in (a, b)]
        reduced = masses[0] * masses[1] / sum(masses)
        step = float(np.median(np.diff(t)))
        return list(parts * reduced * (np.pi / (4.0 * step)) ** 2)
    gaps = [
        made.seen[d.place][0][inside] - made.seen[c.place][0][inside]
        for c, d in zip(a.coordinates, b.coordinates, strict=True)
    ]
    d, e = _hit(t[inside], np.sqrt(sum(g * g for g in gaps)))
    return [d, 1.02 * d] if one.symbol == "d" else [e]


def _hit(t: Array, apart: Array) -> tuple[float, float]:
    """How far two bodies are apart when they meet, and the share of their speed that they leave one
    another with: from the lines before and after they are nearest.
    """
    good = np.isfinite(apart)
    t, apart = t[good], apart[good]
    nearest = int(np.argmin(apart))
    before = slice(max(nearest - BESIDE_HIT, 0), max(nearest - 1, 0))
    after = slice(nearest + 2, nearest + 1 + BESIDE_HIT)
    usual = float(apart[nearest]), 0.8
    if len(t[before]) < 3 or len(t[after]) < 3:
        return usual
    (came, come), (left, leave) = (
        np.polynomial.polynomial.polyfit(t[part] - t[nearest], apart[part], 1)
        for part in (before, after)
    )
    if not (come < 0.0 and leave > come):
        return usual
    meet = (left - came) / (come - leave)
    d, e = float(came + come * meet), float(np.clip(-leave / come, 0.01, 1.0))
    return (d, e) if d > 0.0 else usual
