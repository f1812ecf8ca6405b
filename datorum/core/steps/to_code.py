"""Names to codes."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from datorum.core.forms import Menu, asked
from datorum.core.steps.step import Step

_SAYS = {
    "country": "Turn the name of a country into its code",
    "language": "Turn the name of a language into its code",
    "currency": "Turn the name or sign of a currency into its code",
}
_FUNCTIONS = {"country": "COUNTRYCODE", "language": "LANGUAGECODE", "currency": "CURRENCYCODE"}


class ToCode(Step, frozen=True):
    """Countries to ISO 3166, languages to BCP 47, currencies to ISO 4217, named in several languages or by a code."""

    menu: ClassVar[Menu] = Menu("Name to code", "Codes and choices", "country language currency")
    kind: Literal["to_code"] = "to_code"
    of: Annotated[
        Literal["country", "language", "currency"],
        asked("of a", options={"country": "country", "language": "language", "currency": "currency"}),
    ] = "country"

    def sentence(self) -> str:
        return _SAYS[self.of]

    def formula(self, value: str) -> str:
        return f"{_FUNCTIONS[self.of]}({value})"
