"""From raw files of unequal stones to the slope of v′ against v and of one change of velocity
against the other: how often the stated ± hold the truth, file reading, spans and fits included.

Run: .venv/bin/python benchmarks/trend_from_files.py [SERIES] [TRIALS]
"""

import sys
from dataclasses import replace

import numpy as np

from inertian.analysis.evaluation import Evaluator
from inertian.analysis.results.results_table import results_table
from inertian.analysis.trends.trend_result import trend_result
from inertian.files.reader import read_bytes
from inertian.files.tab_separated import tab_separated
from inertian.files.trial_building import trials_of
from inertian.physics.definitions.fact_names import mass_key
from inertian.project.project import RESTITUTION, Project, with_trials
from inertian.project.trend_requests import TrendRequest
from inertian.quantities.facts import Fact, FactId, Meaning
from inertian.quantities.units import unit_of
from inertian.rink.camera import Camera, film
from inertian.rink.day import DECELERATION
from inertian.rink.stones import RADIUS, Stones, collide

BOUNCE, U_OF_E, U_OF_MASS = 0.83, 0.01, 0.05


def stones(speed: float, wait: float, mass: tuple[float, float]) -> Stones:
    """A stone that runs into a resting one."""
    way = speed * wait - 0.5 * DECELERATION[0] * wait**2
    return Stones(
        mass,
        np.array([[0.4], [0.4 + 2 * RADIUS + way]]),
        np.array([[speed], [0.0]]),
        DECELERATION,
        BOUNCE,
    )


def true_restitution(mass: tuple[float, float]) -> float:
    """The restitution that the contact force gives these stones, friction left out."""
    free = replace(stones(1.5, 1.0, mass), deceleration=(0.0, 0.0))
    made = collide(free)
    before, after = made.at_begin[1][:, 0], made.at_end[1][:, 0]
    return float((after[1] - after[0]) / (before[0] - before[1]))


def series(rng: np.random.Generator, many: int, mass: tuple[float, float]) -> Project:
    """A project of trials from files, masses and restitution typed with their errors."""
    project, camera = Project("series"), Camera()
    for k in range(many):
        truth = collide(stones(rng.uniform(0.9, 2.2), rng.uniform(0.8, 1.2), mass))
        footage = film(truth, truth.end + rng.uniform(0.8, 1.1), camera, rng)
        columns = [footage.times, footage.positions_cm[0, 0], footage.positions_cm[1, 0]]
        content = tab_separated((), ["time (s)", "A (cm)", "B (cm)"], columns, [4, 2, 2])
        parsed = read_bytes(f"Go {k + 1}.tsv", content)
        project = with_trials(project, trials_of(parsed), "stones")
    kg, number = unit_of("mass", "kg"), unit_of("number", "")
    for body, m in zip("AB", mass, strict=True):
        fact = Fact(m + U_OF_MASS * rng.normal(), U_OF_MASS, Meaning.STANDARD, kg)
        project = project.with_fact(FactId(mass_key(body)), fact)
    e = true_restitution(mass) + U_OF_E * rng.normal()
    return project.with_fact(FactId(RESTITUTION), Fact(e, U_OF_E, Meaning.STANDARD, number))


CASES = (
    ("velocity just before contact of A along x", "velocity just after contact of B along x",
     "m_1 (1+e)/(m_1+m_2) x"),
    ("velocity before of A along x", "velocity after of B along x", "m_1 (1+e)/(m_1+m_2) x"),
    ("change of velocity of A along x", "change of velocity of B along x", "-m_1/m_2 x"),
    ("momentum x expected", "momentum x after", "x"),
)  # fmt: skip


def true_slopes(mass: tuple[float, float]) -> list[float]:
    """The slopes that hold exactly, in the order of the cases."""
    a, b = mass
    hit = a * (1 + true_restitution(mass)) / (a + b)
    return [hit, hit, -a / b, 1.0]


def main() -> None:
    many = int(sys.argv[1]) if len(sys.argv) > 1 else 100
    trials = int(sys.argv[2]) if len(sys.argv) > 2 else 6
    held = np.zeros((len(CASES), 4))
    zs, signs = [[] for _ in CASES], []
    for number in range(many):
        rng = np.random.default_rng([number, trials])
        mass = (19.1, 11.3) if number % 2 else (8.4, 17.9)
        project = series(rng, trials, mass)
        table = results_table(project, Evaluator())
        signs.append(mass)
        for k, ((x, y, theory), true) in enumerate(zip(CASES, true_slopes(mass), strict=True)):
            request = TrendRequest(x, y, "origin", expected=theory)
            made = trend_result(table, request)
            one = made.fit.parameter("slope")
            away = abs(one.value - true)
            held[k, :2] += away <= one.k68 * one.u, away <= one.k95 * one.u
            zs[k].append((one.value - true) / one.u)
            held[k, 2] += abs(made.agreement.z) <= 2.0
            straight = trend_result(table, replace(request, line="straight", expected=""))
            slope = straight.fit.parameter("slope")
            held[k, 3] += abs(slope.value - true) <= slope.k95 * slope.u
    for (x, y, _), row, z in zip(CASES, held / many, zs, strict=True):
        rms = np.sqrt(np.mean(np.square(z)))
        print(f"{y} / {x}: origin {row[0]:.2f} {row[1]:.2f}, |z| ≤ 2 {row[2]:.2f}, "
              f"straight {row[3]:.2f}, mean z {np.mean(z):+.2f}, rms z {rms:.2f}")  # fmt: skip


if __name__ == "__main__":
    main()
