"""Arithmetic as a tree: what fits of a formula, derived quantities and forces of models are made
of.

A tree is an immutable value of five kinds of nodes. What can be done with it is a `Visitor`, with
one method for each kind, or `substituted`, which puts other trees in place of symbols.
"""

from abc import ABC, abstractmethod
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from enum import StrEnum
from typing import Generic, TypeVar

Result = TypeVar("Result")


class Operation(StrEnum):
    """What joins two parts."""

    ADD = "+"
    SUBTRACT = "−"
    MULTIPLY = "·"
    DIVIDE = "/"
    POWER = "^"


@dataclass(frozen=True)
class Number:
    """A number that was written."""

    value: float


@dataclass(frozen=True)
class Symbol:
    """A name that stands for a value."""

    name: str


@dataclass(frozen=True)
class Negative:
    """Minus another expression."""

    inner: "Expression"


@dataclass(frozen=True)
class Binary:
    """Two expressions and what joins them."""

    operation: Operation
    left: "Expression"
    right: "Expression"


@dataclass(frozen=True)
class Call:
    """A function of one argument."""

    function: str
    argument: "Expression"


Expression = Number | Symbol | Negative | Binary | Call


class Visitor(ABC, Generic[Result]):
    """Something worked out from a tree, with a method for each kind of node."""

    def visit(self, node: Expression) -> Result:
        """Return what is worked out for a node."""
        match node:
            case Number():
                return self.number(node)
            case Symbol():
                return self.symbol(node)
            case Negative():
                return self.negative(node)
            case Binary():
                return self.binary(node)
            case Call():
                return self.call(node)

    @abstractmethod
    def number(self, node: Number) -> Result:
        """Return it for a number."""

    @abstractmethod
    def symbol(self, node: Symbol) -> Result:
        """Return it for a name."""

    @abstractmethod
    def negative(self, node: Negative) -> Result:
        """Return it for minus an expression."""

    @abstractmethod
    def binary(self, node: Binary) -> Result:
        """Return it for two expressions."""

    @abstractmethod
    def call(self, node: Call) -> Result:
        """Return it for a function."""


def children(node: Expression) -> tuple[Expression, ...]:
    """Return the expressions that a node is directly made of."""
    match node:
        case Negative(inner):
            return (inner,)
        case Binary(_, left, right):
            return (left, right)
        case Call(_, argument):
            return (argument,)
        case _:
            return ()


def walk(node: Expression) -> Iterator[Expression]:
    """Yield a node and all below it, from left to right."""
    waiting = [node]
    while waiting:
        here = waiting.pop()
        yield here
        waiting.extend(reversed(children(here)))


def symbols_in(node: Expression) -> tuple[str, ...]:
    """Return the names in an expression, each once, in order."""
    return tuple(dict.fromkeys(n.name for n in walk(node) if isinstance(n, Symbol)))


def substituted(
    node: Expression, replacement: Callable[[Symbol | Call], Expression | None]
) -> Expression:
    """Return the expression with other ones in place of symbols and calls; None leaves a part as it
    is.
    """
    if isinstance(node, Symbol | Call):
        other = replacement(node)
        if other is not None:
            return other
    match node:
        case Negative(inner):
            return Negative(substituted(inner, replacement))
        case Binary(operation, left, right):
            parts = (substituted(part, replacement) for part in (left, right))
            return Binary(operation, *parts)
        case Call(function, argument):
            return Call(function, substituted(argument, replacement))
        case _:
            return node
