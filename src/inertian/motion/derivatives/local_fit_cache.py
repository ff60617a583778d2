"""Local fits of the channels of a trial, remembered while they may be asked for again.

What a channel says of its windows, noise and misfits, does not hang on where contacts are marked,
so that it is worked out once; a wall that moves then only changes which windows there may be. How
windows are chosen is told in docs/methods.md.
"""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from inertian.motion.derivatives.local_derivatives import BY_DATA, WindowRequest
from inertian.motion.derivatives.local_fits import (
    ChannelSamples,
    DerivativeAtSamples,
    LocalFits,
    local_fits,
    tried_windows,
)
from inertian.motion.noise.local_noise import LocalNoise, NoiseSegment, noise_of_segments
from inertian.motion.numerics.local_polynomials import fit_segments
from inertian.motion.numerics.window_selection import LONG_RECORDING, Misfits
from inertian.quantities.estimates import Array
from inertian.quantities.memo import Recent, room

# Channels with walls, and samples in them, that are kept at most
REMEMBERED, REMEMBERED_SAMPLES = 24, 10_000_000
LEAST_REMEMBERED = 6  # of them, however long: what the strips of two bodies in the plane need
SAMPLES_WATCHED = 400  # samples that tell the noise by which windows are chosen


class LocalFitCache:
    """Remembers local fits by channel, walls and window asked for; it does not hold on to the trial
    itself.
    """

    def __init__(self) -> None:
        self._fits: Recent[LocalFits] = Recent()
        self._latest: dict[tuple[object, ...], LocalFits] = {}
        self._noises: dict[tuple[str, str], LocalNoise] = {}
        self._seen: dict[tuple[object, ...], float] = {}
        self._tried: dict[tuple[object, ...], list[Misfits]] = {}

    def copy(self) -> "LocalFitCache":
        """Return one that knows the same, for another thread."""
        made = LocalFitCache()
        made._fits.adopt(self._fits)
        made._latest, made._noises = dict(self._latest), dict(self._noises)
        made._seen, made._tried = dict(self._seen), dict(self._tried)
        return made

    def fits(
        self, channel: ChannelSamples, walls: Sequence[float], window: WindowRequest = BY_DATA
    ) -> LocalFits:
        """Return the local fits of a channel that do not reach across some walls, times in s."""
        walls = tuple(walls)
        key = (channel.name, channel.given, walls, window)
        most = room(REMEMBERED, len(channel.t), REMEMBERED_SAMPLES, LEAST_REMEMBERED)
        return self._fits.get(key, lambda: self._made(channel, walls, window), most)

    def of(
        self,
        channel: ChannelSamples,
        order: int,
        walls: Sequence[float],
        window: WindowRequest = BY_DATA,
    ) -> DerivativeAtSamples:
        """Return a derivative of a channel at all samples."""
        fits, place = self.fits(channel, walls, window), (channel.name, channel.given, window)
        before = self._latest.get(place)
        self._latest[place] = fits
        return fits.estimated(
            order, before if before is not fits and len(channel.t) > LONG_RECORDING else None
        )

    def _made(
        self, channel: ChannelSamples, walls: tuple[float, ...], window: WindowRequest
    ) -> LocalFits:
        usable = np.flatnonzero(np.isfinite(channel.x))
        t, x = channel.t[usable], channel.x[usable]
        noise = self._noise(channel, t, x)
        tried: list[Misfits] = []
        if window == BY_DATA and len(t) > LONG_RECORDING:
            key = (channel.name, channel.given)
            if key not in self._tried:
                share = None if channel.share is None else channel.share[usable]
                self._tried[key] = tried_windows(t, x, noise, share)
            tried = self._tried[key]
        return local_fits(channel, walls, window, noise, tried, self._seen)

    def noise(self, channel: ChannelSamples) -> LocalNoise:
        """Return the noise of a channel from its scatter about local fits."""
        usable = np.flatnonzero(np.isfinite(channel.x))
        return self._noise(channel, channel.t[usable], channel.x[usable])

    def _noise(self, channel: ChannelSamples, t: Array, x: Array) -> LocalNoise:
        if channel.name not in self._noises:
            parts = fit_segments(t, ())
            pieces = [NoiseSegment(t[p.start : p.stop], x[p.start : p.stop]) for p in parts]
            self._noises[channel.name] = noise_of_segments(
                [pieces], [channel.resolution], SAMPLES_WATCHED
            )[0]
        found = self._noises[channel.name]
        return replace(found, sigma=np.fmax(found.sigma, channel.given)) if channel.given else found
