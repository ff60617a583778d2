"""A model beside one trial: its system, its start, the samples it is held against, and what it
predicts for them.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from inertian.models.definitions.force_kinds import BUMPER, Acts, force_kind
from inertian.models.definitions.model import Model
from inertian.models.definitions.system import (
    Follower,
    MovingBody,
    RecordedForce,
    Setting,
    System,
)
from inertian.models.fitting.force_errors import with_errors
from inertian.models.fitting.samples import ChannelSamples, channel_samples
from inertian.models.fitting.settings import system_of
from inertian.models.fitting.stretch import (
    StartState,
    Stretch,
    seen_coordinates,
    start_state,
    stretch_of,
)
from inertian.models.stepping.reference import ReferenceMotion, run_reference
from inertian.physics.evaluation.trial_context import TrialContext
from inertian.quantities.errors import Refusal
from inertian.quantities.estimates import Array, Estimate, Rows


@dataclass(frozen=True, eq=False)
class Predicted:
    """Predicted values of all channels one after the other, (n,), in SI, and their slopes by each
    seed, (n, seeds).
    """

    values: Array
    slopes: Array
    motion: ReferenceMotion


@dataclass(frozen=True, eq=False)
class TrialModel:
    """A model in a trial. `guessed` are first values of settings that are free, by their names in
    the program; `force_errors` what recorded forces may be off by, each 0 ± u N.
    """

    context: TrialContext
    model: Model
    system: System
    stretch: Stretch
    start: StartState
    samples: tuple[ChannelSamples, ...]
    guessed: Mapping[str, float]
    seen: Mapping[str, tuple[Array, Array]] = field(repr=False, default_factory=dict)
    force_errors: Mapping[str, tuple[Estimate, float]] = field(repr=False, default_factory=dict)

    @property
    def moments(self) -> Array:
        """All moments at which anything is compared, in s, increasing; without data those of the
        clock.
        """
        if not self.samples:
            t = self.context.trial.t
            return t[(t >= self.stretch.start) & (t <= self.stretch.stop)]
        return np.unique(np.concatenate([s.t for s in self.samples]))

    @property
    def count(self) -> int:
        """How many values are compared."""
        return sum(len(s.x) for s in self.samples)

    def values_of(self, settings: Mapping[str, float]) -> dict[str, float]:
        """Return settings by their names in the program with first guesses where nothing else is
        known.
        """
        return {**self.guessed, **settings}

    def predicted(
        self, values: Mapping[str, float], places: Array, rates: Array, seeds: Sequence[str] = ()
    ) -> Predicted:
        """Return what the reference gives for the samples. Raises ModelRunError."""
        t = self.moments
        motion = run_reference(
            self.system, t, places, rates, values, seeds, start=self.stretch.start
        )
        found, slopes = [], []
        for one in self.samples:
            at = np.searchsorted(t, one.t)
            value, slope = self.seen_at(one.body, one.axis, motion, at, values, seeds)
            found.append(value)
            slopes.append(slope)
        if not found:  # without data
            return Predicted(np.zeros(0), np.zeros((0, len(seeds))), motion)
        return Predicted(np.concatenate(found), np.concatenate(slopes), motion)

    def seen_at(
        self, body: str, axis: str, motion: ReferenceMotion, at: Rows | slice,
        values: Mapping[str, float], seeds: Sequence[str],
    ) -> tuple[Array, Array]:  # fmt: skip
        """Return what a channel shows of a motion at some of its moments, (m,) in m, and its slopes
        by each seed, (m, seeds).
        """
        for follower in self.system.followers:
            if follower.body == body:
                return self._hanging(follower, motion, at, values, seeds)
        moving = next(b for b in self.system.bodies if b.name == body)
        number = {c.place: k for k, c in enumerate(self.system.coordinates)}
        if not moving.turning:
            c = moving.along(axis)
            assert c is not None
            k = number[c.place]
            return motion.places[k][at], motion.place_slopes[:, k][:, at].T
        k = number[moving.coordinates[0].place]
        angle, turned = motion.places[k][at], motion.place_slopes[:, k][:, at]
        radius, middle = self.circle(moving, axis)
        known = {**{s.code: s.value for s in self.system.distinct}, **values}
        sideways = (axis == "x") if moving.hanging else (axis == "y")
        along = np.sin(angle) if sideways else np.cos(angle)
        across = np.cos(angle) if sideways else -np.sin(angle)
        sign = -1.0 if moving.hanging and axis == "y" else 1.0
        r = known[radius.code]
        slopes = sign * r * across * turned
        for place, seed in enumerate(seeds):
            if seed == radius.code:
                slopes[place] += sign * along
            if seed == middle.code:
                slopes[place] += 1.0
        return known[middle.code] + sign * r * along, slopes.T

    def _hanging(
        self, follower: Follower, motion: ReferenceMotion, at: Rows | slice,
        values: Mapping[str, float], seeds: Sequence[str],
    ) -> tuple[Array, Array]:  # fmt: skip
        """Where a body is that hangs on the cord of another, and its slopes."""
        k = [c.place for c in self.system.coordinates].index(follower.leader)
        slopes = follower.sign * motion.place_slopes[:, k][:, at]
        for place, seed in enumerate(seeds):
            if seed == follower.begin:
                slopes[place] += 1.0
        # Where it is when the other one is where it was first seen
        begun = values.get(follower.begin, self.guessed.get(follower.begin, 0.0))
        gone = follower.sign * (motion.places[k][at] - self.start.places[k])
        return begun + gone, slopes.T

    def circle(self, body: MovingBody, axis: str) -> tuple[Setting, Setting]:
        """Return the settings of the radius on which a turning body is seen, and of its centre
        along an axis.
        """
        system = self.system
        seen = len(self.context.trial.body(body.name).axes) > 1
        if not body.hanging:
            centre = system.setting(-1, f"{axis}_c", body.name)
            return system.setting(-1, "r", body.name), centre
        place = next(k for k, f in enumerate(system.forces) if f.kind == "pendulum")
        first = self.context.trial.body(body.name).axes[0]
        name = "x_p" if axis == "x" or (axis == first and not seen) else "y_p"
        centre = system.setting(place, name, body.name)
        radius = system.setting(-1, "r", body.name) if seen else system.setting(place, "l")
        return radius, centre


def trial_model(context: TrialContext, model: Model) -> TrialModel:
    """Return a model beside a trial. Raises Refusal, or FormulaError, saying what is missing."""
    system = system_of(context, model)
    names = [b.name for b in system.bodies]
    stretch = stretch_of(context, model, names)
    guessed: dict[str, float] = {}
    seen: dict[str, tuple[Array, Array]] = {}
    for body in system.bodies:
        seen |= seen_coordinates(context, system, body, guessed)
    start = start_state(context, model, system, stretch, seen)
    followers = tuple(
        _on_its_cord(context, one, stretch, seen, guessed) for one in system.followers
    )
    signs = _signs(context, system, start, stretch, seen)
    system = replace(system, signs=signs, followers=followers)
    hanging = [f.body for f in followers]
    samples = tuple(
        one
        for one in channel_samples(context, [*names, *hanging], stretch.start, stretch.stop)
        if one.body not in hanging or one.axis in [f.axis for f in followers if f.body == one.body]
    )
    free = [s.name for s in system.free]
    if not samples and context.trial.recorded:
        raise Refusal("No positions were recorded where the model runs.")
    if not samples and free:
        raise Refusal(
            f"Nothing was recorded that {' and '.join(free)} could be fitted to: type what "
            f"{'it is' if len(free) == 1 else 'they are'}."
        )
    recorded: dict[str, RecordedForce] = {}
    errors: dict[str, tuple[Estimate, float]] = {}
    for name, force in system.recorded.items():
        recorded[name], own = with_errors(context, name, force, stretch)
        errors |= own
    system = replace(system, recorded=recorded)
    return TrialModel(context, model, system, stretch, start, samples, guessed, seen, errors)


def _on_its_cord(
    context: TrialContext, one: Follower, stretch: Stretch,
    seen: Mapping[str, tuple[Array, Array]], guessed: dict[str, float],
) -> Follower:  # fmt: skip
    """A body on the cord of another with the way it goes: along its axis or against it."""
    t, places = context.trial.t, context.trial.body(one.body).channel(one.axis).si
    pulled = seen[one.leader][0]
    if not context.trial.recorded:
        return one
    inside = (t >= stretch.start) & (t <= stretch.stop) & np.isfinite(places) & np.isfinite(pulled)
    if inside.sum() < 2:
        raise Refusal(f"There are too few samples of {one.body} where the model runs.")
    x, y = pulled[inside] - pulled[inside].mean(), places[inside] - places[inside].mean()
    guessed[one.begin] = float(places[inside][0])
    return replace(one, sign=1.0 if float(x @ y) >= 0.0 else -1.0)


def _signs(
    context: TrialContext, system: System, start: StartState, stretch: Stretch,
    seen: Mapping[str, tuple[Array, Array]],
) -> dict[tuple[int, str], float]:  # fmt: skip
    """Which of two bodies is ahead, and from which side a bumper is met."""
    number = {c.place: k for k, c in enumerate(system.coordinates)}
    found = {}
    for place, force in enumerate(system.forces):
        acted = system.acted_on(place)
        if force_kind(force.kind).acts is Acts.PAIR:
            for i, a in enumerate(acted):
                for b in acted[i + 1 :]:
                    ahead = (
                        start.places[number[b.coordinates[0].place]]
                        - start.places[number[a.coordinates[0].place]]
                    )
                    found[place, f"{a.name}\n{b.name}"] = 1.0 if ahead >= 0.0 else -1.0
        if force.kind == BUMPER:
            for body in acted:
                side = system.setting(place, "side").value
                name = body.coordinates[0].place
                way = _far_side(context.trial.t, seen[name][0], stretch)
                found[place, body.name] = side or way
    return found


def _far_side(t: Array, x: Array, stretch: Stretch) -> float:
    """Where a body turns: above its begin and end, or below."""
    inside = x[(t >= stretch.start) & (t <= stretch.stop) & np.isfinite(x)]
    if len(inside) < 3:
        return 1.0
    line = np.linspace(inside[0], inside[-1], len(inside))
    off = inside - line
    return 1.0 if off.max() >= -off.min() else -1.0
