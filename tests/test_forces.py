"""Forces of models, stepped: against closed forms and a 50-digit reference, orders of the rules,
energy over many steps, derivatives through events, and the program that is shown.
"""

import contextlib
import subprocess
import sys
from dataclasses import replace

import mpmath
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.interpolate import make_interp_spline

from inertian.models.definitions.force_kinds import FORCES, force_kind
from inertian.models.definitions.model import Rule
from inertian.models.definitions.system import (
    Coordinate,
    MovingBody,
    RecordedForce,
    Setting,
    System,
)
from inertian.models.definitions.typed_forces import force_text, free_parameters, parse_force
from inertian.models.stepping.as_python import program_text
from inertian.models.stepping.program import run_program
from inertian.models.stepping.reference import ModelRunError, run_reference
from inertian.quantities.errors import InertianError

G = 9.81
ALONG = Coordinate("A", "x", "x", "v", "F", "a", "m")
TURN = Coordinate("A", "angle", "angle", "omega", "torque", "alpha", "inertia")


def system(*forces, bodies=None, signs=None, recorded=None, turning=False, **values):
    """A system of forces as they are typed, with the values of all settings by symbol."""
    if bodies is None:
        bodies = (MovingBody("A", "", (TURN if turning else ALONG,), turning),)
    read = tuple(parse_force(text) for text in forces)
    settings = {}
    masses = values.pop("masses", {})
    for body in bodies:
        code = f"m{body.suffix}"
        settings[-1, "m", body.name] = Setting("m", code, masses.get(body.name, 2.0), "mass", "kg")
    for place, force in enumerate(read):
        for kind in force_kind(force.kind).parameters:
            typed = force.parameter(kind.symbol).fact
            value = typed.si if typed is not None else values.get(kind.symbol)
            if value is None:
                value = parse_force(f"{force.kind} {kind.symbol}={kind.default}").parameters[0]
                value = value.fact.si
            code = f"p{place}_{'abcdefgh'[len(settings) % 8]}{len(settings)}"
            settings[place, kind.symbol, ""] = Setting(
                kind.symbol, code, value, kind.kind, "", force=place, symbol=kind.symbol
            )
    return System(bodies, read, settings, recorded or {}, signs=signs or {})


def code(made, symbol):
    return next(s.code for (_, name, _), s in made.settings.items() if name == symbol)


def moved(made, t, x=0.0, v=1.0, **how):
    return run_reference(made, np.asarray(t), np.atleast_1d(x), np.atleast_1d(v), **how)


T = np.linspace(0.0, 3.0, 61)


def _friction(t, mu=0.05, v=1.0):
    s = np.minimum(t, v / (mu * G))
    return v * s - 0.5 * mu * G * s**2


CLOSED = {
    "no force": ((), {}, lambda t: 0.2 + 0.7 * t, 0.2, 0.7),
    "weight": (("weight g=9.81 m/s²",), {}, lambda t: 0.7 * t - 0.5 * G * t**2, 0.0, 0.7),
    "weight along the incline": (
        ("weight along the incline g=9.81 m/s² θ=5 °",), {},
        lambda t: -0.3 * t - 0.5 * G * np.sin(np.radians(5)) * t**2, 0.0, -0.3,
    ),
    "constant push over a stretch": (
        ("constant push F=3 N t_1=0.5 s t_2=1.25 s",), {},
        lambda t: -t + 0.75 * (np.maximum(t - 0.5, 0) ** 2 - np.maximum(t - 1.25, 0) ** 2),
        0.0, -1.0,
    ),
    "sliding friction until it rests": (("friction mu=0.05 g=9.81 m/s²",), {}, _friction, 0.0, 1.0),
    "rolling resistance backwards": (
        ("rolling c_r=0.05 g=9.81 m/s²",), {}, lambda t: -_friction(t), 0.0, -1.0,
    ),
    "linear drag": (
        ("linear drag b=1.5 kg/s",), {}, lambda t: 2 / 1.5 * (1 - np.exp(-1.5 / 2 * t)), 0.0, 1.0,
    ),
    "quadratic drag backwards": (
        ("quadratic drag c=1.5 kg/m",), {},
        lambda t: -2 / 1.5 * np.log1p(1.5 / 2 * 1.2 * t), 0.0, -1.2,
    ),
    "spring": (
        ("spring k=50 N/m x_0=0.3 m",), {},
        lambda t: 0.3 - 0.3 * np.cos(5 * t) + 0.2 * np.sin(5 * t), 0.0, 1.0,
    ),
    "damped spring": (
        ("damped spring k=50 N/m x_0=0 m b=2 kg/s",), {},
        lambda t: np.exp(-0.5 * t) * np.sin(np.sqrt(24.75) * t) / np.sqrt(24.75), 0.0, 1.0,
    ),
    "thrust that decays": (
        ("decaying thrust F=4 N τ=0.5 s",), {},
        lambda t: 2 * (0.5 * t - 0.25 * (1 - np.exp(-t / 0.5))), 0.0, 0.0,
    ),
    "cord over a pulley": (
        ("cord m_h=0.5 kg g=9.81 m/s² I=0.001 kg·m² r=0.05 m s=-1",), {},
        lambda t: -0.5 * (0.5 * G / (2.5 + 0.4)) * t**2, 0.0, 0.0,
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", CLOSED)
def test_each_force_moves_a_body_as_its_closed_form_says(name):
    forces, values, truth, x, v = CLOSED[name]
    made = system(*(forces or ("none",)), **values)
    assert np.max(np.abs(moved(made, T, x, v).places[0] - truth(T))) < 1e-9


def test_a_pendulum_swings_as_elliptic_functions_of_fifty_digits_say():
    length, first = 0.8, 1.3
    made = system("pendulum l=0.8 m g=9.81 m/s²", turning=True, x_p=0.0, y_p=0.0)
    angles = moved(made, T, first, 0.0).places[0]
    with mpmath.workdps(50):
        k = mpmath.sin(mpmath.mpf("1.3") / 2)
        slow = mpmath.sqrt(mpmath.mpf("9.81") / mpmath.mpf("0.8"))
        quarter = mpmath.ellipk(k**2)
        true = [
            2
            * mpmath.asin(k * mpmath.ellipfun("sn", quarter - slow * mpmath.mpf(float(t)), m=k**2))
            for t in T
        ]
    assert length == 0.8
    assert np.max(np.abs(angles - np.array([float(a) for a in true]))) < 1e-9


def test_torques_of_a_dry_and_viscous_bearing_and_a_torsion_spring():
    disc = (MovingBody("A", "", (TURN,)),)

    def made(*forces):
        one = system(*forces, bodies=disc)
        settings = {**one.settings, (-1, "I", "A"): Setting("I", "inertia", 0.5, "inertia", "")}
        return replace(one, settings=settings)

    dry = moved(made("dry torque M_d=0.4 N·m"), T, 0.0, 2.0).places[0]
    s = np.minimum(T, 2.5)
    assert np.max(np.abs(dry - (2 * s - 0.4 * s**2))) < 1e-9
    viscous = moved(made("viscous torque β=0.3 N·m·s"), T, 0.0, -2.0).places[0]
    assert np.max(np.abs(viscous + 2 / 0.6 * (1 - np.exp(-0.6 * T)))) < 1e-9
    swings = moved(made("torsion spring κ=8 N·m/rad φ_0=0 rad"), T, 0.1, 0.0).places[0]
    assert np.max(np.abs(swings - 0.1 * np.cos(4 * T))) < 1e-9


def test_a_bumper_gives_back_what_its_damping_leaves_and_pulls_nothing():
    made = system("bumper k=800 N/m x_0=0.5 m b=0 kg/s side=1", signs={(0, "A"): 1.0})
    motion = moved(made, T, 0.0, 1.0)
    half = np.pi * np.sqrt(2 / 800)
    truth = np.where(
        T < 0.5, T, np.where(0.5 + half > T, 0.5 + np.sin(20 * (T - 0.5)) / 20, 1.0 - (T - half))
    )
    assert np.max(np.abs(motion.places[0] - truth)) < 1e-9
    assert [what for _, what in motion.events] == [
        "one-sided spring begins",
        "one-sided spring ends",
    ]


def two(gap=1.0, v=(1.0, 0.0), masses=(19.1, 11.3)):
    cs = [Coordinate(n, "x", f"x_{k}", f"v_{k}", f"F_{k}", f"a_{k}", f"m_{k}")
          for k, n in ((1, "A"), (2, "B"))]  # fmt: skip
    bodies = tuple(MovingBody(c.body, f"_{k}", (c,)) for k, c in enumerate(cs, 1))
    return bodies, dict(zip("AB", masses, strict=True)), np.array([0.0, gap]), np.array(v)


@pytest.mark.parametrize("e", [0.3, 0.8, 1.0])
def test_a_stiff_contact_gives_back_its_restitution_and_keeps_momentum(e):
    bodies, masses, x, v = two()
    made = system(f"contact k=5e5 N/m e={e} d=0.3 m", bodies=bodies, signs={(0, "A\nB"): 1.0},
                  masses=masses)  # fmt: skip
    rates = run_reference(made, T, x, v).rates[:, -1]
    assert rates[1] - rates[0] == pytest.approx(e, abs=1e-7)
    assert 19.1 * rates[0] + 11.3 * rates[1] == pytest.approx(19.1, rel=1e-12)


def test_repulsion_keeps_energy_and_momentum_and_ends_where_it_is_cut_off():
    bodies, masses, x, v = two(v=(0.8, -0.4))
    made = system("repulsion F=2 N d=0.1 m n=3", bodies=bodies, signs={(0, "A\nB"): 1.0},
                  masses=masses)  # fmt: skip
    motion = run_reference(made, T, x, v)
    m = np.array([19.1, 11.3])
    apart = motion.places[1] - motion.places[0]
    energy = 0.5 * m @ motion.rates**2 + 2 * 0.1**3 / (2 * apart**2)
    assert np.max(np.abs(energy - energy[0])) < 1e-9
    assert np.max(np.abs(m @ motion.rates - m @ v)) < 1e-9
    cut = system("repulsion F=20 N d=0.1 m n=0 r_c=0.6 m", bodies=bodies,
                 signs={(0, "A\nB"): 1.0}, masses=masses)  # fmt: skip
    words = [w for _, w in run_reference(cut, T, x, v).events]
    assert words == ["repulsion begins", "repulsion ends"]


@pytest.mark.parametrize("seed", range(4))
def test_a_recorded_force_drives_a_body_as_its_double_integral_says(seed):
    """Also where readings jump, are unevenly spaced, and begin after the motion and end before."""
    rng = np.random.default_rng(seed)
    at = np.sort(rng.uniform(0.4, 2.5, 90))
    read = rng.normal(0.0, 5.0, 90) + 30.0 * (rng.random(90) < 0.1)
    made = system("recorded force f=-0.8 F_0=1.5 N", recorded={"A": RecordedForce(at, read)})
    whole = np.concatenate([[-1.0], at, [4.0]]), np.concatenate([read[:1], read, read[-1:]])
    lines = make_interp_spline(whole[0], -0.8 * (whole[1] - 1.5) / 2.0, k=1)
    v, x = lines.antiderivative(1), lines.antiderivative(2)
    expected = 0.3 - 0.5 * T + x(T) - x(0.0) - v(0.0) * T
    f = code(made, "f")
    motion = moved(made, T, 0.3, -0.5, seeds=(f,))
    assert np.max(np.abs(motion.places[0] - expected)) < 1e-9
    assert np.max(np.abs(motion.place_slopes[0, 0] - (expected - 0.3 + 0.5 * T) / -0.8)) < 1e-9


def test_friction_never_pushes_backwards_and_starts_when_it_is_overcome():
    made = system("friction mu=0.1 g=9.81 m/s²", "constant push F=5 N t_1=1 s t_2=2 s")
    for rule in Rule:
        if rule is Rule.REFERENCE:
            motion = moved(made, T, 0.0, 0.3)
        else:
            motion = run_program(made, rule, T, np.array([0.0]), np.array([0.3]))
        assert motion.rates.min() > -1e-9, rule
        rests = (T > 0.45) & (T < 0.95)
        assert np.ptp(motion.places[0][rests]) < 1e-4, rule
    words = [what for _, what in moved(made, T, 0.0, 0.3).events]
    assert words == [
        "A stops",
        "constant push begins",
        "A starts to move",
        "constant push ends",
    ]


def test_in_a_plane_friction_acts_against_the_motion_and_stops_it():
    x = Coordinate("A", "x", "x", "v_x", "F_x", "a_x", "m")
    y = Coordinate("A", "y", "y", "v_y", "F_y", "a_y", "m")
    made = system("friction mu=0.05 g=9.81 m/s²", bodies=(MovingBody("A", "", (x, y)),))
    motion = run_reference(made, T, np.zeros(2), np.array([0.6, -0.8]), seeds=(code(made, "μ"),))
    way = 1 / (2 * 0.05 * G)
    assert motion.places[:, -1] == pytest.approx([0.6 * way, -0.8 * way], abs=1e-9)
    assert motion.place_slopes[0, :, -1] == pytest.approx(
        [-0.6 * way / 0.05, 0.8 * way / 0.05], rel=1e-6
    )


@pytest.mark.parametrize(
    ("rule", "order"), [(Rule.EULER, 1), (Rule.SEMI_IMPLICIT, 1), (Rule.VERLET, 2), (Rule.RK4, 4)]
)
@pytest.mark.parametrize(
    "forces",
    [
        ("spring k=30 N/m x_0=0.1 m", "linear drag b=1.3 kg/s"),
        ("weight g=9.81 m/s²", "quadratic drag c=0.8 kg/m"),
    ],
)
def test_each_rule_has_its_order(rule, order, forces):
    made = system(*forces)
    at = np.linspace(0.0, 2.0, 101)
    true = moved(made, at, 0.0, -1.0).places[0]  # never at rest: there v|v| has a bend

    def off(steps):
        t = np.linspace(0.0, 2.0, steps + 1)
        x = run_program(made, rule, t, np.array([0.0]), np.array([-1.0])).places[0]
        return np.sqrt(np.mean((x[:: steps // 100] - true) ** 2))

    ratio = np.log2(off(200) / off(400))
    assert ratio == pytest.approx(order, abs=0.25)


def test_verlet_keeps_energy_within_bounds_over_a_hundred_thousand_steps():
    made = system("spring k=50 N/m x_0=0 m")
    t = 0.05 * np.arange(100_001)
    motion = run_program(made, Rule.VERLET, t, np.array([0.1]), np.array([0.0]))
    energy = motion.rates[0] ** 2 + 25 * motion.places[0] ** 2
    assert np.max(np.abs(energy / energy[0] - 1)) < 0.02
    late, early = energy[-2000:], energy[:2000]
    assert np.ptp(late) == pytest.approx(np.ptp(early), rel=0.02)
    plain = run_program(made, Rule.EULER, t[:2000], np.array([0.1]), np.array([0.0]))
    assert plain.rates[0, -1] ** 2 + 25 * plain.places[0, -1] ** 2 > 100 * energy[0]


@settings(max_examples=20)
@given(
    k=st.floats(200, 2000), b=st.floats(0.1, 20), x0=st.floats(0.3, 0.8),
    mu=st.floats(0.002, 0.05), v=st.floats(0.6, 2.0),
)  # fmt: skip
def test_derivatives_hold_through_stops_and_bumps(k, b, x0, mu, v):
    made = system(f"bumper k={k!r} N/m x_0={x0!r} m b={b!r} kg/s side=1",
                  f"friction mu={mu!r} g=9.81 m/s²", signs={(0, "A"): 1.0})  # fmt: skip
    names = tuple(code(made, s) for s in ("k", "b", "x_0", "μ"))
    motion = moved(made, T, 0.0, v, seeds=(*names, "v"))
    events = np.array([at for at, _ in motion.events])
    clear = np.array([np.min(np.abs(events - t), initial=1.0) > 0.02 for t in T])
    for place, (name, size) in enumerate(zip(names, (k, b, x0, mu), strict=True)):
        step = 1e-6 * size
        ends = [moved(made, T, 0.0, v, values={name: size + s}).places[0] for s in (step, -step)]
        slope = (ends[0] - ends[1]) / (2 * step)
        off = np.abs(slope - motion.place_slopes[place, 0])[clear]
        assert np.max(off) < 1e-4 * max(np.max(np.abs(slope)), 1e-6), name


def test_derivatives_hold_where_a_blow_sets_a_body_in_motion():
    bodies, masses, x, v = two(v=(1.0, 0.0))
    made = system("contact k=4e5 N/m e=0.5 d=0.3 m", "friction mu=0.03 g=9.81 m/s²",
                  bodies=bodies, signs={(0, "A\nB"): 1.0}, masses=masses)  # fmt: skip
    names = tuple(code(made, s) for s in ("d", "e", "μ"))
    motion = run_reference(made, T, x, v, seeds=(*names, "x_1", "v_1"))
    assert [what for _, what in motion.events[:2]] == ["contact begins", "B starts to move"]

    def moved_by(name, size):
        start, values = {"x_1": x.copy(), "v_1": v.copy()}, {}
        if name in names:
            values = {name: next(s.value for s in made.distinct if s.code == name) + size}
        else:
            start[name][0] += size
        return run_reference(made, T, start["x_1"], start["v_1"], values).places

    for place, name in enumerate((*names, "x_1", "v_1")):
        slope = (moved_by(name, 1e-6) - moved_by(name, -1e-6)) / 2e-6
        off = np.abs(slope - motion.place_slopes[place])[:, [10, 20, 30, 40]]
        assert np.max(off) < 1e-3 * max(np.max(np.abs(slope)), 1e-3), name


def test_a_force_that_runs_away_is_refused_in_a_sentence():
    made = system("linear drag b=0 kg/s")
    with pytest.raises(ModelRunError, match="cannot be carried on beyond"):
        moved(made, np.linspace(0, 300, 50), values={code(made, "b"): -9000.0})


@pytest.mark.parametrize("rule", [r for r in Rule if r is not Rule.REFERENCE])
def test_the_program_that_is_shown_gives_the_same_numbers_to_the_last_digit(rule, tmp_path):
    forces = (
        "friction mu=0.013 g=9.81 m/s²", "quadratic drag c=0.21 kg/m",
        "bumper k=700 N/m x_0=0.6 m b=2 kg/s side=1",
        "weight along the incline θ=0.7 ° g=9.81 m/s²",
        "decaying thrust F=1 N τ=0.3 s",
    )  # fmt: skip
    made = system(*forces, signs={(2, "A"): 1.0})
    uneven = np.sort(np.random.default_rng(1).uniform(0.3, 3.0, 120))
    for t in (0.25 + 0.02 * np.arange(150), uneven):
        motion = run_program(made, rule, t, np.array([0.1]), np.array([1.1]))
        text = program_text(made, rule, t, np.array([0.1]), np.array([1.1]), {}, "a test")
        path = tmp_path / "model.py"
        path.write_text(text, encoding="utf-8")
        run = subprocess.run([sys.executable, path], capture_output=True, text=True, check=True)
        rows = np.array([[float(c) for c in line.split()] for line in run.stdout.splitlines()])
        assert np.array_equal(rows[:, 0], motion.t)
        assert np.array_equal(rows[:, 1], motion.places[0])
        assert np.array_equal(rows[:, 2], motion.rates[0])
        assert "scipy" not in text
        assert "inertian" not in text


def test_every_force_can_be_typed_and_read_again():
    for kind in FORCES:
        if kind.name == "formula":
            continue
        for name in (kind.name, *kind.spellings):
            assert parse_force(name).kind == kind.name
        units = {"number": ""}
        for one in kind.parameters:
            text = f"{kind.name} {one.symbol}=0.5 ± 0.1 {units.get(one.kind, '')}".strip()
            read = parse_force(text)
            assert parse_force(force_text(read)) == read


@pytest.mark.parametrize(
    ("text", "parameters"),
    [
        ("quadratic drag c=0.02±0.01 kg/m", {"c": 0.02}),
        ("quadratic drag c = 20 ± 1 g/m", {"c": 0.02}),
        ("Sliding Friction mu=2 %", {"μ": 0.02}),
        ("spring k=0,5 N/cm, x0=12,5 cm", {"k": 50.0, "x_0": 0.125}),
        ('formula "-b*v" b=0.1 kg/s', {"b": 0.1}),
        ("formula -b v**2 b=3 g/cm", {"b": 0.3}),
        ("quadratic drag on heavy stone, light c=0.1", {"c": 0.1}),
    ],
)
def test_forces_are_typed_in_many_ways(text, parameters):
    force = parse_force(text)
    assert {p.symbol: pytest.approx(p.fact.si) for p in force.parameters} == parameters


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("drg c=1", "There is no force"), ("linear drag c=1", "has no parameter"),
        ("linear drag b=1 m", "not a unit"), ("linear drag b=", "no value"),
        ("friction mu=-0.1", "cannot be below"), ('formula "v +" b=1', "check brackets"),
        ("formula", "no formula"), ("friction mu=1 mu=2", "written twice"),
        ("friction quickly", "not understood"), ("", "There is no force"),
        ("=", "There is no force"), ("friction mu=" + "9" * 700, "too long"),
        ("formula \"__import__('os')\"", "check brackets"),
    ],
)  # fmt: skip
def test_what_is_no_force_is_refused_with_a_sentence(text, said):
    with pytest.raises(InertianError, match=said):
        parse_force(text)


@given(st.text(max_size=60))
def test_any_text_is_a_force_or_is_refused(text):
    with contextlib.suppress(InertianError):  # and nothing else
        parse_force(text)


def test_a_share_of_a_small_number_is_no_width_of_it():
    mu = parse_force("friction mu=0.02 ± 10 %").parameters[0].fact
    assert mu.u == pytest.approx(0.002 / np.sqrt(3))
    e = parse_force("contact e=85 ± 2 %").parameters[0].fact
    assert (e.si, e.u) == (pytest.approx(0.85), pytest.approx(0.02 / np.sqrt(3)))
    assert parse_force("constant push F=1 N t1=0.5 s along y").axis == "y"


def test_a_name_that_no_force_has_cannot_be_free():
    with pytest.raises(InertianError, match="has a parameter"):
        free_parameters([parse_force("friction")], ["c"])
    assert free_parameters([parse_force("friction mu=0.1")], ["mu"])[0].parameters[0].free
