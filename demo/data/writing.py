"""Articles in three languages, and the comments on them."""

from __future__ import annotations

import datetime as dt
import random
from typing import Any

from demo.data.words import slug

ARTICLES, COMMENTS = 140, 3268
LANGUAGES = ("en", "nb", "de")
Record = dict[str, Any]
_ABOUT = {
    "en": ("Growing", "Saving seed of", "A year with", "When to sow", "What ails"),
    "nb": ("Dyrke", "Ta frø av", "Et år med", "Når du sår", "Hva plager"),
    "de": ("Anbau von", "Saatgut von", "Ein Jahr mit", "Wann man sät:", "Was fehlt"),
}
_PLANTS = {
    "en": ("runner beans", "kale", "rye", "poppies", "leeks", "squashes", "oats"),
    "nb": ("stangbønner", "grønnkål", "rug", "valmuer", "purre", "gresskar", "havre"),
    "de": ("Stangenbohnen", "Grünkohl", "Roggen", "Mohn", "Lauch", "Kürbisse", "Hafer"),
}
_SAYS = (
    "Thank you!",
    "Mine never come up.",
    "Worked in Rugnes, too.",
    "Which sieve do you use?",
    "Takk for tipset.",
    "Bei uns erst im Mai.",
    "See <a href='https://spam.example'>here</a>",
    "I did this in 2019 &amp; again last year.",
)


def articles(rng: random.Random, authors: list[Record], terms: list[Record]) -> list[Record]:
    """140 articles, each in three languages; ``key`` is what its languages share, and English the original."""
    habits = [one["slug"] for one in terms if one["vocabulary"] == "sowing" and one["parent"]]
    found = []
    for number in range(ARTICLES):
        about, plant = number % 5, (number // 5) % 7
        published = dt.datetime(2015, 4, 1) + dt.timedelta(hours=rng.randrange(90_000))
        author, sorted_by = rng.choice(authors)["username"], rng.sample(habits, rng.randrange(0, 3))
        for language in LANGUAGES:
            title = f"{_ABOUT[language][about]} {_PLANTS[language][plant]}, part {number // 35 + 1}"
            found.append(
                {
                    "key": f"note-{number + 1}",
                    "language": language,
                    "slug": f"{slug(title)}-{language}",
                    "title": title,
                    "body": f"<p>{title}.</p><p>Read on &amp; try it.</p>",
                    "summary": title if rng.random() < 0.6 else "",
                    "status": "published" if rng.random() < 0.9 else "draft",
                    "published_at": published,
                    "author": author,
                    "terms": sorted_by,
                }
            )
    return found


def comments(rng: random.Random, of: list[Record], customers: list[Record]) -> list[Record]:
    """3,268 comments, a third of them answers to earlier ones on the same article."""
    found: list[Record] = []
    on: dict[str, list[int]] = {}
    for number in range(1, COMMENTS + 1):
        article = rng.choice(of)["slug"]
        earlier = on.setdefault(article, [])
        who = rng.choice(customers)
        found.append(
            {
                "number": number,
                "article": article,
                "parent": rng.choice(earlier) if earlier and rng.random() < 0.34 else None,
                "author_name": who["name"],
                "author_email": who["email"] if rng.random() < 0.9 else None,
                "body": rng.choice(_SAYS),
                "status": rng.choices(("approved", "waiting", "spam"), (84, 10, 6))[0],
                "posted_at": dt.datetime(2016, 1, 1) + dt.timedelta(minutes=number * 1500 + rng.randrange(1400)),
            }
        )
        earlier.append(number)
    return found
