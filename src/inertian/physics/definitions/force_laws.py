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
