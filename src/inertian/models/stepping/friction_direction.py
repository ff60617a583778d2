"""In which direction dry friction acts, for one step of a rule: that of the motion, until less than
the greatest friction would stop the body within the step. Then it takes what keeps it at rest, and
never pushes it backwards (Moreau, in: Nonsmooth Mechanics and Applications, CISM 302 (1988) 1-82).
"""

from numpy import sqrt


def inside(amount):  # type: ignore[no-untyped-def]
    """Return 1.0 where an amount is above zero, else 0.0."""
    return 1.0 if amount > 0.0 else 0.0


def direction_with_rest(push, limit):  # type: ignore[no-untyped-def]
    """Return the direction of dry friction, from −1 to 1: `push` in N would keep a body from
    stopping within the step, `limit` in N is the greatest friction.
    """
    if push > limit:
        return 1.0
    if push < -limit:
        return -1.0
    return push / limit if limit > 0.0 else 0.0


def direction_in_plane_with_rest(push_x, push_y, v_x, v_y, limit):  # type: ignore[no-untyped-def]
    """Return the same in a plane, along x and y; speeds in m/s."""
    pushed = sqrt(push_x * push_x + push_y * push_y)
    if pushed <= limit:
        return (push_x / limit, push_y / limit) if limit > 0.0 else (0.0, 0.0)
    speed = sqrt(v_x * v_x + v_y * v_y)
    if speed > 0.0:
        return v_x / speed, v_y / speed
    return push_x / pushed, push_y / pushed
