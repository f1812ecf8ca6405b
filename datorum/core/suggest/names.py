"""How alike a column's header and a field's name are, by what their words mean."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping
from difflib import SequenceMatcher
from functools import lru_cache

from datorum.core.model import Field
from datorum.core.suggest.lexicon import (
    ANY,
    FILLERS,
    GENERIC,
    GROUPS,
    OWN_MEANS,
    QUALIFIERS,
    RELATED,
    Reading,
    Words,
    abbreviations,
    known_concepts,
    phrases,
    plain,
)

_LONGEST_PHRASE = 4
_NEAR = 0.8
_NUMBER_SIGN = re.compile(r"№|(?i:\bn)[°º]")
"""As French, Spanish, Italian and Russian headers have it."""
_ANDS = ("and", "und", "og", "och", "et", "y", "e", "en", "i", "ja")
_BOTH = re.compile(rf"[,;/&+]|\b({'|'.join(_ANDS)})\b", re.IGNORECASE)
_PERSONS = frozenset({"customer", "user", "author", "contact", "person", "buyer"})
_LINKS = ("", "s", "n", "en", "er", "e")
_ONE_OR_MANY = re.compile(r"(?<=\w)\([a-zæøåäöü]{1,3}\)")
"""“Vorname(n)”."""
_SHARED_END = re.compile(rf"(\w{{2,}})[-‐‑] *(?=({'|'.join(_ANDS)}) +(\w+))", re.IGNORECASE)
"""Two compounds of one end, which is written once: “Vor- und Nachname”."""


def read_ahead() -> None:
    """Read what names mean before anybody waits for it."""
    tokens("E-mail adress")
    _near_words()


Languages = tuple[str, ...]
"""Those that a sheet is thought to be written in, the likeliest first."""


def letters_of(name: str) -> str:
    """A name without its case and signs: what is the same by it is called the same."""
    return "".join(filter(str.isalnum, name.casefold()))


@lru_cache(maxsize=50_000)
def tokens(name: str, languages: Languages = ()) -> tuple[str, ...]:
    """The concepts of a name: ``E-mail Address`` and ``Epostadresse`` are both ``email``. What means several things is
    read as one of these languages has it."""
    known = phrases()
    name = _NUMBER_SIGN.sub(" number ", _ONE_OR_MANY.sub("", _WHOSE.sub("", name))).replace("%", " percent ")
    name = _SHARED_END.sub(_with_its_end, name)
    words = plain(_MAIL.sub("email", name)).split()
    if tuple(words) not in known and not all((word,) in known or word in FILLERS for word in words):
        # “MwSt” is one word and “firstName” two.
        spaced = re.sub(r"(?<=[a-zæøåäöü0-9])(?=[A-ZÆØÅÄÖÜ])|(?<=[A-Z])(?=[A-Z][a-z])", " ", name)
        words = plain(_MAIL.sub("email", spaced)).split()
        if tuple(words) not in known:
            words = [part for word in words for part in re.findall(r"\d+|[^\d]+", word)]
    if tuple(words) not in known:
        # Read with what is cut short in full, where no phrase has it so.
        words = [whole for word in words for whole in abbreviations().get(word, (word,))]
    if "." in name and tuple(words) not in known and (whole := _cut_short(words, languages)):
        return whole
    found: list[str] = []
    said_phrases = _phrased(words)
    if any(
        phrase in known and known[phrase][0].concepts[0] not in _OF_RECORDS
        for phrase in said_phrases
        if phrase not in _KINDS_OF_FIELD
    ):
        said_phrases = [phrase for phrase in said_phrases if phrase not in _KINDS_OF_FIELD]
    for phrase in said_phrases:
        readings = known.get(phrase)
        found += _meant(readings, languages) if readings else _unknown(phrase[0], languages)
    parts = [one for one in found if one not in _ANDS and one not in _PERSONS]
    said = {*parts} - {"given"}
    if "given" in parts and said and said <= {"family", "name"} and _BOTH.search(name):
        # “Surname, first name” is a name, whole.
        return ("name",)
    return tuple(found)


_KINDS_OF_FIELD = {(word,) for word in "text html label value string txt yn".split()}
"""Words that say what a field is made of, where they stand beside one that says what it is for: “title_text”."""


_OF_RECORDS = {"coupon", "order", "product", "customer", "user", "comment", "translation", "post", "line"}
"""What is said of them by “text” is a text of theirs: “voucher_text”."""


def _cut_short(words: list[str], languages: Languages) -> tuple[str, ...] | None:
    """What words mean of which some are cut short (“Viim. kirjautuminen”): the one phrase whose words begin so, or all
    such phrases where they mean the same."""
    if len(words) < 2 or min(map(len, words)) < _FEWEST_LETTERS:
        return None
    meant = {
        _meant(readings, languages)
        for phrase, readings in phrases().items()
        if len(phrase) == len(words) and all(whole.startswith(cut) for whole, cut in zip(phrase, words, strict=True))
    }
    return meant.pop() if len(meant) == 1 else None


_FEWEST_LETTERS = 2


def _phrased(words: list[str]) -> list[Words]:
    """Words as known phrases, and single words that are none: as few of either as can be, the first as long as can be.
    “Billing address 1” is the first line of an address, and no whole address."""
    known = phrases()
    best: list[tuple[float, list[Words]]] = [(0.0, [])]
    for at in range(len(words) - 1, -1, -1):
        ways = []
        for length in range(min(_LONGEST_PHRASE, len(words) - at), 0, -1):
            phrase = tuple(words[at : at + length])
            cost, rest = best[-length]
            if phrase in known:
                ways.append((cost + 1.0, [phrase, *rest]))
            elif length == 1:
                ways.append((cost + (1.2 if phrase[0] in FILLERS else 2.0), [phrase, *rest]))
        best.append(min(ways, key=lambda way: way[0]))
    return best[-1][1]


_MAIL = re.compile(r"(?i)\be-?mail\b")
_WHOSE = re.compile(r"(?<=\w)['’]s\b", re.IGNORECASE)


def is_understood(name: str, languages: Languages = ()) -> bool:
    """Whether a name says any concept that is known, and not only that it is a date, or a number."""
    return not (known_concepts() - _SAYING_LITTLE).isdisjoint(tokens(name, languages))


_SAYING_LITTLE = {"date", "number", "id", "code", "type"}


def _meant(readings: tuple[Reading, ...], languages: Languages) -> tuple[str, ...]:
    """What a phrase means: in the likeliest of some languages that has it, else in most."""
    if len(readings) > 1:
        for language in languages:
            for reading in readings:
                if language in reading.languages:
                    return reading.concepts
    return readings[0].concepts


def spoken(names: Iterable[str]) -> Languages:
    """The languages that names are likeliest written in: those that have most of their phrases. English is what is
    read anyhow."""
    votes: dict[str, float] = {}
    for name in names:
        readings = phrases().get(tuple(plain(_MAIL.sub("email", name)).split()), ())
        told = {language for reading in readings for language in reading.languages} - {ANY}
        for language in told:
            # What few languages have says more.
            votes[language] = votes.get(language, 0.0) + 1 / len(told)
    likeliest = sorted(votes, key=lambda language: -votes[language])[:_LANGUAGES]
    return tuple(language for language in likeliest if votes[language] >= _FEWEST_VOTES)


_LANGUAGES, _FEWEST_VOTES = 3, 0.5


def _unknown(word: str, languages: Languages) -> tuple[str, ...]:
    """What a word means that no line has: as its parts, with its umlauts spelt out, cut short, inflected or misspelt;
    else itself."""
    if word in FILLERS or len(word) < _SHORTEST:
        return (word,)
    for folded in _unfolded(word):
        if (folded,) in phrases():
            return _meant(phrases()[(folded,)], languages)
    if word.endswith("s") and (word[:-1],) in phrases():
        # Whose it is: “kundens navn”.
        return _meant(phrases()[(word[:-1],)], languages)
    parts = _compound(word)
    if parts is not None:
        return parts
    near = _near_words().get(word) if len(word) >= _LONG_ENOUGH else None
    return _stem(word) or near or (word,)


_SHORTEST, _LONG_ENOUGH = 4, 6
_SPELT_OUT = (("ae", "a"), ("oe", "o"), ("ue", "u"), ("aa", "a"))


def _unfolded(word: str) -> Iterator[str]:
    for two, one in _SPELT_OUT:
        if two in word:
            yield word.replace(two, one)


@lru_cache(maxsize=1)
def _single_words() -> dict[str, tuple[str, ...]]:
    """The words that are phrases by themselves and mean one thing, with what they mean."""
    return {words[0]: readings[0].concepts for words, readings in phrases().items()
            if len(words) == 1 and len(readings) == 1}  # fmt: skip


@lru_cache(maxsize=1)
def _beginnings() -> dict[str, tuple[str, ...] | None]:
    """Beginnings of known words with what all that begin so mean; None where they mean different things."""
    found: dict[str, tuple[str, ...] | None] = {}
    for word, concepts in _single_words().items():
        for length in range(_SHORTEST, len(word) + 1):
            start = word[:length]
            found[start] = concepts if found.get(start, concepts) == concepts else None
    return found


def _stem(word: str) -> tuple[str, ...] | None:
    """What a word means that is a known one cut short (“beschr”) or with another ending (“zamowienia”)."""
    beginnings = _beginnings()
    if beginnings.get(word):
        return beginnings[word]
    for ending in (1, 2, 3):
        length = len(word) - ending
        if length >= _LONG_ENOUGH - 1 and word[:length] in beginnings:
            return beginnings[word[:length]]
    return None


class _NearWords:
    """Known words by what is left of them without one letter: two that share such a rest differ by one slip."""

    def __init__(self) -> None:
        self._rests: dict[str, set[str]] = {}
        for word in _single_words():
            if len(word) >= _LONG_ENOUGH:
                for rest in _without_a_letter(word):
                    self._rests.setdefault(rest, set()).add(word)

    def get(self, word: str) -> tuple[str, ...] | None:
        """What a word means that is one slip away from known ones which all mean the same."""
        near = {known for rest in _without_a_letter(word) for known in self._rests.get(rest, ())}
        meant = {_single_words()[known] for known in near}
        return meant.pop() if len(meant) == 1 else None


def _without_a_letter(word: str) -> set[str]:
    return {word, *(word[:at] + word[at + 1 :] for at in range(len(word)))}


@lru_cache(maxsize=1)
def _near_words() -> _NearWords:
    return _NearWords()


def _with_its_end(found: re.Match[str]) -> str:
    """A beginning with the end that it shares with the word behind it: the longest that makes a known word."""
    begun, _, whole = found.groups()
    ends = (whole[at:] for at in range(1, len(whole) - 2))
    return next((begun + end for end in ends if (plain(begun + end),) in phrases()), begun) + " "


@lru_cache(maxsize=20_000)
def _compound(word: str, deepest: int = 2) -> tuple[str, ...] | None:
    """A word as the concepts of the two or three that it is made of, as in German, Norwegian and Finnish; None where it
    is no such word."""
    known = phrases()
    for cut in range(len(word) - 2, 2, -1):
        left, right = word[:cut], word[cut:]
        if (right,) not in known:
            continue
        for link in _LINKS:
            stem = left.removesuffix(link) if link and left.endswith(link) else left if not link else ""
            if len(stem) < 3:
                continue
            if (stem,) in known:
                return (*known[(stem,)][0].concepts, *known[(right,)][0].concepts)
            further = _compound(stem, deepest - 1) if deepest > 1 and len(stem) > 6 else None
            if further is not None:
                return (*further, *known[(right,)][0].concepts)
    return None


class Names:
    """How headers and the fields of a kind of record are read beside one another: in the languages that the headers are
    in, without what all of either begin or end with (“cust_name”, “cust_city”)."""

    def __init__(self, headers: Iterable[str], fields: Iterable[Field], kind: str = "") -> None:
        listed, fields = list(headers), list(fields)
        self.languages = spoken(listed)
        self._own = _all_readings(kind) | _all_readings(kind.removesuffix("s"))
        self._whole_names = not any("family" in tokens(header, self.languages) for header in listed)
        self._of_headers = _of_all([tokens(header, self.languages) for header in listed])
        self._of_fields = _of_all([tokens(field.path.replace(".", " ")) for field in fields])
        ends = [field.path.rpartition(".")[2] for field in fields]
        self._told_by_end = {end for end in ends if ends.count(end) == 1}
        self._said: dict[tuple[str, str], list[tuple[Words, float]]] = {}

    def score(self, header: str, field: Field) -> float:
        """0 to 1: how well a header names a field, by its path, its title, what is said of it, or its format."""
        left = _without(tokens(header, self.languages), self._of_headers)
        if self._whole_names and left == ("given",):
            # Many a language has one word for both, and here is no other part of a name.
            return max(self._alike_any(left, field), _WHOLE_NAME * self._alike_any(("name",), field))
        return self._alike_any(left, field)

    def _alike_any(self, left: tuple[str, ...], field: Field) -> float:
        key = field.path, field.title
        if key not in self._said:
            self._said[key] = list(self._named(field))
        return max(worth * _alike(left, right, self._own) for right, worth in self._said[key])

    def _named(self, field: Field) -> Iterator[tuple[tuple[str, ...], float]]:
        path = tokens(field.path.replace(".", " "))
        yield _without(path, self._of_fields), 1.0
        around, _, end = field.path.rpartition(".")
        if around and end in self._told_by_end:
            yield _without(tokens(end), self._of_fields), _BY_END
        if field.title:
            yield tokens(field.title), 1.0
        if field.format in _FORMATS:
            yield (_FORMATS[field.format],), 0.9
        said = _FIRST_WORDS.match(field.description)
        if said:
            yield tokens(said[0]), _SAID


def _all_readings(kind: str) -> frozenset[str]:
    """All that the name of a kind of record may mean: an article is a page, and a product."""
    readings = phrases().get(tuple(plain(kind).split()), ())
    return frozenset(tokens(kind)).union(*(reading.concepts for reading in readings))


_WHOLE_NAME = 0.95
_FORMATS = {"email": "email", "uri": "url", "url": "url", "password": "password", "ipv4": "ip", "ipv6": "ip"}
_FIRST_WORDS = re.compile(r"\W*(?:\w+\W+){0,4}\w+")
_SAID = 0.85
_BY_END = 0.97
_MOST, _FEW = 0.7, 4


def _of_all(names: list[tuple[str, ...]]) -> frozenset[str]:
    """The word that nearly all of some names begin with, and the one that they end with, where they say more."""
    found = set()
    for end in (0, -1):
        counted: dict[str, int] = {}
        for name in names:
            if len(name) > 1:
                counted[name[end]] = counted.get(name[end], 0) + 1
        found |= {word for word, count in counted.items() if count > _FEW and count >= _MOST * len(names)}
    return frozenset(found)


def _without(name: tuple[str, ...], of_all: frozenset[str]) -> tuple[str, ...]:
    """A name without what all others have as well; the address that a part is of says nothing of the part."""
    left = tuple(word for word in name if word not in of_all) if of_all else name
    if "address" in left and set(left) - _SIDES:
        left = tuple(word for word in left if word != "address")
    return left or name


_SIDES = {"address", "billing", "shipping"}


@lru_cache(maxsize=20_000)
def _says(concepts: tuple[str, ...], own: frozenset[str]) -> Mapping[str, float]:
    """The concepts of a name, each with how much it counts."""
    telling = {token for token in concepts if token not in FILLERS and token not in own}
    if not telling:
        # All that is said is the kind of record, or a word that mostly says nothing: then that is the name.
        named = [OWN_MEANS[token] for token in concepts if token in own and token in OWN_MEANS]
        return dict.fromkeys(named or concepts, 1.0)
    return {token: _weight(token) if token in telling else 0.12 for token in dict.fromkeys(concepts)}


def _weight(token: str) -> float:
    """How much a word counts; one that is not understood less than one that is."""
    if token.isdigit():
        return 0.3
    return GENERIC.get(token, 1.0 if token in known_concepts() else _NOT_UNDERSTOOD)


_NOT_UNDERSTOOD = 0.6


def _alike(left: tuple[str, ...], right: tuple[str, ...], own: frozenset[str]) -> float:
    if not left or not right or _have_nothing_in_common(left, right, own):
        return 0.0
    a, b = _says(left, own), _says(right, own)
    if a.keys() == b.keys():
        return 1.0
    common = sum((a[token] + b[token]) / 2 for token in a.keys() & b.keys())
    rest_a, rest_b = a.keys() - b.keys(), b.keys() - a.keys()
    related = _related({token: a[token] for token in rest_a}, {token: b[token] for token in rest_b})
    likeness = 2 * (common + related) / (sum(a.values()) + sum(b.values()))
    for group in GROUPS:
        one, other = a.keys() & group, b.keys() & group
        if one and other and not one & other and frozenset([next(iter(one)), next(iter(other))]) not in RELATED:
            return min(likeness, 0.25)
    for token in (rest_a | rest_b) - own:
        likeness *= QUALIFIERS.get(token, 1.0)
    return min(max(likeness, _spelled(rest_a, rest_b) if not common else 0.0), 0.98)


def _have_nothing_in_common(left: tuple[str, ...], right: tuple[str, ...], own: frozenset[str]) -> bool:
    """Whether two names share no concept, have none that are near, and no word that is unknown on both sides: most
    pairs do, and need no closer look."""
    if not own.isdisjoint(left) or not own.isdisjoint(right) or not set(left).isdisjoint(right):
        return False
    if any(not _NEAR_CONCEPTS[word].isdisjoint(right) for word in left if word in _NEAR_CONCEPTS):
        return False
    known = known_concepts()
    return known.issuperset(left) or known.issuperset(right)


_NEAR_CONCEPTS: dict[str, frozenset[str]] = {
    word: frozenset().union(*(pair for pair in RELATED if word in pair)) - {word} for pair in RELATED for word in pair
}


def _related(left: dict[str, float], right: dict[str, float]) -> float:
    """What the words are worth that one side has and the other says by a near word, each used once."""
    pairs = sorted(
        (
            (RELATED[frozenset((a, b))] * (left[a] + right[b]) / 2, a, b)
            for a in left
            for b in right
            if frozenset((a, b)) in RELATED
        ),
        reverse=True,
    )
    worth, used = 0.0, set[str]()
    for value, a, b in pairs:
        if a not in used and b not in used:
            worth += value
            used |= {a, b}
    return worth


def _spelled(left: set[str], right: set[str]) -> float:
    """Words that no line of the lexicon knows may still be the same, misspelt or shortened."""
    a, b = "".join(sorted(left)), "".join(sorted(right))
    if min(len(a), len(b)) < 4:
        return 0.0
    matcher = SequenceMatcher(None, a, b)
    # The bounds are quick, and most words are nothing like each other.
    if matcher.real_quick_ratio() <= _NEAR or matcher.quick_ratio() <= _NEAR:
        return 0.0
    ratio = matcher.ratio()
    return 0.85 * ratio if ratio > _NEAR else 0.0
