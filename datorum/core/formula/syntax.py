"""The text of a formula into a tree (ISO/IEC 26300-2, 5). References are columns in square brackets."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

from datorum.core.formula.fault import SYNTAX, UNKNOWN_NAME, FormulaFault

MAX_LENGTH = 20_000
MAX_DEPTH = 60
MAX_PARTS = 1_000


@dataclass(frozen=True)
class Literal:
    """A number, a text, a truth value, or None for an argument left empty."""

    value: float | str | bool | None
    at: int


@dataclass(frozen=True)
class Column:
    """A reference to a column of the row."""

    name: str
    at: int


@dataclass(frozen=True)
class ErrorValue:
    """An error written out: ``#N/A``."""

    code: str
    at: int


@dataclass(frozen=True)
class Unary:
    """``-``, ``+`` before or ``%`` behind its operand."""

    operator: str
    operand: Node
    at: int


@dataclass(frozen=True)
class Binary:
    """Two operands with an operator between them."""

    operator: str
    left: Node
    right: Node
    at: int


@dataclass(frozen=True)
class Call:
    """A function with its arguments; ``name`` is in capitals."""

    name: str
    arguments: tuple[Node, ...]
    at: int


Node = Literal | Column | ErrorValue | Unary | Binary | Call

# Higher binds tighter. A sign binds tighter than all of these: -2^2 is 4.
_BINDING = {"^": 5, "*": 4, "/": 4, "+": 3, "-": 3, "&": 2, "=": 1, "<>": 1, "<": 1, "<=": 1, ">": 1, ">=": 1}

_TOKEN = re.compile(
    r"""(?P<space>\s+)
    |(?P<number>(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][+-]?\d+)?)
    |(?P<text>"(?:[^"]|"")*")
    |(?P<column>\[(?:[^\]]|\]\])*\](?!\]))
    |(?P<error>\#(?:NULL!|DIV/0!|VALUE!|REF!|NAME\?|NUM!|N/A))
    |(?P<name>[^\W\d][\w.]*)
    |(?P<operator><>|<=|>=|[-+*/^&=<>%])
    |(?P<mark>[();,])""",
    re.VERBOSE,
)


@dataclass(frozen=True)
class _Token:
    kind: str
    text: str
    at: int


@lru_cache(maxsize=4096)
def parse(text: str) -> Node:
    """The tree of a formula, which may begin with ``=`` or ``of:=``.

    Raises FormulaFault with the place of the first character that does not fit.
    """
    if len(text) > MAX_LENGTH:
        raise FormulaFault(SYNTAX, f"the formula is longer than {MAX_LENGTH:,} characters", MAX_LENGTH)
    start = re.match(r"\s*(?:of:)?=?", text, re.IGNORECASE)
    assert start is not None
    tokens = _tokens(text, start.end())
    if sum(token.kind != "mark" for token in tokens) > MAX_PARTS:
        raise FormulaFault(
            SYNTAX, f"the formula has more than {MAX_PARTS:,} parts; a value table, or columns in the sheet, do better"
        )
    parser = _Parser(tokens, len(text))
    node = parser.expression(0)
    parser.expect_end()
    return node


def parts_of(node: Node) -> Iterator[Node]:
    """Every part of a formula, itself first, in the order in which they stand."""
    waiting = [node]
    while waiting:
        part = waiting.pop()
        yield part
        match part:
            case Unary(_, operand):
                waiting.append(operand)
            case Binary(_, left, right):
                waiting += [right, left]
            case Call(_, arguments):
                waiting += reversed(arguments)


def columns_of(node: Node) -> tuple[str, ...]:
    """The columns that a formula refers to, each once, in the order in which they stand."""
    return tuple(dict.fromkeys(part.name for part in parts_of(node) if isinstance(part, Column)))


def quoted(text: str) -> str:
    """A text as it is written in a formula."""
    return '"' + text.replace('"', '""') + '"'


def column_reference(name: str) -> str:
    """A column as it is written in a formula."""
    return "[" + name.replace("]", "]]") + "]"


def _tokens(text: str, at: int) -> list[_Token]:
    found = []
    while at < len(text):
        match = _TOKEN.match(text, at)
        if match is None:
            raise FormulaFault(SYNTAX, _why(text, at), at)
        kind = match.lastgroup or ""
        if kind != "space":
            found.append(_Token(kind, match.group(), at))
        at = match.end()
    return found


def _why(text: str, at: int) -> str:
    match text[at]:
        case '"':
            return "the text that begins here has no closing quote"
        case "[":
            return "the column that begins here has no closing bracket"
        case "{":
            return "lists in braces have no place in a formula over one row"
        case "'" | "“" | "”" | "‘" | "’":
            return 'texts stand between straight double quotes: "…"'
    return f"“{text[at]}” has no place here"


class _Parser:
    """Precedence climbing over the tokens."""

    def __init__(self, tokens: list[_Token], end: int) -> None:
        self._tokens = tokens
        self._at = 0
        self._end = end
        self._depth = 0

    def expression(self, binding: int) -> Node:
        self._depth += 1
        if self._depth > MAX_DEPTH:
            raise FormulaFault(SYNTAX, f"the formula is nested more than {MAX_DEPTH} deep", self._place())
        left = self._operand()
        while (token := self._peek()) is not None and token.kind == "operator":
            if token.text == "%":
                raise FormulaFault(SYNTAX, "“%” stands behind a number", token.at)
            bound = _BINDING[token.text]
            if bound <= binding:
                break
            self._at += 1
            left = Binary(token.text, left, self.expression(bound), token.at)
        self._depth -= 1
        return left

    def expect_end(self) -> None:
        if (token := self._peek()) is not None:
            raise FormulaFault(SYNTAX, f"“{token.text}” has no place here", token.at)

    def _operand(self) -> Node:
        token = self._peek()
        if token is not None and token.kind == "operator" and token.text in "+-":
            self._at += 1
            self._depth += 1
            if self._depth > MAX_DEPTH:
                raise FormulaFault(SYNTAX, f"the formula is nested more than {MAX_DEPTH} deep", token.at)
            operand: Node = Unary(token.text, self._signed(), token.at)
            self._depth -= 1
        else:
            operand = self._primary()
        while (behind := self._peek()) is not None and behind.text == "%" and behind.kind == "operator":
            self._at += 1
            operand = Unary("%", operand, behind.at)
        return operand

    def _signed(self) -> Node:
        token = self._peek()
        if token is not None and token.kind == "operator" and token.text in "+-":
            return self._operand()
        return self._primary()

    def _primary(self) -> Node:
        token = self._peek()
        if token is None:
            raise FormulaFault(SYNTAX, "the formula ends where a value should stand", self._end)
        self._at += 1
        match token.kind:
            case "number":
                return Literal(self._number(token), token.at)
            case "text":
                return Literal(token.text[1:-1].replace('""', '"'), token.at)
            case "column":
                return Column(token.text[1:-1].replace("]]", "]"), token.at)
            case "error":
                return ErrorValue(token.text, token.at)
            case "name":
                return self._named(token)
        if token.text == "(":
            inside = self.expression(0)
            self._expect(")", token)
            return inside
        raise FormulaFault(SYNTAX, f"a value should stand before “{token.text}”", token.at)

    def _number(self, token: _Token) -> float:
        number = float(token.text)
        if number in (float("inf"), float("-inf")):
            raise FormulaFault(SYNTAX, "the number is too large", token.at)
        return number

    def _named(self, token: _Token) -> Node:
        name = token.text.upper()
        after = self._peek()
        if after is None or after.text != "(" or after.kind != "mark":
            if name in ("TRUE", "FALSE"):
                return Literal(name == "TRUE", token.at)
            raise FormulaFault(
                UNKNOWN_NAME, f"“{token.text}” is no function; columns stand in brackets: [{token.text}]", token.at
            )
        self._at += 1
        return Call(name, self._arguments(token), token.at)

    def _arguments(self, call: _Token) -> tuple[Node, ...]:
        arguments: list[Node] = []
        token = self._peek()
        if token is not None and token.text == ")" and token.kind == "mark":
            self._at += 1
            return ()
        while True:
            token = self._peek()
            if token is not None and token.kind == "mark" and token.text in ";,)":
                arguments.append(Literal(None, token.at))
            else:
                arguments.append(self.expression(0))
            token = self._peek()
            if token is not None and token.kind == "mark" and token.text in ";,":
                self._at += 1
                continue
            self._expect(")", call)
            return tuple(arguments)

    def _expect(self, mark: str, opened: _Token) -> None:
        token = self._peek()
        if token is None:
            raise FormulaFault(SYNTAX, f"“{opened.text}” is opened here and never closed", opened.at)
        if token.text != mark or token.kind != "mark":
            raise FormulaFault(SYNTAX, f"“{token.text}” has no place here; an operator or “{mark}” has", token.at)
        self._at += 1

    def _peek(self) -> _Token | None:
        return self._tokens[self._at] if self._at < len(self._tokens) else None

    def _place(self) -> int:
        token = self._peek()
        return self._end if token is None else token.at
