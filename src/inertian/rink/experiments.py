"""More of a day at the rink: a sled on a bank, a sled at bumpers with a gauge, a hopping puck, a
disc that spins down, a sled that is towed. Each arrives as another kind of file.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

import numpy as np

from inertian.quantities.estimates import Array

SEED = 20261129
G = 9.81  # m/s²
SLED, PUCK = 6.40, 0.170  # kg
Truth = Callable[[float], tuple[Array, Array]]  # positions and velocities at a time in s


@dataclass(frozen=True, eq=False)
class Experiment:
    """A ready project: its name, what to find out in two sentences, its files, the facts as they
    are typed, and the true motion of each file, kept for tests.
    """

    name: str
    task: str
    files: tuple[tuple[str, bytes], ...]
    facts: tuple[str, ...]
    truths: tuple[Truth, ...] = field(repr=False)
    # What was set by hand for each file, by name, as it is typed
    variables: tuple[tuple[str, tuple[str, ...]], ...] = ()


def _lines(columns: Sequence[Array], decimals: Sequence[int], mark: str, comma: bool) -> str:
    rows = []
    for values in zip(*columns, strict=True):
        cells = [f"{v:.{d}f}" for v, d in zip(values, decimals, strict=True)]
        rows.append(mark.join(c.replace(".", ",") if comma else c for c in cells))
    return "\n".join(rows) + "\n"


def bank(seed: int = SEED) -> Experiment:
    """A sled coasts up a snow bank of 5.2° and back: semicolons, decimal commas, centimetres."""
    rng, theta, mu = np.random.default_rng(seed), np.radians(5.2), 0.021
    files, truths = [], []
    pull, rub = G * np.sin(theta), mu * G * np.cos(theta)
    for number, v in enumerate((1.10, 1.32, 1.55), 1):
        turn, high = v / (pull + rub), v**2 / (2 * (pull + rub))

        def motion(
            at: float, v: float = v, turn: float = turn, high: float = high
        ) -> tuple[Array, Array]:
            if at < turn:
                return np.array([v * at - 0.5 * (pull + rub) * at**2]), np.array(
                    [v - (pull + rub) * at]
                )
            s = at - turn
            return np.array([high - 0.5 * (pull - rub) * s * s]), np.array([-(pull - rub) * s])

        t = np.arange(0.0, turn + np.sqrt(2 * high / (pull - rub)), 0.02)
        x = np.array([motion(one)[0][0] for one in t]) + rng.normal(0, 1.2e-3, len(t))
        head = f"Schlitten am Schneehang, Lauf {number}\nZeit (s);Schlitten (cm)\n"
        text = head + _lines((t, 100 * x), (2, 2), ";", True)
        files.append((f"Hang {number}.csv", text.encode()))
        truths.append(motion)
    return Experiment(
        "Sled up the bank",
        "A sled coasts up a bank of snow and back. How much of its energy does friction take on "
        "the way, and what is its coefficient?",
        tuple(files),
        (f"mass of Schlitten = {SLED:.2f} ± 0.02 kg", "incline = 5.2 ± 0.1 °"),
        tuple(truths),
    )


def bumpers(seed: int = SEED) -> Experiment:
    """A sled runs into four bumpers with a force gauge, and into one that holds it: tabs with a
    preamble; the gauge is not zeroed.
    """
    rng, files, truths = np.random.default_rng(seed + 1), [], []
    kinds = (
        ("soft spring", 0.86, 0.28),
        ("hard spring", 0.92, 0.12),
        ("felt", 0.45, 0.16),
        ("rubber", 0.74, 0.08),
        ("snow", 0.0, 0.20),
    )
    for name, e, lasts in kinds:
        v, start, rub = rng.uniform(0.7, 1.0), rng.uniform(0.8, 1.0), 0.02
        u = v - rub * start

        def motion(
            at: float, v: float = v, start: float = start, u: float = u, lasts: float = lasts,
            e: float = e, rub: float = rub,
        ) -> tuple[Array, Array]:  # fmt: skip
            if at <= start:
                return np.array([v * at - 0.5 * rub * at**2]), np.array([v - rub * at])
            s = min(at - start, lasts)
            gain = (1 + e) * u
            phase = np.pi * s / lasts
            x = v * start - 0.5 * rub * start**2 + u * s
            x -= gain * 0.5 * (s - lasts / np.pi * np.sin(phase))
            speed = u - gain * 0.5 * (1 - np.cos(phase))
            rest = at - start - s
            if rest > 0 and e > 0:
                x, speed = x + speed * rest + 0.5 * rub * rest**2, speed + rub * rest
            return np.array([x]), np.array([speed])

        t = np.arange(0.0, start + lasts + 1.0, 0.01)
        x = np.array([motion(one)[0][0] for one in t]) + rng.normal(0, 6e-4, len(t))
        on = (t > start) & (t < start + lasts)
        peak = SLED * (1 + e) * u * 0.5 * np.pi / lasts
        force = peak * np.sin(np.pi * (t - start) / lasts) * on
        force = force + 0.8 + rng.normal(0, 0.4, len(t))
        head = f"# bumper: {name}\n# range finder and force gauge, 100 readings per second\n"
        text = head + "time (s)\tsled (m)\tF (N)\n"
        files.append(
            (f"{name}.tsv", (text + _lines((t, x, force), (3, 4, 2), "\t", False)).encode())
        )
        truths.append(motion)
    return Experiment(
        "Sled and bumpers",
        "A sled runs into four bumpers with a force gauge, and into snow that holds it. Does the "
        "impulse of the gauge account for the change of momentum each time?",
        tuple(files),
        (f"mass of sled = {SLED:.2f} ± 0.02 kg",),
        tuple(truths),
    )


def hopping(seed: int = SEED) -> Experiment:
    """A rubber puck hops, filmed at 300 frames/s and exported as 25: frame times, millimetres."""
    rng = np.random.default_rng(seed + 2)
    x, v, flights, start = np.array([0.0, 0.72]), np.array([0.45, 0.0]), [], 0.0
    for _ in range(3):
        fly = float(v[1] + np.sqrt(v[1] ** 2 + 2 * G * x[1])) / G
        flights.append((start, x, v))
        x = np.array([x[0] + v[0] * fly, 0.0])
        v = np.array([0.94 * v[0], 0.81 * (G * fly - v[1])])
        start += fly

    def motion(at: float) -> tuple[Array, Array]:
        begun, x0, v0 = [f for f in flights if f[0] <= at][-1]
        s = at - begun
        return x0 + v0 * s - np.array([0.0, 0.5 * G * s * s]), v0 - np.array([0.0, G * s])

    true = np.arange(0.0, start, 1 / 300)
    places = np.array([motion(one)[0] for one in true]).T + rng.normal(0, 8e-4, (2, len(true)))
    head = "film time (s),puck x (mm),puck y (mm)\n"
    shown = np.arange(len(true)) / 25.0
    text = head + _lines((shown, 1e3 * places[0], 1e3 * places[1]), (2, 1, 1), ",", False)
    return Experiment(
        "Hopping puck",
        "A rubber puck hops along the ice, filmed at 300 frames a second and exported as 25. "
        "Which part of its energy does each bounce keep, and does any flight lose some?",
        (("Puck.csv", text.encode()),),
        (f"mass of puck = {PUCK:.3f} ± 0.001 kg", "time base = 300 as 25"),
        (motion,),
    )


def spinning(seed: int = SEED) -> Experiment:
    """A disc spins down on the ice and a stone is dropped on it; a mark on the rim is followed:
    milliseconds and centimetres.
    """
    rng, rate, slowing, drag, r = np.random.default_rng(seed + 3), 4.2, 0.22, 0.10, 0.24
    when, inertia, added = 2.63, 0.320, 0.110

    def coasts(speed: float, at: float) -> tuple[float, float]:
        fading = np.exp(-drag * at)
        left = (speed + slowing / drag) * fading - slowing / drag
        angle = (speed + slowing / drag) * (1 - fading) / drag - slowing / drag * at
        return float(angle), float(left)

    def turned(at: float) -> tuple[float, float]:
        angle, speed = coasts(rate, min(at, when))
        if at <= when:
            return angle, speed
        more, left = coasts(speed * inertia / (inertia + added), at - when)
        return angle + more, left

    def motion(at: float) -> tuple[Array, Array]:
        a, w = turned(at)
        return r * np.array([np.cos(a), np.sin(a)]), r * w * np.array([-np.sin(a), np.cos(a)])

    t = np.arange(0.0, 5.0, 1 / 60)
    places = np.array([motion(one)[0] for one in t]).T + rng.normal(0, 7e-4, (2, len(t)))
    text = "t (ms);disc x (cm);disc y (cm)\n"
    text += _lines((1e3 * t, 1e2 * places[0], 1e2 * places[1]), (1, 2, 2), ";", False)
    return Experiment(
        "Spinning disc",
        "A disc spins down on the ice, and a stone is dropped on it; a mark on the rim was "
        "followed. Does angular momentum hold as the stone lands, and what becomes of the "
        "energy?",
        (("Disc.csv", text.encode()),),
        (
            "moment of inertia of disc = 0.320 ± 0.004 kg·m²",
            "added inertia of disc = 0.110 ± 0.003 kg·m²",
            "mass of disc = 11.30 ± 0.05 kg",
            "centre x = 0.0 ± 0.1 cm",
            "centre y = 0.0 ± 0.1 cm",
        ),
        (motion,),
    )


SAIL, SAIL_DRAG, ICE = 11.30, 0.42, 0.0085  # kg, kg/m and μ of a stone that carries a board


def gliding(seed: int = SEED) -> Experiment:
    """A lone stone with a board on it glides along the ice, three times: seconds and metres."""
    rng, files, truths = np.random.default_rng(seed + 6), [], []
    for number, v in enumerate((1.35, 1.90, 2.45), 1):
        rub, drag = ICE * G, SAIL_DRAG / SAIL
        # v' = −f − d v²: v = √(f/d) tan(φ − √(f d) t), x = ln(cos(φ − √(f d) t)/cos φ)/d
        rate, phase = np.sqrt(rub * drag), np.arctan(v * np.sqrt(drag / rub))

        def motion(
            at: float, rub: float = rub, drag: float = drag, rate: float = rate,
            phase: float = phase,
        ) -> tuple[Array, Array]:  # fmt: skip
            left = phase - rate * at
            x = np.log(np.cos(left) / np.cos(phase)) / drag
            return np.array([x]), np.array([np.sqrt(rub / drag) * np.tan(left)])

        t = np.arange(0.0, 6.0, 1 / 30)
        x = np.array([motion(one)[0][0] for one in t]) + rng.normal(0, 1.5e-3, len(t))
        text = f"# glide {number}, range finder\ntime (s),stone (m)\n"
        files.append((f"Glide {number}.csv", (text + _lines((t, x), (4, 4), ",", False)).encode()))
        truths.append(motion)
    return Experiment(
        "Lone stone gliding",
        "A stone with a board standing on it glides along the ice, alone. Which forces slow it "
        "down: none, friction, or friction and the air?",
        tuple(files),
        (f"mass of stone = {SAIL:.2f} ± 0.05 kg",),
        tuple(truths),
    )


SETTINGS = 12
PER_STEP, LEAST_TURN = 0.36, 0.05  # rad/s, of one step of the drive, and at step 0


def driven(seed: int = SEED) -> Experiment:
    """A disc that a motor turns at twelve settings of its drive; a mark on it is followed: a file
    for each, seconds and millimetres.
    """
    rng, files, truths = np.random.default_rng(seed + 5), [], []
    for setting in range(1, SETTINGS + 1):
        rate, r, start = LEAST_TURN + PER_STEP * setting, 0.21, rng.uniform(0, 2 * np.pi)
        rate *= 1.0 + rng.normal(0.0, 0.0015)  # of the motor, from go to go

        def motion(
            at: float, rate: float = rate, r: float = r, start: float = start
        ) -> tuple[Array, Array]:
            a = start + rate * at
            return r * np.array([np.cos(a), np.sin(a)]), r * rate * np.array(
                [-np.sin(a), np.cos(a)]
            )

        t = np.arange(0.0, 4.0, 1 / 30)
        places = np.array([motion(one)[0] for one in t]).T + rng.normal(0, 9e-4, (2, len(t)))
        text = f"drive at {setting}\ntime (s)\tmark x (mm)\tmark y (mm)\n"
        text += _lines((t, 1e3 * places[0], 1e3 * places[1]), (3, 1, 1), "\t", False)
        files.append((f"Drive {setting:02d}.txt", text.encode()))
        truths.append(motion)
    return Experiment(
        "Disc at twelve settings",
        "A motor turns a disc at twelve settings of its drive; a mark on it was followed. How does "
        "the angular speed ω follow the setting, and does it start at zero?",
        tuple(files),
        ("centre x = 0.0 ± 0.5 mm", "centre y = 0.0 ± 0.5 mm"),
        tuple(truths),
        (("setting", tuple(str(k) for k in range(1, SETTINGS + 1))),),
    )


def towed(seed: int = SEED) -> Experiment:
    """A sled is towed from rest with an accelerometer aboard and a gauge in the rope."""
    rng, t = np.random.default_rng(seed + 4), np.arange(0.0, 5.0, 0.02)
    pull = np.where((t > 1.2) & (t < 3.4), 0.62 * np.sin(np.pi * (t - 1.2) / 2.2) ** 2, 0.0)

    def motion(at: float) -> tuple[Array, Array]:
        s = np.linspace(0.0, at, 2001)
        a = np.where((s > 1.2) & (s < 3.4), 0.62 * np.sin(np.pi * (s - 1.2) / 2.2) ** 2, 0.0)
        return np.array([np.nan]), np.array([float(np.trapezoid(a, s))])

    a = pull + 0.07 + rng.normal(0, 0.03, len(t))
    force = SLED * pull + rng.normal(0, 0.05, len(t))
    text = "time (ms),a sled (m/s2),F sled (N)\n"
    text += _lines((1e3 * t, a, force), (0, 3, 3), ",", False)
    return Experiment(
        "Towed sled",
        "A sled is towed from rest with an accelerometer aboard and a force gauge in the rope. "
        "Does the impulse of the rope account for the momentum that the accelerometer tells?",
        (("Tow.csv", text.encode()),),
        (f"mass of sled = {SLED:.2f} ± 0.02 kg",),
        (motion,),
    )


EXPERIMENTS: dict[str, Callable[[], Experiment]] = {
    "Sled up the bank": bank,
    "Sled and bumpers": bumpers,
    "Hopping puck": hopping,
    "Spinning disc": spinning,
    "Towed sled": towed,
    "Disc at twelve settings": driven,
    "Lone stone gliding": gliding,
}
