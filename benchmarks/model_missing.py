"""How often a force that is missing in a model is noticed in the residuals, and named rightly,
where its effect is five times its standard uncertainty.

    python benchmarks/model_missing.py [TRIALS] [EFFECT IN u] [KIND]
"""

import sys
from dataclasses import replace

import numpy as np
from model_coverage import G, Simulated, motion, recorded, times

from inertian.analysis.evaluation import Evaluator
from inertian.models.definitions.model import Model
from inertian.models.definitions.typed_forces import parse_force
from inertian.models.fitting.fit import fit_model
from inertian.models.fitting.residual_patterns import residual_pattern
from inertian.models.fitting.trial_model import trial_model
from inertian.quantities.errors import InertianError

M = 6.4


def simulated(missing: str, size: float, seed: int) -> Simulated:
    """A sled that has all of the model's forces, and one more of some size."""
    rng = np.random.default_rng([seed, sum(map(ord, missing))])
    v0, sign, mu = rng.uniform(1.0, 2.5), rng.choice([-1.0, 1.0]), rng.uniform(0.003, 0.01)
    place = rng.uniform(0.5, 1.5)
    turns = missing in ("sliding friction", "spring", "kick on a slope")
    tilt = 0.06 if turns else 0.0
    kick = rng.uniform(1.0, 2.5)
    base = 0.0 if missing == "sliding friction" else mu

    def slopes(t: float, y: np.ndarray) -> np.ndarray:
        v = y[1]
        a = -base * G * np.sign(v) - sign * tilt * G
        if missing == "sliding friction":
            a -= size * G * np.sign(v)
        elif missing == "linear drag":
            a -= size * v / M
        elif missing == "quadratic drag":
            a -= size * v * abs(v) / M
        elif missing == "spring":
            a -= size * (y[0] - sign * place) / M
        return np.array([v, a])

    duration = min(2.0 * v0 / (tilt * G), 6.0) if tilt else min(0.8 * v0 / (mu * G), 4.0)
    t = times(rng, duration, 60)
    if missing == "kick":
        first, second = t[t - t[0] <= kick], t[t - t[0] > kick]
        one = motion(slopes, [0.0, sign * v0], np.append(first, t[0] + kick), 20)
        two = motion(slopes, [one[0, -1], one[1, -1] + size], np.append(t[0] + kick, second), 20)
        y = np.concatenate([one[:, :-1], two[:, 1:]], axis=1)
    else:
        y = motion(slopes, [0.0, sign * v0], t, 20)
    forces: tuple[str, ...] = ("sliding friction g=9.81±0 m/s²",)
    if missing == "sliding friction":
        forces = ()
    if tilt:
        forces = (
            *forces,
            f"weight along the incline g=9.81±0 m/s² θ={float(np.arcsin(sign * tilt))!r}±0 rad",
        )
    return Simulated(t, {"A": {"x": y[0]}}, {"A": {"x": y[1]}}, forces or ("none",),
                     ("mass of A = 6.4 ± 0 kg",),
                     {"at": kick, "place": float(sign * place)})  # fmt: skip


SIZES = {
    "sliding friction": 0.002,
    "linear drag": 0.2,
    "quadratic drag": 0.1,
    "spring": 1.0,
    "kick": 0.01,
}


def u_of(missing: str, one: Simulated, seed: int) -> float:
    """u of the missing force's coefficient if it were fitted as well."""
    rng = np.random.default_rng([seed, 8])
    project = recorded(one, rng)
    context = Evaluator().trial_context(project, project.entries[0])
    model = Model("m", tuple(parse_force(f) for f in one.forces))
    if missing == "kick":
        return u_of_kick(one, seed)
    extra = missing if missing != "spring" else f"spring x_0={one.truth['place']!r}±0 m"
    larger = replace(
        model, forces=(*(f for f in model.forces if f.kind != "none"), parse_force(extra))
    )
    fit = fit_model([trial_model(context, larger)])
    code = next(
        s.code
        for s in fit.free
        if s.symbol in ("μ", "b", "c", "k") and s.force == len(larger.forces) - 1
    )
    return fit.scalar(code).u


def u_of_kick(one: Simulated, seed: int) -> float:
    """u of a change of velocity at a known moment, beside a parabola, from the noise of readings
    and of time stamps as `recorded` draws it.
    """
    rng = np.random.default_rng([seed, 8])
    sigma, jitter = rng.choice([3e-4, 1e-3, 3e-3]), rng.choice([0.0, 0.0, 5e-4])
    s = one.t - one.t[0]
    design = np.column_stack([np.ones_like(s), s, s**2, np.maximum(s - one.truth["at"], 0.0)])
    design = design / np.sqrt(sigma**2 + (jitter * one.speeds["A"]["x"]) ** 2)[:, None]
    return float(np.sqrt(np.linalg.inv(design.T @ design)[3, 3]))


def main(trials: int, times_u: float, only: str | None = None) -> None:
    """Print the shares for each kind of missing force."""
    for missing, first in SIZES.items() if only is None else [(only, SIZES[only])]:
        noticed = named = beside = kind = done = 0
        said: dict[str, int] = {}
        for seed in range(trials):
            try:
                one = simulated(missing, first, seed)
                u = u_of(missing, one, seed)
                one = simulated(missing, times_u * u, seed)
                if missing != "kick":  # u hangs on the motion itself
                    one = simulated(missing, times_u * u_of(missing, one, seed), seed)
                project = recorded(one, np.random.default_rng([seed, 8]))
                context = Evaluator().trial_context(project, project.entries[0])
                model = Model("m", tuple(parse_force(f) for f in one.forces))
                found = residual_pattern(fit_model([trial_model(context, model)]).trials[0])
            except InertianError:
                continue
            done += 1
            noticed += found.structured
            right = {"linear drag": "grows with speed", "quadratic drag": "grows with speed",
                     "sliding friction": "grows with time", "spring": "follows the position",
                     "kick": "sudden"}[missing]  # fmt: skip
            kind += found.pattern.startswith(right)
            named += found.force == missing
            beside += missing in found.as_well
            key = f"{found.pattern.split(' at ')[0]}, {found.force or '-'}"
            said[key] = said.get(key, 0) + 1
        of = max(noticed, 1)
        print(f"{missing}: noticed {100 * noticed / done:.0f} %, kind {100 * kind / of:.0f} %, "
              f"named {100 * named / of:.0f} %, beside another {100 * beside / of:.0f} %, "
              f"of {done}; {said}", flush=True)  # fmt: skip


if __name__ == "__main__":
    many = int(sys.argv[1]) if len(sys.argv) > 1 else 200
    effect = float(sys.argv[2]) if len(sys.argv) > 2 else 5.0
    main(many, effect, sys.argv[3] if len(sys.argv) > 3 else None)
