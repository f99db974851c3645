"""The parts of a formula as it was typed; each knows its place in the text."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Operator = Literal["add", "subtract", "multiply", "divide", "power"]


@dataclass(frozen=True)
class Node:
    """A part of a formula, from `start` up to `end`; `depth` counts what it is nested of."""

    start: int
    end: int
    depth: int


@dataclass(frozen=True)
class Number(Node):
    """A number as typed, and the unit behind it as typed; empty where none stands."""

    text: str
    unit: str


@dataclass(frozen=True)
class Name(Node):
    """A symbol, with its running numbers written T_1."""

    symbol: str


@dataclass(frozen=True)
class Negative(Node):
    """A part with its sign changed."""

    operand: Node


@dataclass(frozen=True)
class Group(Node):
    """A part in brackets."""

    inside: Node


@dataclass(frozen=True)
class Binary(Node):
    """Two parts and what is done with them."""

    operator: Operator
    left: Node
    right: Node


@dataclass(frozen=True)
class Call(Node):
    """A function of some parts."""

    function: str
    arguments: tuple[Node, ...]


def names(node: Node) -> list[Name]:
    """List the symbols of a formula in the order in which they stand."""
    if isinstance(node, Name):
        return [node]
    return [name for part in parts(node) for name in names(part)]


def parts(node: Node) -> tuple[Node, ...]:
    """Give the parts that a part is made of."""
    if isinstance(node, Negative):
        return (node.operand,)
    if isinstance(node, Group):
        return (node.inside,)
    if isinstance(node, Binary):
        return (node.left, node.right)
    return node.arguments if isinstance(node, Call) else ()
