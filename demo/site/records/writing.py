"""Articles in three languages, and what is said of them."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

from pydantic import AwareDatetime, EmailStr, Field, StringConstraints

from demo.site.records.parts import Id, Language, Name, Slug, Strict


class ArticleState(StrEnum):
    DRAFT = "draft"
    PUBLISHED = "published"


class NewArticle(Strict):
    slug: Slug = Field(description="Unique among articles, each language with its own.")
    language: Language
    title: Annotated[str, StringConstraints(min_length=1, max_length=200)]
    body: Annotated[str, StringConstraints(max_length=100_000)] = Field("", description="HTML.")
    summary: Annotated[str, StringConstraints(max_length=1000)] | None = None
    status: ArticleState = ArticleState.DRAFT
    published_at: AwareDatetime | None = Field(None, title="Published")
    author_id: Id | None = Field(None, description="Who wrote it: the id of a user.")
    translation_of: Id | None = Field(None, title="Translation of", description="The original: the id of an article.")
    term_ids: list[Id] = Field([], description="What it is sorted by: the ids of terms.")


class CommentState(StrEnum):
    WAITING = "waiting"
    APPROVED = "approved"
    SPAM = "spam"


class NewComment(Strict):
    article_id: Id = Field(description="The article that it is about, by its id.")
    parent_id: Id | None = Field(None, description="The comment that it answers, by its id.")
    author_name: Name = Field(title="Name")
    author_email: EmailStr | None = Field(None, title="E-mail")
    body: Annotated[str, StringConstraints(min_length=1, max_length=10_000)]
    status: CommentState = CommentState.WAITING
    posted_at: AwareDatetime | None = Field(None, title="Posted")
