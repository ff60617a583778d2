"""The judge of the span finder: what it finds in simulated scenes, against what truly happened."""

from collections import Counter, defaultdict
from dataclasses import dataclass, field

import numpy as np

from inertian.motion.recording.trials import Body, Channel, Trial
from inertian.motion.spans.finder import find_spans
from inertian.motion.spans.span_naming import FoundSpan
from inertian.quantities.units import unit_of
from inertian.rink.scenes import SCENES, Happening, Scene, record

FIRST_SEED = 100_000
EVENTS = ("contact", "interaction", "turning point", "bounce", "push", "end stop")
FAST = ("contact", "bounce", "end stop")


def trial_of(t, positions) -> Trial:
    """Return a trial of recorded positions."""
    metre, second = unit_of("length", "m"), unit_of("time", "s")
    bodies = tuple(
        Body(
            name,
            tuple(Channel(axis, axis, metre, x[:, i]) for i, axis in enumerate("xy"[: x.shape[1]])),
        )
        for name, x in positions.items()
    )
    return Trial("judged", "judged", "t", second, t, bodies)


@dataclass
class Tally:
    """What was counted over all trials."""

    edges: dict[str, list[bool]] = field(default_factory=lambda: defaultdict(list))
    missed: Counter = field(default_factory=Counter)
    asked: Counter = field(default_factory=Counter)
    spans: int = 0
    false: int = 0
    holding: int = 0
    kinds: Counter = field(default_factory=Counter)
    speeds: list[tuple[float, float]] = field(default_factory=list)
    bad: list[str] = field(default_factory=list)


def faint(scene: Scene, h: Happening) -> bool:
    """Whether an event changes velocities by less than a tenth of what they are: nobody could see
    it.
    """
    if h.kind not in ("contact", "interaction"):
        return False
    for course in (c for c in scene.courses if c.body in h.bodies):
        at = np.array([h.t0 - 1e-6, h.t0, h.t1, h.t1 + 1e-6])
        x = course.position(at)
        before, after = (x[1] - x[0]) / 1e-6, (x[3] - x[2]) / 1e-6
        if np.linalg.norm(after - before) > 0.1 * max(
            np.linalg.norm(before), np.linalg.norm(after)
        ):
            return False
    return True


def overlap(f: FoundSpan, h: Happening, room: float) -> bool:
    """Whether a found span is about the same bodies at the same time."""
    return bool(set(f.bodies) & set(h.bodies)) and f.t0 <= h.t1 + room and f.t1 >= h.t0 - room


def judge(scene: Scene, t, positions, tally: Tally, label: str) -> None:
    """Compare what is found with what happened."""
    step = float(np.median(np.diff(t)))
    truth, found = scene.happened(), find_spans(trial_of(t, positions))
    truth = [h for h in truth if h.t1 < t[-1] + step and h.t0 <= t[-1] - 4 * step]
    tally.spans += len(found)
    for h in (h for h in truth if h.kind in EVENTS and not faint(scene, h)):
        slow = h.kind in ("interaction", "push")
        beside = min(
            (s.t1 - s.t0 for s in truth if s.kind not in EVENTS and set(s.bodies) & set(h.bodies)),
            default=0.0,
        )
        room = max(3 * step, 0.05 * (h.t1 - h.t0)) if slow else max(3 * step, 0.01 * beside)
        room = max(room, 1.5 * step + 0.01 * t[-1]) if h.kind == "turning point" else room
        near = [f for f in found if f.kind.value in EVENTS and overlap(f, h, room)]
        same = [
            f
            for f in near
            if f.kind.value == h.kind or (slow and h.t1 - h.t0 < 4 * step and f.kind == "contact")
        ]
        tally.asked[h.kind] += 1
        if not same:
            tally.missed[h.kind] += 1
            tally.bad.append(
                f"{label}: no {h.kind} at {h.t0:.3f}; "
                f"{[(f.kind.value, round(f.t0, 3)) for f in near]}"
            )
            continue
        best = min(same, key=lambda f: abs(f.t0 - h.t0) + abs(f.t1 - h.t1))
        for mine, true in ((best.t0, h.t0), (best.t1, h.t1)):
            tally.edges[h.kind].append(abs(mine - true) <= room)
            if abs(mine - true) > room:
                tally.bad.append(f"{label}: {h.kind} edge {mine:.3f} for {true:.3f}")
    for f in found:
        same = [h for h in truth if overlap(f, h, 3 * step) and (h.kind == f.kind.value)]
        if f.kind.steady:
            contacts = [h for h in truth if h.kind in FAST and set(h.bodies) & set(f.bodies)]
            held = [
                h
                for h in contacts
                if not faint(scene, h) and f.t0 < h.t0 - 1e-9 and h.t1 + 1e-9 < f.t1
            ]
            tally.holding += len(held)
            if held:
                tally.bad.append(
                    f"{label}: {f.kind.value} {f.t0:.3f} {f.t1:.3f} holds {held[0].kind} "
                    f"{held[0].t0:.3f}"
                )
            steady = [h for h in truth if h.kind not in EVENTS and set(h.bodies) & set(f.bodies)]
            most = max(steady, key=lambda h: min(f.t1, h.t1) - max(f.t0, h.t0))
            tally.kinds[most.kind, f.kind.value] += 1
            if not min(f.t1, most.t1) - max(f.t0, most.t0) > 0.7 * (f.t1 - f.t0):
                tally.false += 1
                tally.bad.append(f"{label}: false {f.kind.value} {f.t0:.3f} {f.t1:.3f}")
        elif not same and not any(overlap(f, h, 3 * step) and h.kind in EVENTS for h in truth):
            tally.false += 1
            tally.bad.append(f"{label}: false {f.kind.value} {f.t0:.3f} {f.t1:.3f} {f.bodies}")
    _speeds(scene, t, positions, truth, found, tally)


def _speeds(scene: Scene, t, positions, truth, found, tally: Tally) -> None:
    """Errors of the speeds just before and after each impact, from true spans and from found
    ones.
    """
    for h in (h for h in truth if h.kind in ("contact", "interaction")):
        for course in (c for c in scene.courses if c.body in h.bodies):
            for side, edge in ((0, h.t0), (1, h.t1)):
                real = [
                    s
                    for s in truth
                    if course.body in s.bodies and abs((s.t1, s.t0)[side] - edge) < 1e-9
                ]
                own = [f for f in found if course.body in f.bodies and f.kind.steady]
                mine = [f for f in own if _before(f, edge) == (side == 0)]
                if not real or not mine:
                    continue
                near = min(mine, key=lambda f: abs((f.t1, f.t0)[side] - edge))
                at = np.array([edge])
                eps = 1e-6 * (-1.0 if side == 0 else 1.0)
                true = (course.position(at + eps) - course.position(at))[0] / eps
                errors = [
                    _speed(t, positions[course.body], s.t0, s.t1, edge) - true
                    for s in (real[0], near)
                ]
                if all(np.isfinite(e).all() for e in errors):
                    tally.speeds.append(
                        (float(np.linalg.norm(errors[0])), float(np.linalg.norm(errors[1])))
                    )
                    if tally.speeds[-1][1] > 0.1 + 3 * tally.speeds[-1][0]:
                        tally.bad.append(
                            f"SPEED {h.kind} {h.t0:.3f} {course.body} {side} {tally.speeds[-1]}"
                        )


def _before(f: FoundSpan, edge: float) -> bool:
    """Whether a found span lies before an edge; it may begin or end a little across it."""
    return 0.5 * (f.t0 + f.t1) < edge


def _speed(t, x, start, stop, at):
    rows = (t >= start) & (t <= stop)
    if rows.sum() < 5:
        return np.full(x.shape[1], np.nan)
    return np.array([np.polyfit(t[rows] - at, c[rows], 2)[1] for c in x.T])


def run(count: int, first: int) -> Tally:
    """Judge some trials."""
    tally = Tally()
    for seed in range(first, first + count):
        rng = np.random.default_rng(seed)
        scene = SCENES[seed % len(SCENES)](rng)
        rate = float(rng.choice([20.0, 30.0, 60.0, 120.0, 240.0]))
        noise = float(rng.choice([0.0005, 0.001, 0.003]))
        t, x = record(
            scene,
            rng,
            rate,
            noise,
            float(rng.choice([0.0, 0.0005])),
            float(rng.choice([0.0, 0.01])),
        )
        judge(scene, t, x, tally, f"{seed} {scene.name} {rate:g}/s {1e3 * noise:g} mm")
    return tally


def report(tally: Tally) -> list[str]:
    """Return the table."""
    lines = []
    for kind in EVENTS:
        edges, asked = tally.edges[kind], tally.asked[kind]
        lines.append(
            f"{kind}: {asked} happened, {asked - tally.missed[kind]} found, edges right "
            f"{100 * np.mean(edges):.1f} %"
        )
    lines.append(
        f"false spans: {tally.false} of {tally.spans} ({100 * tally.false / tally.spans:.2f} %)"
    )
    lines.append(f"steady spans that hold a hit: {tally.holding}")
    speeds = np.array(tally.speeds)
    rms = np.sqrt((speeds**2).mean(axis=0))
    lines.append(
        f"speeds at contacts: RMS error {1e3 * rms[0]:.2f} mm/s with true spans, "
        f"{rms[1] / rms[0]:.3f} × with found"
    )
    clipped = np.sqrt((np.clip(speeds, 0, 5 * np.median(speeds[:, 0])) ** 2).mean(axis=0))
    lines.append(f"  the same without the largest: {clipped[1] / clipped[0]:.3f} ×")
    lines.append(f"kinds (true, found): {dict(tally.kinds)}")
    return lines
