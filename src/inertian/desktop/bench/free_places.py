"""Where in a plot a card covers least of what is drawn there."""

from collections.abc import Iterable, Sequence

import numpy as np
from PyQt6.QtCore import QRectF

from inertian.quantities.estimates import Array

LOOKED_AT = 240  # points of a trace behind a card, at most
CLEAR = 5.0  # px that a card keeps from a point, if it can


def freest(
    places: Sequence[QRectF], traces: Iterable[tuple[Array, Array]], view: QRectF, area: QRectF
) -> QRectF:
    """Return the first of the places, in px, that covers fewest points of some traces.

    Traces are times, rising, and values, (n,) each; `view` is what of them is seen (with y upwards)
    and `area` where, in px.
    """
    counts = [0] * len(places)
    per_pixel = view.width() / max(area.width(), 1.0), view.height() / max(area.height(), 1.0)
    for t, y in traces:
        for number, place in enumerate(places):
            left, right = (
                view.left() + (edge - area.left()) * per_pixel[0]
                for edge in (place.left() - CLEAR, place.right() + CLEAR)
            )
            low, high = np.searchsorted(t, (left, right))
            rows = slice(low, high, max((high - low) // LOOKED_AT, 1))
            down = area.bottom() - (y[rows] - view.top()) / per_pixel[1]
            inside = (down > place.top() - CLEAR) & (down < place.bottom() + CLEAR)
            counts[number] += int(inside.sum())
    return places[int(np.argmin(counts))]
