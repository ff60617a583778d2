"""Momentum along a straight track that bodies were filmed on in the plane: the same statements as
along the axes, put together with the cosines of the track.

The direction is that of the largest spread of all places (Pearson, Phil. Mag. 2 (1901) 559-572).
Its own error only counts with the momentum across, which a track does not leave: second order.
"""

from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from inertian.motion.recording.trials import Trial
from inertian.physics.accounts.account_inputs import InputKey, Values
from inertian.physics.accounts.entries import EntryRule, Recorded
from inertian.physics.accounts.forms import Form
from inertian.physics.accounts.statements import Statement

MOMENTUM_ALONG = "momentum along track"
STRAIGHT = 0.02  # of the way along, that places may spread across
LEAST_TILT = np.deg2rad(1.0)  # against both axes: below it, an axis is as good
FEWEST, MOST_POINTS = 8, 2000  # places of a body

Track = tuple[float, float]  # cosines with x and y


def track_of(trial: Trial) -> Track | None:
    """Return the cosines of the straight track that all bodies of a trial move along; None where
    they do not, or where it runs along an axis.
    """
    parts = []
    for body in trial.followed:
        if set(body.axes) != {"x", "y"}:
            return None
        places = np.array([body.channel(axis).si for axis in "xy"])
        places = places[:, np.isfinite(places).all(axis=0)]
        places = places[:, :: -(-max(places.shape[1], 1) // MOST_POINTS)]
        if places.shape[1] < FEWEST:
            return None
        parts.append(places - places.mean(axis=1, keepdims=True))
    if not parts:
        return None
    directions, spread, _ = np.linalg.svd(np.hstack(parts), full_matrices=False)
    x, y = (float(c) for c in directions[:, 0])
    tilt = min(np.arctan2(abs(y), abs(x)), np.arctan2(abs(x), abs(y)))
    if spread[1] > STRAIGHT * spread[0] or tilt < LEAST_TILT:
        return None
    largest = x if abs(x) >= abs(y) else y
    return (x, y) if largest > 0.0 else (-x, -y)


@dataclass(frozen=True)
class AlongForm:
    """Forms along axes, put together with the cosines of a direction."""

    parts: tuple[tuple[float, Form], ...]

    @property
    def name(self) -> str:
        """See `Form`."""
        return self.parts[0][1].name

    @property
    def body(self) -> str:
        """See `Form`."""
        return self.parts[0][1].body

    def needs(self, date: int) -> tuple[InputKey, ...]:
        """See `Form`."""
        return tuple(dict.fromkeys(key for _, one in self.parts for key in one.needs(date)))

    def amount(self, q: Values, date: int) -> Any:
        """See `Form`; in the unit of its parts."""
        return sum(c * one.amount(q, date) for c, one in self.parts)


@dataclass(frozen=True)
class AlongEntry:
    """Entries along axes, put together with the cosines of a direction."""

    parts: tuple[tuple[float, EntryRule], ...]

    @property
    def name(self) -> str:
        """See `EntryRule`."""
        return self.parts[0][1].name

    @property
    def source(self) -> str:
        """See `EntryRule`."""
        return self.parts[0][1].source

    def needs(self, period: int) -> tuple[InputKey, ...]:
        """See `EntryRule`."""
        return tuple(dict.fromkeys(key for _, one in self.parts for key in one.needs(period)))

    def amount(self, q: Values, period: int) -> Any:
        """See `EntryRule`; in the unit of its parts."""
        return sum(c * one.amount(q, period) for c, one in self.parts)


def along_track(x: Statement, y: Statement, track: Track) -> list[Statement]:
    """Return momentum along a track of statements along both axes, and these; what a gauge has
    recorded pushes along the track.
    """
    forms = tuple(
        AlongForm(tuple(zip(track, pair, strict=True)))
        for pair in zip(x.forms, y.forms, strict=True)
    )
    entries = tuple(
        _together(one, two, track) for one, two in zip(x.entries, y.entries, strict=True)
    )
    whole = replace(x, law=MOMENTUM_ALONG, forms=forms, entries=entries)
    gauges = [tuple(e for e in own if isinstance(e, Recorded)) for own in x.entries]
    parted = [whole]
    for statement, cosine in ((x, track[0]), (y, track[1])):
        own = tuple(
            (
                *(e for e in es if not isinstance(e, Recorded)),
                *(AlongEntry(((cosine, gauge),)) for gauge in gauge_of_period),
            )
            for es, gauge_of_period in zip(statement.entries, gauges, strict=True)
        )
        parted.append(replace(statement, entries=own))
    return parted


def _together(
    one: tuple[EntryRule, ...], two: tuple[EntryRule, ...], track: Track
) -> tuple[EntryRule, ...]:
    """The entries of a period along the track: those of one name and body together."""
    parts: dict[tuple[str, str], list[tuple[float, EntryRule]]] = {}
    for cosine, own in zip(track, (one, two), strict=True):
        for entry in own:
            if not isinstance(entry, Recorded):
                key = entry.name, getattr(entry, "body", "")
                parts.setdefault(key, []).append((cosine, entry))
    gauges = tuple(e for e in one if isinstance(e, Recorded))
    return (*(AlongEntry(tuple(own)) for own in parts.values()), *gauges)
