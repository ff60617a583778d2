"""The names under which the setup keeps the facts that accounts and quantities rest on."""

SCALE, TIME_BASE = "scale", "time base"
ACCEPTED = "accepted "  # before the name of a result: what it is compared with
# Results of accounts that may be compared with an accepted value, and what they measure
ACCEPTABLE = {
    "restitution": "number",
    "efficiency": "number",
    "fraction kept": "number",
    "friction coefficient": "number",
    "mean force": "force",
    "net force": "force",
    "mean force of loss": "force",
    "impulse": "impulse",
    "impulse of the gauge": "impulse",
    "change of momentum": "impulse",
}


def offset_key(body: str) -> str:
    """Return the name of the clock offset of a body that another recorder followed."""
    return f"clock offset of {body}"


def mass_key(body: str) -> str:
    """Return the name of the mass of a body."""
    return f"mass of {body}"


def deceleration_key(body: str) -> str:
    """Return the name of the shared deceleration of a body."""
    return f"deceleration of {body}"
