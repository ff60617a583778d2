"""Forces written as lines of a program: the same lines are run and shown.

A force that begins or ends somewhere is multiplied by inside(…), 1 or 0. Dry friction has a
direction: that of the motion, or of what pushes a body at rest. Both are functions that whoever
runs the program provides: plain ones for numbers, or ones that hold between two events.
"""

from dataclasses import dataclass, field

from inertian.models.definitions.system import Coordinate, MovingBody, System


@dataclass(frozen=True)
class Entry:
    """A force on one coordinate, as a line of the program has it: the place of the force, its
    coordinate, and the variable that holds it.
    """

    force: int
    coordinate: Coordinate
    variable: str


@dataclass
class WrittenForces:
    """Lines that give all forces: those that hold throughout, and those of each moment.

    `numbered`: inside(…) and the directions of friction are given the number of their event.
    """

    system: System
    numbered: bool
    before: list[str] = field(default_factory=list)
    lines: list[str] = field(default_factory=list)
    entries: list[Entry] = field(default_factory=list)
    laws: dict[str, None] = field(default_factory=dict)
    insides: list[int] = field(default_factory=list)  # the force of each inside(…), by its place
    place: int = 0  # of the force that is written now
    dry: list[MovingBody] = field(default_factory=list)
    more_inertia: dict[str, list[str]] = field(default_factory=dict)
    _taken: dict[str, int] = field(default_factory=dict)
    _dry_parts: dict[str, list[tuple[int, str, str, str]]] = field(default_factory=dict)

    def finish(self) -> None:
        """Write dry friction, which hangs on all other forces, and the accelerations."""
        for body in self.system.bodies:
            if body.name in self._dry_parts:
                self._friction(body)
        for c in self.system.coordinates:
            self.lines.append(f"{c.acceleration} = {c.force}/{self.moved(c)}")

    def moved(self, c: Coordinate) -> str:
        """Return the name of all that is moved along a coordinate: a mass, with what hangs on
        it.
        """
        more = self.more_inertia.get(c.inertia)
        if not more:
            return c.inertia
        return self.hoist(f"moved{c.inertia.removeprefix('m')}", " + ".join([c.inertia, *more]))

    def law(self, name: str, *arguments: str) -> str:
        """Return the call of a law, which the program then holds."""
        self.laws[name] = None
        return f"{name}({', '.join(arguments)})"

    def code(self, place: int, symbol: str, body: str = "") -> str:
        """Return the name of a setting of a force."""
        return self.system.setting(place, symbol, body).code

    def is_zero(self, place: int, symbol: str) -> bool:
        """Whether a setting is zero for good, so that nothing has to be written of it."""
        one = self.system.setting(place, symbol)
        return one.value == 0.0 and not one.free and (one.fact is None or one.fact.u == 0.0)

    def inside(self, amount: str) -> str:
        """Return 1 where an amount is above zero, else 0; the borders are events."""
        self.insides.append(self.place)
        number = f"{len(self.insides) - 1}, " if self.numbered else ""
        return f"inside({number}{amount})"

    def hoist(self, name: str, expression: str) -> str:
        """Write what stays the same throughout, once, and return its name."""
        line = f"{name} = {expression}"
        if line not in self.before:
            self.before.append(line)
        return name

    def variable(self, name: str, c: Coordinate) -> str:
        """Return a free name for a force on a coordinate."""
        name += c.force.removeprefix("F").removeprefix("torque")
        self._taken[name] = self._taken.get(name, 0) + 1
        return (
            name
            if self._taken[name] == 1
            else f"{name}_{'abcdefghijklmnop'[self._taken[name] - 2]}"
        )

    def add(self, place: int, c: Coordinate, name: str, expression: str) -> None:
        """Write a force on a coordinate."""
        variable = self.variable(name, c)
        self.lines.append(f"{variable} = {expression}")
        self.lines.append(f"{c.force} = {c.force} + {variable}")
        self.entries.append(Entry(place, c, variable))

    def constant(self, place: int, c: Coordinate, name: str, expression: str) -> None:
        """Write a force that stays the same throughout."""
        variable = self.variable(name, c)
        self.before.append(f"{variable} = {expression}")
        self.lines.append(f"{c.force} = {c.force} + {variable}")
        self.entries.append(Entry(place, c, variable))

    def rub(self, place: int, body: MovingBody, limit: str, name: str, law: str) -> None:
        """Note dry friction of a body with its greatest size; written when all else is known."""
        self._dry_parts.setdefault(body.name, []).append((place, limit, name, law))

    def speed(self, body: MovingBody) -> str:
        """Return the speed of a body."""
        if len(body.coordinates) == 1:
            return f"abs({body.coordinates[0].rate})"
        name = f"speed{body.suffix}"
        line = f"{name} = sqrt({' + '.join(f'{c.rate}*{c.rate}' for c in body.coordinates)})"
        if line not in self.lines:
            self.lines.append(line)
        return name

    def _friction(self, body: MovingBody) -> None:
        parts = self._dry_parts[body.name]
        number = len(self.dry)
        self.dry.append(body)
        limit = " + ".join(part[1] for part in parts)
        cs = body.coordinates
        directions = [f"direction{c.force.removeprefix('F').removeprefix('torque')}" for c in cs]
        if self.numbered:
            arguments = [*(c.force for c in cs), *(c.rate for c in cs), limit]
            arguments = [str(number), *arguments]
        else:
            pushed = [f"{self.moved(c)}*{c.rate}/dt + {c.force}" for c in cs]
            arguments = [*pushed, *((c.rate for c in cs) if len(cs) > 1 else ()), limit]
        name = "direction" if len(cs) == 1 else "direction_in_plane"
        self.laws[name + "_with_rest"] = None
        self.lines.append(f"{', '.join(directions)} = {name}_with_rest({', '.join(arguments)})")
        for place, size, variable, law in parts:
            for c, direction in zip(cs, directions, strict=True):
                self.add(place, c, variable, law.format(direction=direction, size=size))
