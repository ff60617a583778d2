"""A second look: likely mistakes that the results themselves give away."""

from dataclasses import dataclass

from inertian.analysis.series_results import SeriesResult, without_touch
from inertian.motion.numerics.residuals import PATTERN_Z
from inertian.project.project import Entry


@dataclass(frozen=True)
class Diagnostic:
    """One likely mistake: what kind it is, and the body and span it concerns."""

    # "pattern": residuals follow a pattern; "far off": a few samples do not count; "noise": the
    # typed reading noise was not used
    kind: str
    body: str = ""
    span: str = ""
    count: int = 0


def second_look(entry: Entry, series: SeriesResult) -> tuple[Diagnostic, ...]:
    """Return the notes on one trial."""
    notes = []
    for fit in series.fits(entry.trial.id):
        if fit.left_out:
            notes.append(Diagnostic("far off", fit.body, fit.span.name, fit.left_out))
        a = series.glide.values.get(fit.body, 0.0) if fit.moving else 0.0
        worst = max(fit.pattern(axis, a) for axis in fit.fits)
        if worst > PATTERN_Z and not without_touch(entry):  # there, tails are reckoned with
            notes.append(Diagnostic("pattern", fit.body, fit.span.name))
    if series.noise.remark:
        notes.append(Diagnostic("noise"))
    return tuple(notes)
