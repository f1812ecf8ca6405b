"""The steps. Adding one is one new file and one line in ``AnyStep``."""

from typing import Annotated

from pydantic import Field

from datorum.core.steps.absolute_url import AbsoluteUrl
from datorum.core.steps.affix import Affix
from datorum.core.steps.arithmetic import Arithmetic
from datorum.core.steps.blank_when import BlankWhen
from datorum.core.steps.case import Case
from datorum.core.steps.default import Default
from datorum.core.steps.formula import Formula
from datorum.core.steps.html import Html
from datorum.core.steps.join import Join
from datorum.core.steps.lookup import Lookup
from datorum.core.steps.phone import Phone
from datorum.core.steps.phone_by_country import PhoneByCountry
from datorum.core.steps.read_date import ReadDate
from datorum.core.steps.read_number import ReadNumber
from datorum.core.steps.read_yes_no import ReadYesNo
from datorum.core.steps.replace import Replace
from datorum.core.steps.shortcodes import Shortcodes
from datorum.core.steps.slug import Slug
from datorum.core.steps.split_list import SplitList
from datorum.core.steps.step import RowStep, Step, Stepped
from datorum.core.steps.swap_parts import SwapParts
from datorum.core.steps.take_digits import TakeDigits
from datorum.core.steps.take_part import TakePart
from datorum.core.steps.to_code import ToCode
from datorum.core.steps.trim import Trim
from datorum.core.steps.unusable import Unusable
from datorum.core.steps.when import When
from datorum.core.steps.write_date import WriteDate

AnyStep = Annotated[
    AbsoluteUrl
    | Affix
    | Arithmetic
    | BlankWhen
    | Case
    | Default
    | Formula
    | Html
    | Join
    | Lookup
    | Phone
    | ReadDate
    | ReadNumber
    | ReadYesNo
    | Replace
    | Shortcodes
    | Slug
    | SplitList
    | PhoneByCountry
    | SwapParts
    | TakeDigits
    | TakePart
    | ToCode
    | Trim
    | Unusable
    | When
    | WriteDate,
    Field(discriminator="kind"),
]

STEP_GROUPS = ("Text", "Blanks", "Numbers", "Dates", "Codes and choices", "People", "Web", "Anything else")
"""What steps work on, in the order of their menu."""

__all__ = [
    "STEP_GROUPS",
    "AbsoluteUrl",
    "Affix",
    "AnyStep",
    "Arithmetic",
    "BlankWhen",
    "Case",
    "Default",
    "Formula",
    "Html",
    "Join",
    "Lookup",
    "Phone",
    "PhoneByCountry",
    "ReadDate",
    "ReadNumber",
    "ReadYesNo",
    "Replace",
    "RowStep",
    "Shortcodes",
    "Slug",
    "SplitList",
    "Step",
    "Stepped",
    "SwapParts",
    "TakeDigits",
    "TakePart",
    "ToCode",
    "Trim",
    "Unusable",
    "When",
    "WriteDate",
]
