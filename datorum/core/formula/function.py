"""The register of functions. A function is a plain Python function whose annotations say how arguments convert."""

from __future__ import annotations

import inspect
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, get_type_hints

from datorum.core.formula.fault import SYNTAX, FormulaFault
from datorum.core.formula.scope import Scope
from datorum.core.formula.syntax import Node
from datorum.core.formula.values import Lazy, Value, to_integer, to_logical, to_number, to_text

_CONVERT: dict[Any, Callable[[Value], Any]] = {
    float: to_number,
    int: to_integer,
    str: to_text,
    bool: to_logical,
    Value: lambda value: value,
}
_MOST = 255
"""As many arguments as a function of any number of them takes."""


@dataclass(frozen=True)
class Parameter:
    """One argument: its name, what it converts to, and whether it may be left out."""

    name: str
    kind: Any
    optional: bool


@dataclass(frozen=True)
class Function:
    """One function: name, group, a sentence, its parameters, and what it does."""

    name: str
    group: str
    summary: str
    parameters: tuple[Parameter, ...]
    repeats: bool
    extension: bool
    takes_scope: bool
    body: Callable[..., Value]

    @property
    def signature(self) -> str:
        """As a person reads it: ``LEFT(text; [length])``."""
        names = [f"[{p.name}]" if p.optional else p.name for p in self.parameters]
        return f"{self.name}({'; '.join(names)}{'; …' if self.repeats else ''})"

    def check_count(self, given: tuple[Node, ...], at: int) -> None:
        """Raise FormulaFault where there are too few or too many arguments."""
        least = sum(not p.optional for p in self.parameters)
        most = _MOST if self.repeats else len(self.parameters)
        if not least <= len(given) <= most:
            raise FormulaFault(SYNTAX, f"{self.name} is written {self.signature}", at)

    def call(self, arguments: list[Lazy], scope: Scope) -> Value:
        """The function's value for these arguments."""
        given: list[Any] = []
        for index, argument in enumerate(arguments):
            kind = self.parameters[min(index, len(self.parameters) - 1)].kind
            given.append(argument if kind == Lazy else _CONVERT[kind](argument()))
        return self.body(*given, **({"scope": scope} if self.takes_scope else {}))


FUNCTIONS: dict[str, Function] = {}
"""Every function by its name."""


def function(
    group: str, *, name: str | None = None, extension: bool = False
) -> Callable[[Callable[..., Value]], Callable[..., Value]]:
    """Register a Python function: its name in capitals, its docstring's first sentence, its parameters.

    A parameter annotated ``float``, ``int``, ``str`` or ``bool`` gets its argument converted, ``Value`` as it is,
    ``Lazy`` unevaluated, ``Scope`` the row and run. ``extension`` marks what the standard does not have.
    """

    def register(body: Callable[..., Value]) -> Callable[..., Value]:
        hints = get_type_hints(body)
        parameters = inspect.signature(body).parameters.values()
        takes_scope = any(hints[p.name] is Scope for p in parameters)
        described = [
            Parameter(
                p.name.rstrip("_"),
                hints[p.name],
                p.default is not inspect.Parameter.empty or p.kind is inspect.Parameter.VAR_POSITIONAL,
            )
            for p in parameters
            if hints[p.name] is not Scope
        ]
        known = name or body.__name__.rstrip("_").upper()
        FUNCTIONS[known] = Function(
            name=known,
            group=group,
            summary=(body.__doc__ or "").split("\n")[0],
            parameters=tuple(described),
            repeats=any(p.kind is inspect.Parameter.VAR_POSITIONAL for p in parameters),
            extension=extension,
            takes_scope=takes_scope,
            body=body,
        )
        return body

    return register
