"""The steps. Adding one is one new file and one line in ``AnyStep``."""

from typing import Annotated

from pydantic import Field

from datorum.core.steps.blank_when import BlankWhen
from datorum.core.steps.case import Case
from datorum.core.steps.join import Join
from datorum.core.steps.read_date import ReadDate
from datorum.core.steps.read_number import ReadNumber
from datorum.core.steps.read_yes_no import ReadYesNo
from datorum.core.steps.replace import Replace
from datorum.core.steps.split_list import SplitList
from datorum.core.steps.step import Step, Stepped
from datorum.core.steps.take_part import TakePart
from datorum.core.steps.trim import Trim

AnyStep = Annotated[
    Trim | Case | Replace | Join | BlankWhen | ReadDate | ReadNumber | ReadYesNo | TakePart | SplitList,
    Field(discriminator="kind"),
]

__all__ = [
    "AnyStep",
    "BlankWhen",
    "Case",
    "Join",
    "ReadDate",
    "ReadNumber",
    "ReadYesNo",
    "Replace",
    "SplitList",
    "Step",
    "Stepped",
    "TakePart",
    "Trim",
]
