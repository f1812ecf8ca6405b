"""Greek and Cyrillic letters, and those that no accent explains, in plain Latin ones: ELOT 743 and ISO 9 as people type
them."""

from __future__ import annotations

import unicodedata

_CYRILLIC = {
    "а": "a", "б": "b", "в": "v", "г": "g", "д": "d", "е": "e", "ж": "zh", "з": "z", "и": "i", "к": "k", "л": "l",
    "м": "m", "н": "n", "о": "o", "п": "p", "р": "r", "с": "s", "т": "t", "у": "u", "ф": "f", "х": "h", "ц": "ts",
    "ч": "ch", "ш": "sh", "щ": "sht", "ъ": "a", "ы": "y", "ь": "", "э": "e", "ю": "yu", "я": "ya", "ј": "j", "љ": "lj",
    "њ": "nj", "ћ": "c", "ђ": "dj", "џ": "dz", "є": "e", "і": "i", "ґ": "g",
}  # fmt: skip
_GREEK = {
    "α": "a", "β": "v", "γ": "g", "δ": "d", "ε": "e", "ζ": "z", "η": "i", "θ": "th", "ι": "i", "κ": "k", "λ": "l",
    "μ": "m", "ν": "n", "ξ": "x", "ο": "o", "π": "p", "ρ": "r", "σ": "s", "ς": "s", "τ": "t", "υ": "y", "φ": "f",
    "χ": "ch", "ψ": "ps", "ω": "o",
}  # fmt: skip
_TOGETHER = (("ου", "ou"), ("αυ", "av"), ("ευ", "ef"), ("μπ", "mp"), ("γγ", "ng"))
_LATIN = {"ł": "l", "đ": "d", "ð": "d", "þ": "th", "ı": "i", "æ": "ae", "œ": "oe"}
_LETTERS = str.maketrans({
    letter: plain
    for small, latin in {**_CYRILLIC, **_GREEK, **_LATIN}.items()
    for letter, plain in ((small, latin), (small.upper(), latin.capitalize()))
    if len(letter) == 1
})  # fmt: skip


def in_plain_latin(text: str) -> str:
    """A text with its letters in Latin ones; accents stay where they are on Latin letters."""
    if text.isascii():
        return text
    whole = "".join(unicodedata.normalize("NFD", letter)[0] if "Ͱ" <= letter <= "ӿ" else letter for letter in text)
    for pair, latin in _TOGETHER:
        whole = whole.replace(pair, latin)
    return whole.translate(_LETTERS)
