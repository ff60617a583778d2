"""What the values of one trial err by together: by itself, and by what other trials share.

Every value has a ± of its own, by first order or from draws; samples and facts behind it tell how
far two values err alike (JCGM 100:2008, 5.2.2 and F.1.2.3).
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from inertian.analysis.evaluation import Evaluator
from inertian.analysis.results.trial_values import Value, parts_of_facts
from inertian.motion.noise.reading_noise import STAMP_SOURCE
from inertian.physics.accounts.ledger import Accounts
from inertian.physics.evaluation.trial_context import left_out_parts
from inertian.project.project import Entry, Project
from inertian.quantities.errors import InertianError
from inertian.quantities.estimates import (
    Array,
    ClockNoise,
    Estimate,
    FactKey,
    Pools,
    SharedPart,
    joint_scalars,
)
from inertian.quantities.facts import FactId


@dataclass(frozen=True, eq=False)
class RowCovariance:
    """Values of one trial, in their units, with what they err by: `own` their covariance by what
    this trial alone errs, (k, k); `shared` what each shared error moves them by, (k,).

    `parts` say how large shared errors are. `dof` are the degrees of freedom of own variances.
    """

    names: tuple[str, ...]
    values: Array
    own: Array
    dof: Array
    pool: str
    shared: Mapping[FactKey, Array]
    parts: tuple[SharedPart, ...]
    pools: Pools


def is_shared(key: FactKey) -> bool:
    """Return whether an error is the same in other trials, too."""
    return isinstance(key, FactId) and not key.scope.startswith("trial ")


def row_covariance(
    project: Project,
    entry: Entry,
    evaluator: Evaluator,
    values: Mapping[str, Value],
) -> RowCovariance:
    """Return what some values of a trial err by together; words have none and are left out."""
    kept = {n: v for n, v in values.items() if v.scalar is not None}
    estimates = [_estimate(v) for v in kept.values()]
    noise, parts, pools, pool = _behind(project, entry, evaluator, estimates)
    lasting = [p for p in parts if any(is_shared(key) for key in p.ids)]
    passing = [p for p in parts if p not in lasting]
    joint = joint_scalars(dict(enumerate(estimates)), noise, passing, pools)
    stated = np.array([v.scalar.u for v in kept.values() if v.scalar is not None])
    shared: dict[FactKey, Array] = {}
    for key in dict.fromkeys(k for p in lasting for k in p.ids):
        slopes = np.array([one.sensitivities.get(key, 0.0) for one in estimates])
        if slopes.any():
            shared[key] = slopes
    together = np.zeros(len(kept))
    for part in lasting:
        moved = np.array([shared.get(k, np.zeros(len(kept))) for k in part.ids])
        together += np.einsum("ki,kl,li->i", moved, part.covariance, moved)
    first = np.sqrt(np.maximum(np.diag(joint.covariance), 0.0))
    own_u = np.sqrt(np.maximum(stated**2 - together, 0.0))
    # What the trial errs by itself is at least what its samples say
    own_u = np.where(stated > 0.0, np.maximum(own_u, np.minimum(first, stated)), 0.0)
    safe = np.where(first > 0.0, first, 1.0)
    alike = joint.covariance / np.outer(safe, safe)
    own = np.clip(alike, -1.0, 1.0) * np.outer(own_u, own_u)
    np.fill_diagonal(own, own_u**2)
    dof = np.array([joint.dof(k) for k in range(len(kept))])
    numbers = np.array([v.scalar.value for v in kept.values() if v.scalar is not None])
    used = tuple(p for p in lasting if any(k in shared for k in p.ids))
    return RowCovariance(tuple(kept), numbers, own, dof, pool, shared, used, pools)


def _estimate(value: Value) -> Estimate:
    assert value.scalar is not None
    try:
        found = value.hangs()
    except InertianError:
        found = None
    return found if found is not None else Estimate(value.scalar.value)


def _behind(
    project: Project, entry: Entry, evaluator: Evaluator, estimates: Sequence[Estimate]
) -> tuple[ClockNoise, list[SharedPart], Pools, str]:
    """Noise of the samples, the parts by facts, how well variances are known, and who else owes
    its noise to the same estimate.
    """
    series = evaluator.series(project, entry.series)
    noise = series.noise_of(entry.trial.id)
    pool = entry.series if noise is series.noise or noise == series.noise else entry.trial.id
    try:
        accounts: Accounts | InertianError = evaluator.accounts(project, entry.trial.id)
    except InertianError as error:
        accounts = error
    parts = {(p.source, p.ids): p for p in parts_of_facts(project, entry)}
    parts |= {(p.source, p.ids): p for p in series.glide.parts}
    clock, pools = ClockNoise({}, {}, 0.0, STAMP_SOURCE), noise.pools
    inputs = accounts.inputs if isinstance(accounts, Accounts) else None
    if inputs is None and entry.spans.contact is not None:
        collision = evaluator.collision_inputs(project, entry.trial.id)
        inputs = None if isinstance(collision, InertianError) else collision.inputs
    if inputs is not None and inputs.origin is not None:
        origin, pools = inputs.origin, inputs.pools
        parts |= {(p.source, p.ids): p for p in origin.shared}
        clock = origin.noise
    wanted = {channel for one in estimates for channel in one.weights}
    if wanted - set(clock.reading):
        context = evaluator.trial_context(project, entry)
        own = context.clock_noise
        clock = ClockNoise(
            {**own.reading, **clock.reading},
            {**own.rate, **clock.rate},
            own.jitter,
            own.jitter_source,
        )
        pools = Pools({**context.pools().relative, **pools.relative})
        parts |= {(p.source, p.ids): p for p in context.fact_parts(estimates)}
    parts |= {(p.source, p.ids): p for p in left_out_parts(estimates)}
    return clock, list(parts.values()), pools, pool
