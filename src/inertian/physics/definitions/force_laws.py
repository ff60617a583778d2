"""Force laws as plain functions in SI, along one axis; accounts integrate them, models step them.

Each is linear in what a period is summed up by: with a velocity it gives a force in N; with the way
Σ v dt in its place an impulse in N·s. Signs are those of the axis.
"""

from typing import Any

import numpy as np


def weight_along(m: Any, g: Any, incline: Any) -> Any:
    """Return the weight along an axis that rises at an angle in rad: −m g sin θ, in N."""
    return -m * g * np.sin(incline)


def normal_force(m: Any, g: Any, incline: Any = 0.0) -> Any:
    """Return how hard a body rests on an incline: m g cos θ, in N."""
    return m * g * np.cos(incline)


def sliding_friction(coefficient: Any, normal: Any, direction: Any) -> Any:
    """Return the friction −μ N d of a body that slides in the direction d = ±1, in N (Coulomb)."""
    return -coefficient * normal * direction


def rolling_resistance(coefficient: Any, normal: Any, direction: Any) -> Any:
    """Return the resistance −c N d of a body that rolls in the direction d = ±1, in N."""
    return -coefficient * normal * direction


def linear_drag(coefficient: Any, v: Any) -> Any:
    """Return the drag −b v in N; b in kg/s (Stokes)."""
    return -coefficient * v


def quadratic_drag(coefficient: Any, v_times_speed: Any) -> Any:
    """Return the drag −c v|v| in N; c in kg/m (Newton), with v|v| in m²/s²."""
    return -coefficient * v_times_speed


def spring_force(stiffness: Any, stretched: Any) -> Any:
    """Return the force −k d of a spring that is stretched by d in m, in N (Hooke)."""
    return -stiffness * stretched


def constant_push(force: Any) -> Any:
    """Return a force that stays the same while it acts, along the axis, in N."""
    return force


def contact_damping(stiffness: Any, mass: Any, restitution: Any) -> Any:
    """Return the damping in kg/s with which a stiff spring gives back the share e of a speed, for
    the reduced mass of what meets (Cundall & Strack, Géotechnique 29 (1979) 47-65): −2 ln e
    √(k m)/√(π² + ln² e).
    """
    lost = np.log(restitution + 1e-12)  # also of e = 0, where bodies stick
    return -2.0 * lost * np.sqrt(stiffness * mass) / np.sqrt(np.pi**2 + lost**2)


def contact_force(stiffness: Any, damping: Any, overlap: Any, closing: Any) -> Any:
    """Return how hard two bodies that overlap by δ in m, closing at δ' in m/s, push one another
    apart: k δ + b δ', in N.
    """
    return stiffness * overlap + damping * closing


def repulsion(force: Any, distance: Any, apart: Any, power: Any) -> Any:
    """Return the repulsion F (d/r)ⁿ of two things that are r apart, F at the distance d, in N."""
    return force * (distance / apart) ** power


def decaying_thrust(force: Any, since: Any, decay: Any) -> Any:
    """Return a thrust that dies away, F e^(−s/τ), s seconds after its begin, in N."""
    return force * np.exp(-since / decay)


def hanging_weight(m: Any, g: Any) -> Any:
    """Return how hard a weight pulls that hangs on a cord over a pulley: m g, in N."""
    return m * g


def pulley_mass(inertia: Any, radius: Any) -> Any:
    """Return the mass that a pulley adds to what its cord pulls: I/r², in kg."""
    return inertia / radius**2


def pendulum_torque(m: Any, g: Any, length: Any, angle: Any) -> Any:
    """Return the torque −m g l sin φ of the weight, φ in rad from hanging, in N·m."""
    return -m * g * length * np.sin(angle)


def dry_torque(torque: Any, direction: Any) -> Any:
    """Return the torque −τ d of a dry bearing that turns in the direction d = ±1, in N·m."""
    return -torque * direction


def viscous_torque(coefficient: Any, rate: Any) -> Any:
    """Return the torque −β ω in N·m; β in kg·m²/s, ω in rad/s."""
    return -coefficient * rate


def torsion_torque(stiffness: Any, turned: Any) -> Any:
    """Return the torque −κ φ of a spring that is turned by φ in rad, in N·m."""
    return -stiffness * turned
