"""A model carried on by an adaptive method, with its derivatives by all that it hangs on.

SciPy's DOP853 (Dormand & Prince of order 8; Hairer, Nørsett & Wanner, *Solving Ordinary
Differential Equations I*, 2nd ed., 1993, II.5) runs over complex states, whose imaginary parts are
derivatives (Squire & Trapp, SIAM Rev. 40 (1998) 110-112). It begins anew at each reading of a
recorded force, which has a corner there. Between events, which are stops and
begins of dry friction and the borders of forces, all is smooth; at an event the states of each
derivative are taken to its own moment and back, which is the jump of the derivative (Galán, Feehery
& Barton, Appl. Numer. Math. 31 (1999) 17-47).
"""

from bisect import bisect_right
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from inertian.models.definitions.system import System
from inertian.models.stepping.force_lines import write_forces
from inertian.models.stepping.modes import Modes, analytic_abs
from inertian.models.stepping.program import acceleration_text, compiled, laws_text, namespace_of
from inertian.models.stepping.written_forces import Entry
from inertian.quantities.complex_step import STEP
from inertian.quantities.errors import Refusal
from inertian.quantities.estimates import Array

RELATIVE, OF_THE_WAY = 1e-11, 1e-12  # tolerances: of a value, and of the way that is gone
LOOKS = np.linspace(0.0, 1.0, 17)  # places within a step that are looked at for events
MOST_STEPS, MOST_EVENTS = 2_000, 300
AT_REST = 1e-7  # of the first speed, below which a body in a plane stops
FEWEST_STEPS = 8


class ModelRunError(Refusal):
    """A model cannot be carried on; the text says from when, and what to do."""


@dataclass(frozen=True, eq=False)
class ReferenceMotion:
    """A motion at moments t in s, (n,): places and rates, (coordinates, n), in SI.

    Their slopes by each seed have shape (seeds, coordinates, n). `work` and `impulse` of each entry
    from the start on, (entries, n), with slopes (seeds, entries, n), where they were asked for.
    `events` are the moments at which something began or ended, in s, in words.
    """

    t: Array
    places: Array
    rates: Array
    place_slopes: Array
    rate_slopes: Array
    entries: tuple[Entry, ...]
    work: Array
    impulse: Array
    work_slopes: Array
    impulse_slopes: Array
    events: tuple[tuple[float, str], ...]
    steps: int = 0  # that it took


def _between(t: Any, moments: Array, values: Array) -> Any:
    """Return values (n,), or (n, seeds), at a time, as straight lines between moments have them."""
    if values.ndim == 1 and not np.iscomplexobj(values):
        return np.interp(t, moments, values)
    after = min(max(bisect_right(moments, t), 1), len(moments) - 1)
    t1, t2 = moments[after - 1], moments[after]
    part = min(max((t - t1) / (t2 - t1), 0.0), 1.0)
    return values[after - 1] + part * (values[after] - values[after - 1])


class _Run:
    """One run: the program with complex numbers, the same with real ones, and what holds now."""

    def __init__(
        self, system: System, t0: float, values: Mapping[str, Any], real: Mapping[str, Any],
        rest_speed: float, with_forces: bool,
    ) -> None:  # fmt: skip
        self.written = write_forces(system, numbered=True)
        self.count = len(system.coordinates)
        self.in_plane = [len(body.coordinates) > 1 for body in self.written.dry]
        self.modes = Modes(self.written, rest_speed)
        texts = [laws_text(self.written), acceleration_text(self.written)]
        if with_forces:
            texts.append(acceleration_text(self.written, entries=True))
        before = compiled("\n".join(self.written.before))
        self.spaces = []
        for given in (values, real):
            space = {**namespace_of(system, given), "t_start": t0}
            exec(compiled("\n\n".join(texts)), space)
            space |= {
                "abs": analytic_abs,
                "interp": _between,
                "inside": self.modes.inside,
                "direction_with_rest": self.modes.direction,
                "direction_in_plane_with_rest": self.modes.direction_in_plane,
            }
            exec(before, space)
            self.spaces.append(space)
        self.with_forces = with_forces

    def slopes(self, t: float, states: Any) -> Any:
        """d/dt of all rows of states, (rows, seeds)."""
        n, space = self.count, self.spaces[0]
        rows = np.empty_like(states)
        rows[:n] = states[n : 2 * n]
        given = space["acceleration"](t, *states[: 2 * n], 0.0)
        for row, a in zip(rows[n : 2 * n], given if n > 1 else (given,), strict=True):
            row[:] = a
        if self.with_forces:
            forces = space["forces"](t, *states[: 2 * n], 0.0)
            many = len(forces)
            for k, (force, entry) in enumerate(zip(forces, self.written.entries, strict=True)):
                place = self.places[entry.coordinate.place]
                rows[2 * n + k] = force * states[n + place]
                rows[2 * n + many + k] = force
        return rows

    @property
    def places(self) -> dict[str, int]:
        """The rows of coordinates, by their names."""
        return {c.place: k for k, c in enumerate(self.written.system.coordinates)}

    def violations(self, t: Any, states: Array) -> Array:
        """Return how far modes are beyond what they hold for, (events, m), at real states."""
        self.spaces[1]["acceleration"](t, *states[: 2 * self.count], 0.0)
        found = self.modes.violations(self.in_plane)
        return np.array([np.real(v) + np.zeros(np.shape(t)) for v in found]).reshape(
            len(found), *np.shape(t)
        )

    def begin(self, t: float, states: Any) -> None:
        """Find what holds at the start."""
        real = states[:, 0].real
        self.spaces[1]["acceleration"](t, *real[: 2 * self.count], 0.0)
        self.modes.on = np.array([float(np.real(a) > 0.0) for a in self.modes.amounts])
        self.spaces[1]["acceleration"](t, *real[: 2 * self.count], 0.0)
        for k, (force, rate, limit) in enumerate(self.modes.rubbed):
            pushed = 0.0 if abs(force) <= limit else float(np.sign(force))
            self.modes.way[k] = float(np.sign(rate)) if rate else pushed
            if self.in_plane[k] and self.modes.way[k]:
                self.modes.way[k] = 1.0

    def change(self, number: int, t: float, states: Any, rate: float) -> tuple[Any, list[str]]:
        """Return the states after an event, with derivatives taken to their own moments and back,
        and what it was; `rate` is that of the violation, in its unit per second.
        """
        before = self.slopes(t, states)
        beyond = np.imag(self.modes.violations(self.in_plane)[number]) + np.zeros(states.shape[1])
        shift = 1j * (-beyond / rate if rate else 0.0 * beyond)
        states = states + before * shift
        words = [self._switch(number, t, states)]
        # What begins all at once may set bodies in motion at the same moment
        for other in self._overcome(t, states):
            if other != number:
                words.append(self._switch(other, t, states))
        after = self.slopes(t, states)
        return states - after * shift, words

    def _overcome(self, t: float, states: Any) -> list[int]:
        """Numbers of the modes of bodies at rest that more than their friction pushes now."""
        gates = len(self.modes.on)
        beyond = self.violations(t, states[:, 0].real)
        self.slopes(t, states)
        return [
            gates + k
            for k, way in enumerate(self.modes.way)
            if not way and beyond[gates + k] > 1e-9 * np.real(np.ravel(self.modes.rubbed[k][2])[0])
        ]

    def _switch(self, number: int, t: float, states: Any) -> str:
        gates = len(self.modes.on)
        if number < gates:
            self.modes.on[number] = 1.0 - self.modes.on[number]
            force = self.written.system.forces[self.written.insides[number]]
            return f"{force.kind} {'begins' if self.modes.on[number] else 'ends'}"
        k = number - gates
        body = self.written.dry[k]
        names = [self.places[c.place] for c in body.coordinates]
        force, _, limit = (np.real(np.ravel(part)[0]) for part in self.modes.rubbed[k])
        if not self.modes.way[k]:
            self.modes.way[k] = 1.0 if self.in_plane[k] else float(np.sign(force))
            if self.in_plane[k]:
                pushed = [self.slopes_at_rest(t, states, place) for place in names]
                for place, push in zip(names, pushed, strict=True):
                    states[self.count + place] = push * self.modes.rest_speed
            return f"{body.name} starts to move"
        states[[self.count + place for place in names]] = 0.0
        if abs(force) <= limit:
            self.modes.way[k] = 0.0
            return f"{body.name} stops"
        self.modes.way[k] = -self.modes.way[k]
        return f"{body.name} turns back"

    def slopes_at_rest(self, t: float, states: Any, place: int) -> float:
        """Return where what pushes a body at rest points to, along a coordinate: −1 to 1."""
        self.modes.way, kept = [0.0] * len(self.modes.way), list(self.modes.way)
        given = self.spaces[1]["acceleration"](t, *states[: 2 * self.count, 0].real, 0.0)
        self.modes.way = kept
        size = float(np.linalg.norm(np.real(given))) or 1.0
        return float(np.real(given[place])) / size


def run_reference(
    system: System,
    t: Array,
    places: Array,
    rates: Array,
    values: Mapping[str, float] | None = None,
    seeds: Sequence[str] = (),
    *,
    start: float | None = None,
    with_forces: bool = False,
) -> ReferenceMotion:
    """Carry a system on from places and rates, (coordinates,) in SI, at `start` (else t[0]) to all
    moments t in s, (n,), increasing.

    `seeds` name what derivatives are wanted by: settings by their names in the program, and the
    start of coordinates by theirs. Raises ModelRunError where it cannot be carried on.
    """
    n, values, begun = len(system.coordinates), dict(values or {}), t[0] if start is None else start
    own = [name for c in system.coordinates for name in (c.place, c.rate)]
    wide = max(len(seeds), 1)
    seeded: dict[str, Any] = {}
    for k, name in enumerate(seeds):
        if name not in own:
            base = values.get(name, 0.0 if name in system.force_errors else None)
            if base is None:
                base = next(s.value for s in system.distinct if s.code == name)
            seeded[name] = np.full(wide, base, dtype=complex)
            seeded[name][k] += 1j * STEP
    speed = float(np.max(np.abs(rates), initial=0.0)) or 1.0
    with np.errstate(all="ignore"):
        run = _Run(system, float(begun), {**values, **seeded}, values, AT_REST * speed, with_forces)
    entries = tuple(run.written.entries)
    rows = 2 * n + (2 * len(entries) if with_forces else 0)
    states = np.zeros((rows, wide), dtype=complex)
    states[:n], states[n : 2 * n] = np.array(places)[:, None], np.array(rates)[:, None]
    for k, name in enumerate(seeds):
        if name in own:
            c = next(i for i, c in enumerate(system.coordinates) if name in (c.place, c.rate))
            place = c if name == system.coordinates[c].place else n + c
            states[place, k] += 1j * STEP
    with np.errstate(all="ignore"):
        run.begin(float(begun), states)
        found, events, steps = _carried_on(run, float(begun), states, t)
    if not np.isfinite(found).all():
        bad = t[np.flatnonzero(~np.isfinite(found).all(axis=(0, 1)))[0]]
        raise _cannot(bad)
    real, slopes = found.real[:, 0], found.imag.transpose(1, 0, 2) / STEP
    if not seeds:
        slopes = slopes[:0]
    many = 2 * n + len(entries)
    return ReferenceMotion(
        t, real[:n], real[n : 2 * n], slopes[:, :n], slopes[:, n : 2 * n], entries,
        real[2 * n : many], real[many:], slopes[:, 2 * n : many], slopes[:, many:], tuple(events),
        steps,
    )  # fmt: skip


def _cannot(t: float) -> ModelRunError:
    return ModelRunError(
        f"This model cannot be carried on beyond {t:.4g} s: its forces grow without bound or are "
        "too stiff. Look at the signs and sizes of its parameters."
    )


def _carried_on(
    run: _Run, begun: float, states: Any, t: Array
) -> tuple[Any, list[tuple[float, str]], int]:
    """States at all moments, (rows, seeds, n), events, and how many steps it took."""
    from scipy.integrate import DOP853

    found = np.full((*states.shape, len(t)), np.nan, dtype=complex)
    done, steps = 0, 0
    ends = _ends(run.written.system, begun, float(t[-1]))
    most, pieces = MOST_STEPS + 2 * len(ends), len(ends) > 1
    events: list[tuple[float, str]] = []
    while done < len(t) and t[done] <= begun:
        found[..., done] = states
        done += 1
    flat = lambda time, y: run.slopes(time, y.reshape(states.shape)).ravel()  # noqa: E731
    span = max(float(t[-1]) - begun, 1e-300)
    least = np.repeat(OF_THE_WAY * _way(run, begun, states, span), states.shape[1])
    while done < len(t):
        if not np.isfinite(states).all():
            raise _cannot(begun)
        # Between corners a force is a straight line in time: one step will often do
        first_step = min(ends[0] - begun, span / FEWEST_STEPS) if pieces else None
        solver = DOP853(
            flat, begun, states.ravel(), ends[0], rtol=RELATIVE,
            atol=least, max_step=span / FEWEST_STEPS, first_step=first_step,  # type: ignore[arg-type]
        )  # fmt: skip
        event = None
        while solver.status == "running" and event is None:
            solver.step()
            steps += 1
            failed = str(solver.status) == "failed" or not np.isfinite(solver.y).all()
            if failed or steps > most or len(events) > MOST_EVENTS:
                raise _cannot(solver.t)
            dense = solver.dense_output()
            event = _first_event(run, dense, solver.t_old, solver.t, states.shape)
            stop = solver.t if event is None else event[0]
            last = int(np.searchsorted(t, stop, "right" if event is None else "left"))
            if last > done:
                found[..., done:last] = dense(t[done:last]).reshape(*states.shape, last - done)
                done = last
        if event is None:
            begun, states = ends.pop(0), solver.y.reshape(states.shape)
            if not ends:
                break
            continue
        begun, number, rate = event
        states, words = run.change(number, begun, dense(begun).reshape(states.shape), rate)
        events += [(begun, what) for what in words]
        while done < len(t) and t[done] <= begun:
            found[..., done] = states
            done += 1
        while ends[0] <= begun and len(ends) > 1:
            ends.pop(0)
    return found, events, steps


def _way(run: _Run, begun: float, states: Any, span: float) -> Array:
    """The size of each state in a run over a span in s, (rows,), which tolerances go by."""
    first = np.abs(run.slopes(begun, states))[:, 0]
    way = np.abs(states[:, 0]) + first * span + 1e-9
    n = run.count
    way[n : 2 * n] += way[:n] / span
    if len(way) > 2 * n:  # works and impulses: as large as what the bodies have, and gain at first
        masses = np.array([run.spaces[1][c.inertia] for c in run.written.system.coordinates])
        many = (len(way) - 2 * n) // 2
        way[2 * n : 2 * n + many] += float(np.real(masses) @ way[n : 2 * n] ** 2)
        way[2 * n + many :] += float(np.real(masses) @ way[n : 2 * n])
    return np.asarray(way)


def _ends(system: System, begun: float, end: float) -> list[float]:
    """The moments up to which all is smooth but for events: readings of recorded forces, the end
    last.
    """
    corners = {float(at) for one in system.recorded.values() for at in one.t}
    return [*sorted(at for at in corners if begun < at < end), end]


def _first_event(
    run: _Run, dense: Any, low: float, high: float, shape: tuple[int, ...]
) -> tuple[float, int, float] | None:
    """The first moment of a step at which a mode ends, which one, and the rate of its violation."""
    if not (len(run.modes.on) or run.written.dry):
        return None

    def beyond(times: Any) -> Array:
        times = np.atleast_1d(times)
        return run.violations(times, dense(times).reshape(*shape, -1)[:, 0].real)

    times = low + (high - low) * LOOKS
    seen = beyond(times)
    late = seen[:, 1:] > 0.0
    if not late.any():
        return None
    from scipy.optimize import brentq

    best: tuple[float, int] | None = None
    for number in np.flatnonzero(late.any(axis=1)):
        k = int(np.argmax(late[number])) + 1
        one = lambda at, number=number: float(beyond(at)[number, 0])  # noqa: E731
        if k > 1 or seen[number, 0] < 0.0:
            at = float(brentq(one, times[k - 1], times[k], xtol=1e-15, rtol=1e-14))
        else:
            at = float(times[0])
        if best is None or at < best[0]:
            best = at, int(number)
    assert best is not None
    at, first = best
    small = 1e-4 * (high - low)
    after, before = min(at + small, high), max(at - small, low)
    ends = beyond(np.array([before, after]))[first]
    return at, first, float((ends[1] - ends[0]) / (after - before))
