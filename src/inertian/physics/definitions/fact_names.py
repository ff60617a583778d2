"""The names under which the setup keeps the facts that accounts and quantities rest on."""

SCALE, TIME_BASE = "scale", "time base"


def offset_key(body: str) -> str:
    """Return the name of the clock offset of a body that another recorder followed."""
    return f"clock offset of {body}"


def mass_key(body: str) -> str:
    """Return the name of the mass of a body."""
    return f"mass of {body}"


def deceleration_key(body: str) -> str:
    """Return the name of the shared deceleration of a body."""
    return f"deceleration of {body}"
