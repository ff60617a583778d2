"""From the raw recording to the samples that count, in the frame: what all later stages see of a
trial.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from inertian.motion.recording.frame import FILE_FRAME, Frame, in_frame
from inertian.motion.recording.tidying import Effect, TidyStep, apply_steps, bridge, with_exchanges
from inertian.motion.recording.trials import Body, Channel, Trial
from inertian.quantities.estimates import Array, Rows
from inertian.quantities.memo import Memo

REMEMBERED_STATES = 6  # states of one trial that are remembered, for undo and dragging


@dataclass(frozen=True, eq=False)
class PreparedTrial:
    """The trial that counts, with the same id: samples set aside are missing (NaN), positions are
    in the frame.

    `whole` is the trial in the frame with nothing set aside; `aside` and `bridged` hold rows by
    body, `bridges` the values drawn through gaps by body and axis, in SI.
    """

    trial: Trial
    whole: Trial
    aside: Mapping[str, Rows]
    bridged: Mapping[str, Rows]
    bridges: Mapping[tuple[str, str], Array]
    effects: tuple[Effect, ...] = ()


_memo = Memo()


def prepare(
    trial: Trial, steps: Sequence[TidyStep] = (), frame: Frame = FILE_FRAME
) -> PreparedTrial:
    """Return a trial after its tidy steps and in its frame; equal questions give the identical
    answer.
    """
    if not steps and not frame.moves and not frame.zeros:
        # Not remembered: it would hold on to its own key
        return PreparedTrial(trial, trial, {}, {}, {})
    key = (tuple(steps), replace(frame, time_zero=0.0, centre=None))
    return _memo.get(trial, key, lambda: _prepared(trial, steps, frame), REMEMBERED_STATES)


def _prepared(trial: Trial, steps: Sequence[TidyStep], frame: Frame) -> PreparedTrial:
    exchanged = with_exchanges(trial, steps)
    kept = apply_steps(exchanged, steps)
    seen = in_frame(exchanged, frame)
    whole = seen if seen is not trial else replace(trial)  # never the key itself
    bodies = tuple(_without(body, kept.aside[body.name]) for body in whole.bodies)
    left = replace(whole, bodies=bodies)
    bridges = {
        (body.name, c.axis): bridge(left.t, c.si, rows)
        for body in left.bodies
        if (rows := kept.bridged[body.name]).size
        for c in body.channels
    }
    return PreparedTrial(left, whole, kept.aside, kept.bridged, bridges, kept.effects)


def _without(body: Body, rows: Rows) -> Body:
    if not rows.size:
        return body
    return Body(
        body.name,
        *(tuple(_missing(c, rows) for c in group) for group in (body.channels, body.sensors)),
    )


def _missing(channel: Channel, rows: Rows) -> Channel:
    raw = np.array(channel.raw)
    raw[rows] = np.nan
    return replace(channel, raw=raw)
