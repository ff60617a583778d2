"""What a trend says in words: how points scatter about the line, and which of them lie apart."""

from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from inertian.analysis.trends.line_fit import LineFit
from inertian.motion.numerics.residuals import PATTERN_Z, pattern_z
from inertian.quantities.estimates import Array

SURPRISE = 0.05  # p below which scatter is called more than the ± say
CLOSE = 0.99  # p above which points lie closer than their ± allow
BENT = 3.0  # |z| of a bend, as a normal deviate
APART = 0.05  # chance of any point of all lying so far off, below which one is told
FEWEST_TO_BEND = 4  # points beyond the parameters


class Remark(StrEnum):
    """What is worth telling of residuals."""

    SCATTER = "scatter"  # as their ± say
    MORE = "more"  # than these
    WIDENED = "widened"  # so clearly more that the ± of the line are widened
    LESS = "less"
    BENT = "bent"
    PATTERN = "pattern"
    APART = "apart"
    FEW = "few"
    NO_U = "no u"


@dataclass(frozen=True)
class ResidualRemark:
    """One remark with the number it rests on: times the scatter, z of the bend, or how many u; the
    point it is about.
    """

    remark: Remark
    number: float = 0.0
    trial: str = ""


def residual_remarks(fit: LineFit) -> tuple[ResidualRemark, ...]:
    """Return what residuals say, the gravest first."""
    found: list[ResidualRemark] = []
    outlying = point_apart(fit)
    if outlying is not None:
        place, away = outlying
        trial = fit.points.trials[place] if fit.points.trials else str(place + 1)
        found.append(ResidualRemark(Remark.APART, away, trial))
    bend = bend_z(fit)
    if abs(bend) > BENT:
        found.append(ResidualRemark(Remark.BENT, bend))
    else:
        order = np.argsort(fit.points.x)
        z = pattern_z((fit.residuals / fit.u)[order], np.ones(len(order)))
        if z > PATTERN_Z:
            found.append(ResidualRemark(Remark.PATTERN, z))
    if fit.scatter:
        return (*found, ResidualRemark(Remark.NO_U))
    times = float(np.sqrt((fit.chi_squared or 0.0) / fit.dof))
    p = fit.p if fit.p is not None else 1.0
    if fit.widened > 1.0:
        found.append(ResidualRemark(Remark.WIDENED, times))
    elif p < SURPRISE:
        found.append(ResidualRemark(Remark.MORE, times))
    elif p > CLOSE:
        found.append(ResidualRemark(Remark.LESS, times))
    elif not found:
        found.append(ResidualRemark(Remark.FEW if fit.dof < 2 else Remark.SCATTER, times))
    return tuple(found)


def bend_z(fit: LineFit) -> float:
    """Return how clearly residuals bend, as a normal deviate: of a parabola beside the line, by
    what its coefficient's t says; 0 for too few points.
    """
    from inertian.quantities.coverage import equivalent_z

    spare = fit.dof - 1
    if spare < FEWEST_TO_BEND - 1 or float(np.ptp(fit.points.x)) == 0.0:
        return 0.0
    root = 1.0 / fit.u
    x = (fit.points.x - fit.points.x.mean()) / float(np.ptp(fit.points.x))
    columns = np.vstack([fit.slopes(fit.points.x), x**2]) * root
    others, bend = columns[:-1].T, columns[-1]
    q, _ = np.linalg.qr(others)
    bend = bend - q @ (q.T @ bend)
    left = fit.residuals * root
    size = float(bend @ bend)
    if size <= 1e-12 * float(columns[-1] @ columns[-1]):
        return 0.0
    coefficient = float(bend @ left) / size
    rest = float(left @ left) - coefficient**2 * size
    # Scatter beyond what ± say is no bend
    variance = max(rest / spare, 0.0 if fit.scatter else 1.0)
    if variance == 0.0:
        return 0.0
    return float(equivalent_z(coefficient * np.sqrt(size / variance), float(spare)))


def standardised(fit: LineFit) -> Array:
    """Return residuals over what each is expected to be with its own point left out, (n,)
    (Belsley, Kuh & Welsch, *Regression Diagnostics*, 1980, 2.1).
    """
    slopes = fit.slopes(fit.points.x) / fit.u
    q, _ = np.linalg.qr(slopes.T)
    leverage = np.clip((q**2).sum(axis=1), 0.0, 1.0 - 1e-9)
    r = fit.residuals / fit.u / np.sqrt(1.0 - leverage)
    spare = fit.dof - 1
    if spare < 1:
        return np.zeros(len(r))
    squares = float(np.sum((fit.residuals / fit.u) ** 2))
    without = np.maximum((squares - r**2) / spare, 0.0)
    scale = without if fit.scatter else np.maximum(without, 1.0)
    safe = np.where(scale > 0.0, scale, np.inf)
    return np.asarray(r / np.sqrt(safe))


def point_apart(fit: LineFit) -> tuple[int, float] | None:
    """Return the point that lies apart from all others and by how many of its u, if one does: by
    its t with itself left out, and as many chances as there are points (Bonferroni).
    """
    from scipy.special import stdtr

    if fit.dof < 3:
        return None
    t = standardised(fit)
    place = int(np.argmax(np.abs(t)))
    chance = 2.0 * float(stdtr(fit.dof - 1, -abs(t[place]))) * len(t)
    return (place, float(t[place])) if chance < APART else None
