"""A plain expression over passes: read by a parser, never run as code, worked out with its rounding.

    (diffuse_direct + diffuse_indirect) * diffuse_albedo + emission - 0.5 * clamp(bloom, 0, 1)

Names are passes; one whose name holds other letters stands in double quotes. What is divided by 0 is 0: light
over the colour of a surface that is not there is no light.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cache, reduce

import numpy as np
from lark import Lark, Token, Transformer
from lark.exceptions import LarkError, UnexpectedCharacters, UnexpectedInput, VisitError
from numpy.typing import NDArray

from drawstring.core.errors import SettingError

LONGEST = 2000
"""Letters of an expression."""

_DEEPEST = 60

Planes = NDArray[np.float32]
"""(..., 3) or (..., 1) float32."""

_GRAMMAR = r"""
?start: sum
?sum: product | sum "+" product -> add | sum "-" product -> subtract
?product: factor | product "*" factor -> multiply | product "/" factor -> divide
?factor: "-" factor -> negative | atom
?atom: NUMBER -> number | NAME -> name | QUOTED -> quoted | "(" sum ")" | NAME "(" sum ("," sum)* ")" -> call
NAME: /[A-Za-z_][A-Za-z0-9_]*/
QUOTED: /"[^"\n]{1,200}"/
NUMBER: /(\d+\.?\d*|\.\d+)([eE][-+]?\d+)?/
%ignore /\s+/
"""

_WORDS = {
    "PLUS": "+", "MINUS": "-", "STAR": "*", "SLASH": "/", "LPAR": "(", "RPAR": ")", "COMMA": "a comma",
    "NUMBER": "a number", "NAME": "a name", "QUOTED": "a name in quotes", "$END": "the end",
}  # fmt: skip

_CALLS = {"min": (2, 8), "max": (2, 8), "clamp": (3, 3)}
"""How many values each function takes, from and to."""


@dataclass(frozen=True)
class Node:
    """A piece of an expression.

    Attributes
    ----------
    does : str
        "number", "name", "add", "subtract", "multiply", "divide", "negative", "min", "max" or "clamp".
    parts : tuple of Node
    value : float
        Of a number.
    text : str
        Of a name.
    """

    does: str
    parts: tuple[Node, ...] = ()
    value: float = 0.0
    text: str = ""

    def names(self) -> list[str]:
        """Give the passes it names, each once, in their order."""
        if self.does == "name":
            return [self.text]
        return list(dict.fromkeys(name for part in self.parts for name in part.names()))

    def __str__(self) -> str:
        return _written(self, 0)


@dataclass(frozen=True)
class Addend:
    """One part of a sum: what is added, or taken away."""

    sign: int
    node: Node

    def __str__(self) -> str:
        return ("- " if self.sign < 0 else "") + _written(self.node, 1)


def read_expression(text: str, where: str = "assembly.own") -> Node:
    """Read an expression.

    Raises
    ------
    SettingError
        It can't be read; says where in it, and what was expected there.

    Examples
    --------
    >>> str(read_expression("(a+b)*c - -2"))
    '(a + b) * c - -2'
    """
    if len(text) > LONGEST:
        raise _refused(
            f"The sum is {len(text)} letters long.", where, f"Shorten it to {LONGEST}, or leave terms out."
        )
    if not text.strip():
        raise _refused("The sum is empty.", where, "Type one, such as diffuse + specular + emission.")
    try:
        tree = _parser().parse(text)
        node: Node = _Reading().transform(tree)
    except UnexpectedInput as fault:
        raise _misread(text, fault, where) from None
    except VisitError as fault:
        remedy = "Functions are min(a, b), max(a, b), clamp(a, low, high)."
        raise _refused(str(fault.orig_exc), where, remedy) from None
    except (LarkError, RecursionError):
        remedy = "Write it with names, numbers, + - * / and ( )."
        raise _refused("The sum can't be read.", where, remedy) from None
    if _depth(node) > _DEEPEST:
        raise _refused("The sum has too many parentheses within each other.", where, "Write it flatter.")
    return node


def addends(node: Node) -> list[Addend]:
    """Give what an expression adds up at its top, with signs.

    Examples
    --------
    >>> [str(one) for one in addends(read_expression("a * b - (c - d)"))]
    ['a * b', '- c', 'd']
    """
    if node.does == "add":
        return [*addends(node.parts[0]), *addends(node.parts[1])]
    if node.does == "subtract":
        return [*addends(node.parts[0]), *(_turned(one) for one in addends(node.parts[1]))]
    if node.does == "negative":
        return [_turned(one) for one in addends(node.parts[0])]
    return [Addend(1, node)]


def worked_out(node: Node, planes: Mapping[str, Planes]) -> Planes:
    """Work an expression out.

    Parameters
    ----------
    planes : mapping of name to (..., 3) or (..., 1) float32

    Returns
    -------
    (..., 3) or (..., 1) float32
    """
    if node.does == "name":
        return planes[node.text]
    if node.does == "number":
        return np.full((1, 1), node.value, np.float32)
    return _VALUES[node.does]([worked_out(part, planes) for part in node.parts])


def with_rounding(
    node: Node, planes: Mapping[str, Planes], steps: Mapping[str, float]
) -> tuple[Planes, Planes]:
    """Work an expression out, and by how much storing its passes may have put it off.

    Rounding to a type with a step of s moves a value v by at most s |v|; through a product a b it moves the
    result by |a| db + |b| da (first order), through a quotient by (da + |a/b| db) / (|b| - db).

    Parameters
    ----------
    steps : mapping of name to float
        Half a step of the stored type, relative: 2**-11 for half, 2**-24 for float.

    Returns
    -------
    value, bound : (..., 3) or (..., 1) float32
    """
    if node.does == "name":
        plane = planes[node.text]
        # Below the smallest normal half number the step stays what it is there.
        return plane, np.maximum(np.abs(plane), np.float32(2.0**-14)) * np.float32(steps[node.text])
    if node.does == "number":
        value = np.full((1, 1), node.value, np.float32)
        return value, np.zeros_like(value)
    pairs = [with_rounding(part, planes, steps) for part in node.parts]
    values, bounds = [pair[0] for pair in pairs], [pair[1] for pair in pairs]
    value = _VALUES[node.does](values)
    bound: Planes
    if node.does == "multiply":
        bound = np.asarray(np.abs(values[0]) * bounds[1] + np.abs(values[1]) * bounds[0], np.float32)
    elif node.does == "divide":
        off = np.asarray(bounds[0] + np.abs(value) * bounds[1], np.float32)
        # A divisor that rounding may bring to 0 bounds nothing.
        least = np.maximum(np.abs(values[1]) - bounds[1], np.float32(1e-30))
        bound = _over([off, np.asarray(np.where(values[1] == 0, 0, least), np.float32)])
    elif node.does in ("min", "max", "clamp"):
        bound = np.asarray(np.maximum.reduce(np.broadcast_arrays(*bounds)), np.float32)
    else:
        bound = reduce(np.add, bounds)
    return value, np.asarray(bound, np.float32)


def quoted(name: str) -> str:
    """Write a pass's name as an expression has it."""
    return name if re.fullmatch(r"[A-Za-z_][A-Za-z0-9_]*", name) and name not in _CALLS else f'"{name}"'


def _over(values: list[Planes]) -> Planes:
    over, under = np.broadcast_arrays(*values)
    result = np.zeros(over.shape, np.float32)
    np.divide(over, under, out=result, where=under != 0)
    return result


_VALUES: dict[str, Callable[[list[Planes]], Planes]] = {
    "add": lambda v: v[0] + v[1],
    "subtract": lambda v: v[0] - v[1],
    "multiply": lambda v: v[0] * v[1],
    "divide": _over,
    "negative": lambda v: -v[0],
    "min": lambda v: np.minimum.reduce(np.broadcast_arrays(*v)),
    "max": lambda v: np.maximum.reduce(np.broadcast_arrays(*v)),
    "clamp": lambda v: np.minimum(np.maximum(v[0], v[1]), v[2]),
}


@cache
def _parser() -> Lark:
    return Lark(_GRAMMAR, parser="lalr", maybe_placeholders=False)


class _Reading(Transformer[Token, Node]):
    """Makes nodes of what the parser gives."""

    def __default__(self, data: str, children: list[Node], meta: object) -> Node:
        return Node(str(data), tuple(children))

    def number(self, children: list[Token]) -> Node:
        return Node("number", value=float(children[0]))

    def name(self, children: list[Token]) -> Node:
        return Node("name", text=str(children[0]))

    def quoted(self, children: list[Token]) -> Node:
        return Node("name", text=str(children[0])[1:-1])

    def call(self, children: list[Token | Node]) -> Node:
        name, parts = str(children[0]), tuple(one for one in children[1:] if isinstance(one, Node))
        if name not in _CALLS:
            raise ValueError(f"There is no function {name}.")
        fewest, most = _CALLS[name]
        if not fewest <= len(parts) <= most:
            counts = str(fewest) if fewest == most else f"{fewest} to {most}"
            raise ValueError(f"{name} takes {counts} values, not {len(parts)}.")
        return Node(name, parts)


def _misread(text: str, fault: UnexpectedInput, where: str) -> SettingError:
    is_end = getattr(getattr(fault, "token", None), "type", "") == "$END"
    place = len(text) if is_end else min(max(fault.pos_in_stream or 0, 0), len(text))
    expected = fault.allowed if isinstance(fault, UnexpectedCharacters) else getattr(fault, "expected", set())
    words = [_WORDS[each] for each in _WORDS if each in (expected or ())]
    if "(" not in text:
        words = [word for word in words if word not in (")", "a comma")]
    seen = f"“{text[place : place + 12]}”" if text[place:].strip() else "its end"
    return _refused(
        f"The sum can't be read at letter {place + 1}, {seen}.",
        where,
        f"Expected there: {', '.join(words)}." if words else "Write it with names, numbers, + - * / and ( ).",
    )


def _refused(what: str, where: str, remedy: str) -> SettingError:
    return SettingError(what, where=where, why="Nothing was changed.", remedy=remedy)


def _turned(one: Addend) -> Addend:
    return Addend(-one.sign, one.node)


def _depth(node: Node) -> int:
    # A long flat sum leans to the left; what counts is what stands within parentheses.
    deepest, here = 0, [(node, 1)]
    while here:
        piece, level = here.pop()
        deepest = max(deepest, level)
        for i, part in enumerate(piece.parts):
            goes_deeper = not (i == 0 and piece.does in ("add", "subtract", "multiply", "divide"))
            here.append((part, level + goes_deeper))
    return deepest


_BINDS = {"add": 1, "subtract": 1, "multiply": 2, "divide": 2, "negative": 3}
_SIGNS = {"add": "+", "subtract": "-", "multiply": "*", "divide": "/"}


def _written(node: Node, within: int) -> str:
    """Write it again, with as many parentheses as it needs."""
    if node.does == "number":
        return f"{node.value:g}"
    if node.does == "name":
        return quoted(node.text)
    if node.does in _CALLS:
        return f"{node.does}({', '.join(_written(part, 0) for part in node.parts)})"
    binds = _BINDS[node.does]
    if node.does == "negative":
        text = f"-{_written(node.parts[0], binds)}"
    else:
        left, right = node.parts
        text = f"{_written(left, binds)} {_SIGNS[node.does]} {_written(right, binds + 1)}"
    return f"({text})" if binds < within else text
