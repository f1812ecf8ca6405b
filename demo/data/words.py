"""Words to make people and places of, all made up, put together from parts of the countryside."""

from __future__ import annotations

import random
from dataclasses import dataclass


@dataclass(frozen=True)
class Tongue:
    """What one country's customers are called and where they live. In a postcode form, 9 is a digit and A a letter."""

    given: tuple[str, ...]
    heads: tuple[str, ...]
    tails: tuple[str, ...]
    trades: tuple[str, ...]
    streets: tuple[str, ...]
    places: tuple[str, ...]
    postcode_form: str

    def postcode(self, rng: random.Random) -> str:
        """A postcode of this country's form; it may begin with a nought."""
        digits = {"9": "0123456789", "A": "BDEHLNRSTW"}
        return "".join(rng.choice(digits[mark]) if mark in digits else mark for mark in self.postcode_form)


_NORWEGIAN = Tongue(
    given=tuple(
        "Åse Bjørg Kari Ingrid Sølvi Tuva Marit Ragnhild Eli Oda Håkon Jørgen "
        "Pål Eirik Sindre Odd Øyvind Trygve Lars Nils Anne-Lise Berit Synne Vebjørn".split()
    ),
    heads=tuple("Mose Lyng Bjørke Høy Tyri Rug Vår Sild Tåke Brenne Korn Frø Åker Skjær Hassel Myr".split()),
    tails=tuple("vikli holten myrdal rudshaug bakkelid lundvoll støyl nesgard teigum engset".split()),
    trades=("Hagelag", "Gartneri", "Frølag", "Andelsgard"),
    streets=tuple("Mosestien Lyngveien Frøbakken Rugfaret Hasseltunet Åkergata Kornlia".split()),
    places=tuple("Mosevåg Lyngeid Frøstad Rugnes Høybygd Tåkefjord Korneid Hasselvik Åkersund Birkholm".split()),
    postcode_form="9999",
)
_GERMAN = Tongue(
    given=tuple(
        "Jörg Ute Heike Annegret Lieselotte Björn Käthe Jürgen Sönke Wiebke "
        "Almut Dörte Falk Hauke Imke Jette Lüder Meike Ortrud Til".split()
    ),
    heads=tuple("Moos Roggen Birken Hasel Nebel Acker Linden Wiesen Saat Korn Farn Erlen".split()),
    tails=tuple("büttler haarstett mühlner lohfeldt grundtner höferle brinkler söhrens".split()),
    trades=("Gartenbau", "Saatgut", "Hofladen", "& Töchter"),
    streets=("Moosweg", "Am Roggenfeld", "Haselgasse", "Saatstraße", "Unter den Erlen", "Nebelstieg"),
    places=tuple("Moosbrück Haselfurt Roggenau Nebelheim Erlwitz Saatingen Birkenstett Farnhausen".split()),
    postcode_form="99999",
)
_ENGLISH = Tongue(
    given=tuple(
        "Ada Bo Jun Wilf Mabel Edith Percy Olive Nell Rupert Hattie "
        "Ivy Silas Winnie Clem Dot Ezra Fern Gus Hester Mary-Jane Zoë".split()
    ),
    heads=tuple("Moss Rye Quill Hazel Fern Oat Thistle Bramble Larch Sedge Sorrel Teasel".split()),
    tails=tuple("wicken thornby fieldham combey brookers dalton-hythe meresby sloper".split()),
    trades=("Allotments", "Nursery", "Seeds", "Kitchen Garden"),
    streets=("Mossy Lane", "Quill Street", "The Rye", "Hazel Row", "Bramble Walk", "Sedge End"),
    places=tuple("Quillham Mossington Ryewick Ferncombe Hazelmouth Thistleby Oatford Sedgeport".split()),
    postcode_form="AA9 9AA",
)
TONGUES = {
    "NO": _NORWEGIAN,
    "SE": Tongue(**{**_NORWEGIAN.__dict__, "postcode_form": "999 99"}),
    "DK": Tongue(**{**_NORWEGIAN.__dict__, "postcode_form": "9999"}),
    "DE": _GERMAN,
    "GB": _ENGLISH,
    "IE": Tongue(**{**_ENGLISH.__dict__, "postcode_form": "A99 A9A9"}),
}

_PLAIN = str.maketrans({"æ": "ae", "ø": "o", "å": "a", "ä": "ae", "ö": "oe", "ü": "ue", "ß": "ss", "ë": "e"})


def slug(text: str) -> str:
    """A text as a part of a web address."""
    plain = text.lower().translate(_PLAIN)
    return "-".join("".join(mark if mark.isascii() and mark.isalnum() else " " for mark in plain).split())
