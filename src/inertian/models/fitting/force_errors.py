"""What a recorded force that drives a model may be off by: the noise of its readings, and what
straight lines between them leave out.

Both are adjusted within their ± in a fit, as all that is fixed with one.
"""

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from inertian.models.definitions.force_kinds import FORCE_AXIS
from inertian.models.definitions.system import RecordedForce
from inertian.models.fitting.samples import force_samples
from inertian.models.fitting.stretch import Stretch
from inertian.motion.noise.stated_noise import least_noise
from inertian.motion.numerics.integrals import sudden_error, trapezoid_error
from inertian.physics.evaluation.trial_context import LeftOut, TrialContext
from inertian.quantities.estimates import Array, Estimate

BETWEEN = "what straight lines between readings of the force on {body} leave out"
ROUNDED = "what coarse steps of the force on {body} leave out"
COARSE = 0.5  # of a step, below which noise does not carry readings over it
NOISELESS = 1e-12  # N
# u of noise, above which readings bend clearly; readings between two bends; and how many at most
CLEAR, APART, MOST_BENDS = 4.0, 2, 12
MOST_READINGS = 1_000  # in a model; of more, means over runs
ForceErrors = Mapping[str, tuple[Estimate, float]]  # what each is, 0 ± u, and u


def with_errors(
    context: TrialContext, body: str, force: RecordedForce, stretch: Stretch
) -> tuple[RecordedForce, ForceErrors]:
    """Return a recorded force with all that it may be off by in a stretch, and what that is; of
    very many readings means over short runs of them, as each is a step of the reference.
    """
    before = max(int(np.searchsorted(force.t, stretch.start, "right")) - 1, 0)
    after = min(int(np.searchsorted(force.t, stretch.stop, "left")), len(force.t) - 1)
    read = force_samples(context, body, float(force.t[before]), float(force.t[after]))
    many = len(read.rows)
    if not many:
        return force, {}
    every = -(-many // MOST_READINGS)
    first = np.arange(0, many, every)
    counts = np.diff(np.append(first, many))
    here = slice(before, after + 1)
    t, values = (np.add.reduceat(row[here], first) / counts for row in (force.t, force.values))
    # The share that each run of readings with an error of its own has in each mean
    runs = np.repeat(np.arange(len(read.first)), np.diff(np.append(read.first, many)))
    share = np.zeros((len(read.first), len(t)))
    np.add.at(share, (runs, np.repeat(np.arange(len(t)), counts)), 1.0)
    shapes, found = [], {}
    for k, sigma in enumerate(read.sigma):
        if sigma > NOISELESS:
            own = np.zeros(len(read.x))
            own[k] = 1.0
            shapes.append(share[k] / counts)
            found[f"error {k + 1} of the force on {body}"] = read.estimate(own, 0.0), float(sigma)
    noise = float(np.mean(read.sigma**2)) * len(t) / max(len(read.sigma), 1)
    for k, left in enumerate(_left_out(t, values, noise), 1):
        shapes.append(left)
        own_error = LeftOut(BETWEEN.format(body=body), f"trial {context.trial.id}", (k, 0))
        code = f"error {k} between readings of the force on {body}"
        found[code] = Estimate(0.0, {}, {own_error: 1.0}), 1.0
    step = context.sensor(body, FORCE_AXIS).resolution
    if np.sqrt(np.mean(read.sigma**2)) < COARSE * step:
        # Readings that hardly scatter over their steps may all be rounded the same way
        shapes.append(np.full(len(t), least_noise(step)))
        rounded = LeftOut(ROUNDED.format(body=body), f"trial {context.trial.id}")
        found[f"rounding of the force on {body}"] = Estimate(0.0, {}, {rounded: 1.0}), 1.0
    kept = RecordedForce(t, values, averaged=every)
    return replace(kept, errors=tuple(found), shapes=np.array(shapes)) if shapes else kept, found


def _left_out(t: Array, force: Array, noise: float) -> list[Array]:
    """What straight lines may leave out of readings whose noise has a variance, as changes of them
    in N, (n,), each an error of its own: one wherever they bend, as most is left out there;
    together of the impulse that the rule's error has.
    """
    if len(t) < 4:
        return []
    left = np.hypot(trapezoid_error(t, force), sudden_error(t, force, np.full(len(t), noise)))
    inner = (t[1:-1] - t[:-2]) / (t[2:] - t[:-2])
    bend = np.abs(force[:-2] + inner * (force[2:] - force[:-2]) - force[1:-1])
    bend = np.concatenate([[0.0], bend, [0.0]])
    if not (left > 0.0 and bend.any()):
        return []
    clear = np.flatnonzero(bend > CLEAR * np.sqrt(1.5 * noise))
    parts = np.split(clear, np.flatnonzero(np.diff(clear) > APART) + 1) if len(clear) else []
    if not parts or len(parts) > MOST_BENDS:
        parts = [np.arange(len(t))]
    shapes = [np.where(np.isin(np.arange(len(t)), part), bend, 0.0) for part in parts]
    share = np.sqrt([float(shape @ shape) for shape in shapes])
    size = left * share / np.linalg.norm(share)
    return [s * (own / float(np.trapezoid(s, t))) for s, own in zip(shapes, size, strict=True)]
