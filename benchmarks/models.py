"""How long models take: a fit, twenty trials together, a slider, a million steps.

    python benchmarks/models.py

The compiled reference of the steps is the same loop in C, where a compiler is there.
"""

import ctypes
import shutil
import subprocess
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

from inertian.analysis.evaluation import Evaluator
from inertian.analysis.models.model_results import model_result
from inertian.analysis.models.shown_curves import tried_motion
from inertian.models.definitions.model import Model, Rule
from inertian.models.definitions.typed_forces import parse_force
from inertian.models.fitting.fit import fit_model
from inertian.models.fitting.trial_model import trial_model
from inertian.models.stepping.program import run_program
from inertian.motion.recording.trials import Body, Channel, Trial
from inertian.project.project import Project, with_trials
from inertian.project.typed_facts import with_typed_fact
from inertian.quantities.units import unit_of

FORCES = (
    "sliding friction mu=0.012",
    "quadratic drag c=0.2 kg/m",
    "weight along the incline θ=0.1 °",
)
STEPS = 1_000_000
LOOP = """
#include <math.h>
void steps(long n, double dt, double x, double v, double m, double mu, double g, double c,
           double theta, double *xs, double *vs) {
  double normal = m*g*cos(theta), weight = -m*g*sin(theta);
  for (long i = 0; i < n; i++) {
    double F = weight - c*v*fabs(v), push = m*v/dt + F, limit = mu*normal;
    double d = push > limit ? 1.0 : push < -limit ? -1.0 : push/limit;
    F = F - mu*normal*d;
    double a = F/m;
    x = x + v*dt;
    v = v + a*dt;
    xs[i] = x; vs[i] = v;
  }
}
"""


def recording(seed: int, n: int = 500) -> Trial:
    """Two bodies that glide against friction and drag, some metres apart."""
    rng, t, bodies = np.random.default_rng(seed), np.arange(n) / 60, []
    for name, m, v in (("A", 6.4, 1.6), ("B", 11.3, -1.2)):
        speed, x, places = v, 0.0, []
        for _ in t:
            places.append(x)
            for _ in range(4):
                speed -= (0.012 * 9.81 * np.sign(speed) + 0.2 / m * speed * abs(speed)) / 240
                x += speed / 240
        seen = np.array(places) + rng.normal(0, 1e-3, n)
        bodies.append(Body(name, (Channel("x", f"x {name}", unit_of("length", "m"), seen),)))
    return Trial(f"t{seed}", f"go {seed}", "t", unit_of("time", "s"), t, tuple(bodies))


def project_of(trials: list[Trial]) -> Project:
    """A project with weighed masses."""
    project = with_trials(Project(), trials, "series")
    for fact in ("mass of A = 6.40 ± 0.02 kg", "mass of B = 11.30 ± 0.02 kg"):
        project = with_typed_fact(project, fact)
    return project


def took(work: Callable[[], object], times: int = 5) -> float:
    """The least time in s."""
    found = []
    for _ in range(times):
        begun = time.perf_counter()
        work()
        found.append(time.perf_counter() - begun)
    return min(found)


def compiled_steps() -> float | None:
    """The time of the same loop in C, in s; None without a compiler."""
    compiler = shutil.which("cc") or shutil.which("gcc")
    if compiler is None:
        return None
    with tempfile.TemporaryDirectory() as folder:
        source, made = Path(folder) / "loop.c", Path(folder) / "loop.so"
        source.write_text(LOOP)
        subprocess.run([compiler, "-O2", "-shared", "-fPIC", "-o", made, source, "-lm"], check=True)
        steps = ctypes.CDLL(str(made)).steps
        steps.argtypes = [ctypes.c_long] + [ctypes.c_double] * 8 + [ctypes.c_void_p] * 2
        xs, vs = np.empty(STEPS), np.empty(STEPS)
        return took(
            lambda: steps(STEPS, 1e-5, 0.0, 1.6, 6.4, 0.012, 9.81, 0.2, 0.0017, xs.ctypes.data,
                          vs.ctypes.data)
        )  # fmt: skip


def main() -> None:
    """Print all times."""
    model = Model("m", (parse_force("sliding friction"), parse_force("quadratic drag")))
    project, evaluator = project_of([recording(1)]), Evaluator()
    context = evaluator.trial_context(project, project.entries[0])
    once = took(lambda: fit_model([trial_model(context, model)]))
    print(f"two free parameters, 2 × 500 samples: {1e3 * once:.0f} ms")
    result = model_result(evaluator, project, project.entries[0], model)
    whole = took(lambda: model_result(evaluator, project, project.entries[0], model))
    print(f"with residuals, stepping and accounts: {1e3 * whole:.0f} ms")
    move = took(lambda: tried_motion(result, {"mu": 0.013}))
    print(f"a slider's move at 2 × 500 samples, without painting: {1e3 * move:.1f} ms")
    many = project_of([recording(k) for k in range(20)])
    made = [trial_model(evaluator.trial_context(many, e), model) for e in many.entries]
    together = took(lambda: fit_model(made, ["mu", "c"]), 2)
    print(f"twenty trials together, friction and drag shared: {together:.2f} s")
    made = [trial_model(context, Model("m", tuple(map(parse_force, FORCES)), bodies=("A",)))]
    system, t = made[0].system, 1e-5 * np.arange(STEPS + 1)
    steps = took(lambda: run_program(system, Rule.EULER, t, np.array([0.0]), np.array([1.6])), 2)
    compiled = compiled_steps()
    against = "no compiler here" if compiled is None else f"{steps / compiled:.0f} × the same in C"
    print(f"a million plain steps of three forces: {steps:.2f} s, {against}")


if __name__ == "__main__":
    main()
