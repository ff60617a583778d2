"""The forces that models can be made of: names, parameters with units and bounds, and where they
act.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from math import inf

from inertian.quantities.errors import Refusal


class Acts(StrEnum):
    """What a force acts on."""

    ALONG = "along the axes"  # each body by itself
    PAIR = "between two bodies"
    TURNING = "about a fixed axis"


@dataclass(frozen=True)
class ParameterKind:
    """A parameter of a force: its symbol, what kind of quantity it is, and what it is called.

    `fact` is the symbol of the fact of the setup that it is unless it is typed; `default` what
    holds if neither is there, as typed; without one it is fitted. `tried` are multiples of the
    natural size that a search begins at, where the force is not linear in it.
    """

    symbol: str
    kind: str
    label: str
    fact: str = ""
    default: str = ""
    least: float = -inf
    tried: tuple[float, ...] = ()
    spellings: tuple[str, ...] = ()


@dataclass(frozen=True)
class ForceKind:
    """A force that can be chosen: its name, what it is called, its parameters, on what it acts."""

    name: str
    label: str
    parameters: tuple[ParameterKind, ...] = ()
    acts: Acts = Acts.ALONG
    spellings: tuple[str, ...] = ()
    needs_mass: bool = True  # whether it says nothing of a body of unknown mass

    def parameter(self, symbol: str) -> ParameterKind:
        """Return a parameter by its symbol, or one of its spellings. Raises Refusal."""
        for one in self.parameters:
            if symbol in (one.symbol, *one.spellings):
                return one
        raise Refusal(
            f"“{self.name}” has no parameter {symbol[:40]}. It has: "
            f"{', '.join(p.symbol for p in self.parameters) or 'none'}."
        )


G = ParameterKind("g", "acceleration", "Gravity g", fact="g")
THETA = ParameterKind("θ", "angle", "Incline θ", fact="θ", spellings=("theta", "angle", "incline"))
STIFFNESS = ParameterKind("k", "stiffness", "Spring constant k", fact="k", least=0.0)
AT_REST = ParameterKind(
    "x_0", "length", "At rest at x₀", fact="x_0", tried=(0.0, 0.25, 0.5, 0.75, 1.0),
    spellings=("x0", "x₀"),
)  # fmt: skip
DAMPING = ParameterKind("b", "linear drag", "Damping b", fact="b", least=0.0)
NO_DAMPING = ParameterKind("b", "linear drag", "Damping b", default="0 ± 0 kg/s", least=0.0)
MU = ParameterKind(
    "μ", "number", "Friction coefficient μ", fact="μ", least=0.0, spellings=("mu", "µ")
)
TAU = ("tau",)

NONE, WEIGHT, SLOPE = "none", "weight", "weight along the incline"
PUSH, FRICTION, ROLLING = "constant push", "sliding friction", "rolling resistance"
LINEAR, QUADRATIC = "linear drag", "quadratic drag"
SPRING, DAMPED, BUMPER = "spring", "damped spring", "one-sided spring"
CONTACT, REPULSION, THRUST = "contact", "repulsion", "decaying thrust"
CORD, PENDULUM, RECORDED, FORMULA = "cord over a pulley", "pendulum", "recorded force", "formula"
FORCE_AXIS = "F"  # of the channel that a gauge records
DRY_TORQUE, VISCOUS_TORQUE, TORSION = "dry torque", "viscous torque", "torsion spring"
TOUCHING = ParameterKind(
    "d", "length", "Distance at contact d", least=0.0, tried=(0.2, 0.5, 0.8, 1.0)
)

FORCES = (
    ForceKind(NONE, "No net force", spellings=("no net force", "no force"), needs_mass=False),
    ForceKind(WEIGHT, "Weight", (G,), needs_mass=False),
    ForceKind(
        SLOPE, "Weight along the incline", (G, THETA),
        spellings=("weight along incline", "incline", "slope"), needs_mass=False,
    ),
    ForceKind(
        PUSH, "Constant push",
        (
            ParameterKind("F", "force", "Force F", fact="F_p"),
            ParameterKind("t_1", "time", "From t₁", default="-1e9 ± 0 s", spellings=("t1",)),
            ParameterKind("t_2", "time", "Until t₂", default="1e9 ± 0 s", spellings=("t2",)),
        ),
        spellings=("push", "constant force"),
    ),
    ForceKind(
        FRICTION, "Sliding friction",
        (MU, G, ParameterKind("θ", "angle", "Incline θ", fact="θ", default="0 ± 0 °",
                              spellings=("theta", "angle", "incline"))),
        spellings=("friction",), needs_mass=False,
    ),
    ForceKind(
        ROLLING, "Rolling resistance",
        (ParameterKind("c_r", "number", "Rolling resistance c_r", fact="c_r", least=0.0,
                       spellings=("cr",)), G,
         ParameterKind("θ", "angle", "Incline θ", fact="θ", default="0 ± 0 °",
                       spellings=("theta", "angle", "incline"))),
        spellings=("rolling",), needs_mass=False,
    ),
    ForceKind(
        LINEAR, "Air, linear drag",
        (ParameterKind("b", "linear drag", "Linear drag b", fact="b", least=0.0),),
        spellings=("viscous drag",),
    ),
    ForceKind(
        QUADRATIC, "Air, quadratic drag",
        (ParameterKind("c", "quadratic drag", "Quadratic drag c", fact="c", least=0.0),),
        spellings=("air", "air resistance", "drag"),
    ),
    ForceKind(SPRING, "Spring", (STIFFNESS, AT_REST)),
    ForceKind(DAMPED, "Damped spring", (STIFFNESS, AT_REST, DAMPING)),
    ForceKind(
        BUMPER, "Spring bumper, one-sided",
        (
            STIFFNESS,
            ParameterKind("x_0", "length", "Touched at x₀", fact="x_0",
                          tried=(0.5, 0.7, 0.8, 0.9, 0.95), spellings=("x0", "x₀")),
            NO_DAMPING,
            ParameterKind("side", "number", "Side, +1 or −1", default="0 ± 0"),
        ),
        spellings=("bumper", "one sided spring", "spring bumper"),
    ),
    ForceKind(
        CONTACT, "Contact of two bodies",
        (
            ParameterKind("k", "stiffness", "Stiffness k", least=0.0, tried=(0.1, 1.0, 10.0)),
            ParameterKind("e", "number", "Restitution e", least=0.0, tried=(0.5, 0.9)),
            TOUCHING,
        ),
        Acts.PAIR,
        spellings=("hit", "stiff contact"),
    ),
    ForceKind(
        REPULSION, "Repulsion without touch",
        (
            ParameterKind("F", "force", "Force F at the distance d"),
            ParameterKind("d", "length", "Distance d", default="0.1 ± 0 m", least=0.0),
            ParameterKind("n", "number", "Power n", default="2 ± 0", least=0.0,
                          tried=(1.0, 2.0, 4.0)),
            ParameterKind("r_c", "length", "Cut off at r_c", default="1e9 ± 0 m", least=0.0,
                          spellings=("cut", "rc", "cutoff")),
        ),
        Acts.PAIR,
    ),
    ForceKind(
        THRUST, "Thrust that decays",
        (
            ParameterKind("F", "force", "Force F at the begin", spellings=("F_0", "F0")),
            ParameterKind("τ", "time", "Decay time τ", least=1e-6, tried=(0.1, 0.3, 1.0),
                          spellings=TAU),
            ParameterKind("t_0", "time", "Begin t₀", default="-1e9 ± 0 s", spellings=("t0",)),
        ),
        spellings=("thrust",),
    ),
    ForceKind(
        CORD, "Cord over a pulley to a hanging weight",
        (
            ParameterKind("m_h", "mass", "Hanging mass m_h", least=0.0, spellings=("mh", "M", "m")),
            G,
            ParameterKind("I", "inertia", "Inertia of the pulley I", default="0 ± 0 kg·m²",
                          least=0.0),
            ParameterKind("r", "length", "Radius of the pulley r", default="1 ± 0 m", least=0.0),
            ParameterKind("s", "number", "Pulls along +x (+1) or −x (−1)", default="1 ± 0"),
        ),
        spellings=("cord", "pulley", "hanging weight", "cord and weight"),
    ),
    ForceKind(
        PENDULUM, "Pendulum in its angle",
        (
            ParameterKind("l", "length", "Length l", least=1e-6, spellings=("L",),
                          tried=(0.25, 0.5, 0.75, 1.0, 1.5, 2.0, 4.0)),
            G,
            ParameterKind("b", "linear drag", "Damping b", default="0 ± 0 kg/s", least=0.0),
            ParameterKind("x_p", "length", "Axis at x", fact="x_c", spellings=("xp",)),
            ParameterKind("y_p", "length", "Axis at y", fact="y_c", spellings=("yp",)),
        ),
        Acts.TURNING, needs_mass=False,
    ),
    ForceKind(
        RECORDED, "Recorded force",
        (
            ParameterKind("f", "number", "Factor f", default="1 ± 0"),
            ParameterKind("F_0", "force", "Zero of the gauge F₀", spellings=("F0",),
                          tried=(0.05, 0.25, 0.5, 0.75, 0.95)),
        ),
        spellings=("gauge", "force channel"),
    ),
    ForceKind(FORMULA, "Formula"),
    ForceKind(
        DRY_TORQUE, "Dry bearing",
        (ParameterKind("M_d", "torque", "Torque M_d", least=0.0,
                       spellings=("Md", "M", "tau", "τ")),),
        Acts.TURNING, spellings=("dry bearing",),
    ),
    ForceKind(
        VISCOUS_TORQUE, "Viscous torque",
        (ParameterKind("β", "turning drag", "Coefficient β", least=0.0,
                       spellings=("beta", "b")),),
        Acts.TURNING, spellings=("viscous bearing",),
    ),
    ForceKind(
        TORSION, "Torsion spring",
        (
            ParameterKind("κ", "torsion stiffness", "Stiffness κ", least=0.0,
                          spellings=("kappa", "k")),
            ParameterKind("φ_0", "angle", "At rest at φ₀", default="0 ± 0 °",
                          spellings=("phi_0", "phi0")),
        ),
        Acts.TURNING, spellings=("torsion",),
    ),
)  # fmt: skip
_BY_NAME: Mapping[str, ForceKind] = {
    name: kind for kind in FORCES for name in (kind.name, *kind.spellings)
}


def force_kind(name: str) -> ForceKind:
    """Return a kind of force by its name, or another spelling of it. Raises Refusal."""
    found = _BY_NAME.get(" ".join(name.replace("_", " ").casefold().split()))
    if found is None:
        raise Refusal(
            f"There is no force “{name[:60]}”. There are: {', '.join(k.name for k in FORCES)}."
        )
    return found


def force_names() -> tuple[str, ...]:
    """Return names and other spellings of all forces, long ones first."""
    return tuple(sorted(_BY_NAME, key=len, reverse=True))
