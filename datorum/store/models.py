"""The tables."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import (
    JSON,
    BigInteger,
    DateTime,
    ForeignKey,
    Index,
    LargeBinary,
    MetaData,
    Text,
    UniqueConstraint,
    case,
    cast,
    func,
    select,
    text,
)
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, MappedSQLExpression, column_property, mapped_column, relationship

Json = dict[str, Any]


class Base(DeclarativeBase):
    metadata = MetaData(
        naming_convention={
            "ix": "ix_%(table_name)s_%(column_0_name)s",
            "uq": "uq_%(table_name)s_%(column_0_name)s",
            "fk": "fk_%(table_name)s_%(column_0_name)s",
            "pk": "pk_%(table_name)s",
        }
    )
    type_annotation_map = {  # noqa: RUF012 (SQLAlchemy's own attribute)
        str: Text,
        Json: JSONB,
        list[Any]: JSONB,
        dt.datetime: DateTime(timezone=True),
        bytes: LargeBinary,
    }


class Person(Base):
    """Somebody who may sign in. ``role``: administrator, editor or viewer."""

    __tablename__ = "person"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    password_hash: Mapped[str]
    role: Mapped[str]
    created_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())


class SignIn(Base):
    """One browser that is signed in. Only the digest of its token is kept."""

    __tablename__ = "sign_in"
    token_digest: Mapped[bytes] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id", ondelete="CASCADE"))
    csrf: Mapped[str]
    expires_at: Mapped[dt.datetime]
    person: Mapped[Person] = relationship(lazy="joined")


class SignInTry(Base):
    """One try to sign in, as this person from this address."""

    __tablename__ = "sign_in_try"
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    name: Mapped[str]
    address: Mapped[str]
    good: Mapped[bool]
    at: Mapped[dt.datetime] = mapped_column(server_default=func.clock_timestamp())
    __table_args__ = (Index("ix_sign_in_try_name", "name", "at"), Index("ix_sign_in_try_address", "address", "at"))


class AuditEntry(Base):
    """One change of data: who did what to what, and when."""

    __tablename__ = "audit"
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    at: Mapped[dt.datetime] = mapped_column(server_default=func.clock_timestamp())
    person: Mapped[str]
    action: Mapped[str]
    subject: Mapped[str]
    detail: Mapped[Json] = mapped_column(default=dict)
    __table_args__ = (Index("ix_audit_action_at", "action", "at"), Index("ix_audit_subject_id", "subject", "id"))


class AuditSeal(Base):
    """The seal of an entry of the audit log: its place in the chain, and a hash of it and of the seal before."""

    __tablename__ = "audit_seal"
    number: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=False)
    audit_id: Mapped[int] = mapped_column(BigInteger, unique=True)
    hash: Mapped[bytes]


class Work(Base):
    """What a worker has under way, or somebody waits for: work of a ``kind`` on the ``subject`` of that number or name.
    It is there until it is over. ``state``: waiting, going, stopped by somebody, or failed, with the ``error``.

    ``done`` of ``total`` records, rows or what it is that is worked on, where that can be told; ``began_at``,
    ``began_with``: when this turn at it began, and how much was done by then. Who looks at the import or the site that
    it is for is told of it. ``within``: the kind and subject of the work that it is a part of, whose worker does it.
    """

    __tablename__ = "work"
    kind: Mapped[str] = mapped_column(primary_key=True)
    subject: Mapped[str] = mapped_column(primary_key=True)
    import_id: Mapped[int | None] = mapped_column(ForeignKey("import.id", ondelete="CASCADE"))
    site_id: Mapped[int | None] = mapped_column(ForeignKey("site.id", ondelete="CASCADE"))
    state: Mapped[str] = mapped_column(default="waiting", server_default="waiting")
    done: Mapped[int] = mapped_column(BigInteger, default=0, server_default="0")
    total: Mapped[int | None] = mapped_column(BigInteger)
    stop: Mapped[bool] = mapped_column(default=False, server_default="false")
    error: Mapped[str] = mapped_column(default="", server_default="")
    by: Mapped[str]
    asked_at: Mapped[dt.datetime] = mapped_column(server_default=func.clock_timestamp())
    began_at: Mapped[dt.datetime | None]
    began_with: Mapped[int] = mapped_column(BigInteger, default=0, server_default="0")
    within: Mapped[str | None]


def _state(of: Any, kinds: tuple[str, ...], over: Any, called: str) -> MappedSQLExpression[str]:
    """The state of what work of some kinds makes: as it is ``called`` once it is ``over``, else reading, or what has
    become of the work."""
    mine = select(Work.state).where(Work.kind.in_(kinds), Work.subject == cast(of.column, Text))
    now = func.coalesce(mine.correlate_except(Work).scalar_subquery(), "failed")
    return column_property(
        case((over.column.is_not(None), called), (now.in_(("waiting", "going")), "reading"), else_=now)
    )


def _error(of: Any, kinds: tuple[str, ...]) -> MappedSQLExpression[str]:
    """Why the work that makes something failed."""
    mine = select(Work.error).where(Work.kind.in_(kinds), Work.subject == cast(of.column, Text))
    return column_property(func.coalesce(mine.correlate_except(Work).scalar_subquery(), ""))


class Site(Base):
    """A site, reached by the ``way`` of that name. ``sealed_sign_in`` is encrypted; ``description_id`` is its latest
    description, ``described_at`` when it was last asked for one; ``limits``: what it is to be spared."""

    __tablename__ = "site"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    address: Mapped[str]
    sealed_sign_in: Mapped[bytes]
    description_id: Mapped[int] = mapped_column(ForeignKey("site_description.id", use_alter=True), nullable=True)
    described_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    way: Mapped[str] = mapped_column(default="rest", server_default="rest")
    limits: Mapped[Json] = mapped_column(default=dict, server_default=text("'{}'"))


class StoredDescription(Base):
    """A version of what a site says of itself: the ``document`` as it came, what a person corrected as an OpenAPI
    Overlay, and what was understood of both; the parts of each in their order."""

    __tablename__ = "site_description"
    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id", ondelete="CASCADE"))
    version: Mapped[int]
    address: Mapped[str]
    document: Mapped[Json | None] = mapped_column(JSON(none_as_null=True), deferred=True)
    overlay: Mapped[Json | None] = mapped_column(JSON(none_as_null=True))
    description: Mapped[Json] = mapped_column(JSON, deferred=True)
    by: Mapped[str]
    at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    __table_args__ = (UniqueConstraint("site_id", "version"),)


class Snapshot(Base):
    """All records of one type of a site as they were ``as_of`` a moment, or while they are read. ``state``: reading,
    ready, stopped or failed.

    ``totals``: how many the site has said that there are, while it was read for the ``reading``-th time; ``newest``:
    the latest change of any record, as the site tells it; ``content``: the same for two that have found the same.
    """

    __tablename__ = "snapshot"
    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id", ondelete="CASCADE"))
    record_type: Mapped[str]
    description_id: Mapped[int] = mapped_column(ForeignKey("site_description.id", ondelete="CASCADE"))
    records_read: Mapped[int] = mapped_column(default=0, server_default="0")
    totals: Mapped[list[Any]] = mapped_column(default=list, server_default=text("'[]'"))
    reading: Mapped[int] = mapped_column(default=1, server_default="1")
    newest: Mapped[str | None]
    content: Mapped[str] = mapped_column(default="", server_default="")
    by: Mapped[str]
    started_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    as_of: Mapped[dt.datetime | None] = mapped_column()
    downloaded_at: Mapped[dt.datetime | None]
    """When somebody took it away as a file."""
    state: Mapped[str] = _state(id, ("snapshot",), as_of, "ready")
    error: Mapped[str] = _error(id, ("snapshot",))
    __table_args__ = (Index("ix_snapshot_site_id", "site_id", "record_type"),)


class SnapshotChunk(Base):
    """Some records of a snapshot as Parquet. ``mark``: where reading goes on after them; none where it is over."""

    __tablename__ = "snapshot_chunk"
    snapshot_id: Mapped[int] = mapped_column(ForeignKey("snapshot.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    records: Mapped[int]
    mark: Mapped[str | None]
    parquet: Mapped[bytes]


class Migration(Base):
    """Several imports to one site, in the order that their links demand. ``held_most``: how much of a sheet may be
    held, refused or differ, in per cent, for the imports to go on one after the other.

    ``going_to``: to what somebody has all of them taken, since ``going_since``; ``agreed``: what was not in order
    before their runs, and agreed to by name; ``stopped``: why it went no further."""

    __tablename__ = "migration"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id", ondelete="CASCADE"), index=True)
    held_most: Mapped[float] = mapped_column(default=2.0, server_default="2")
    going_to: Mapped[str | None]
    going_by: Mapped[str] = mapped_column(default="", server_default="")
    going_since: Mapped[dt.datetime | None]
    agreed: Mapped[list[Any]] = mapped_column(default=list, server_default=text("'[]'"))
    stopped: Mapped[str] = mapped_column(default="", server_default="")
    created_by: Mapped[str]
    created_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    site: Mapped[Site] = relationship(lazy="joined")


class DroppedSheet(Base):
    """A sheet of a migration. ``guesses``: what kinds of record it may be of, the likeliest first; ``import_id``: the
    import that draws on it, in a ``role``, once it is known what it is."""

    __tablename__ = "dropped_sheet"
    id: Mapped[int] = mapped_column(primary_key=True)
    migration_id: Mapped[int] = mapped_column(ForeignKey("migration.id", ondelete="CASCADE"), index=True)
    sheet_id: Mapped[int] = mapped_column(ForeignKey("sheet.id"))
    guesses: Mapped[list[Any]]
    import_id: Mapped[int | None] = mapped_column(ForeignKey("import.id", ondelete="SET NULL"))
    role: Mapped[str] = mapped_column(default="", server_default="")
    sheet: Mapped[StoredSheet] = relationship(lazy="joined")


class Import(Base):
    """Sheets going to one record type, as the site's description ``description_id`` has it. ``revision`` counts
    the changes to its rows: cells corrected, rows left out. ``archived_at``: put away with all that it did on the
    site. ``migration_id``: the migration that it is of."""

    __tablename__ = "import"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id"))
    description_id: Mapped[int] = mapped_column(ForeignKey("site_description.id"))
    record_type: Mapped[str]
    policy: Mapped[Json]
    created_by: Mapped[str]
    created_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    revision: Mapped[int] = mapped_column(default=0)
    archived_at: Mapped[dt.datetime | None]
    migration_id: Mapped[int | None] = mapped_column(ForeignKey("migration.id", ondelete="SET NULL"), index=True)
    site: Mapped[Site] = relationship(lazy="joined")


class Source(Base):
    """Where bytes come from, for all imports of a site that draw on it: a file that somebody gave."""

    __tablename__ = "source"
    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id", ondelete="CASCADE"), index=True)
    name: Mapped[str]
    by: Mapped[str]
    at: Mapped[dt.datetime] = mapped_column(server_default=func.now())


class Original(Base):
    """The bytes of a source as they came, never altered."""

    __tablename__ = "original"
    id: Mapped[int] = mapped_column(primary_key=True)
    source_id: Mapped[int] = mapped_column(ForeignKey("source.id", ondelete="CASCADE"), index=True)
    filename: Mapped[str]
    sha256: Mapped[str]
    size: Mapped[int] = mapped_column(BigInteger)


class OriginalPart(Base):
    """Some bytes of an original, in order."""

    __tablename__ = "original_part"
    original_id: Mapped[int] = mapped_column(ForeignKey("original.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    data: Mapped[bytes]


class FileContent(Base):
    """The bytes of files that values name, each once by their SHA-256, however many files have them."""

    __tablename__ = "file_content"
    sha256: Mapped[str] = mapped_column(primary_key=True)
    size: Mapped[int] = mapped_column(BigInteger)
    media: Mapped[str]


class FileContentPart(Base):
    """Some bytes of a file, in order."""

    __tablename__ = "file_content_part"
    sha256: Mapped[str] = mapped_column(ForeignKey("file_content.sha256", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    data: Mapped[bytes]


class NamedFile(Base):
    """A file that values may name, as an import was given it, or a migration for all of its imports. ``came_by``: its
    path in the archive ``came_in``, or the address that it was fetched from; ``problem``: why it cannot be handed in,
    as a predicate, or empty."""

    __tablename__ = "named_file"
    id: Mapped[int] = mapped_column(primary_key=True)
    import_id: Mapped[int | None] = mapped_column(ForeignKey("import.id", ondelete="CASCADE"))
    migration_id: Mapped[int | None] = mapped_column(ForeignKey("migration.id", ondelete="CASCADE"))
    came_by: Mapped[str]
    came_in: Mapped[str] = mapped_column(default="", server_default="")
    sha256: Mapped[str | None] = mapped_column(ForeignKey("file_content.sha256"), index=True)
    problem: Mapped[str] = mapped_column(default="", server_default="")
    __table_args__ = (
        Index(None, "import_id", "came_by", unique=True),
        Index(None, "migration_id", "came_by", unique=True),
    )


class StoredSheet(Base):
    """One reading of a sheet of an original; a changed dialect makes a new one."""

    __tablename__ = "sheet"
    id: Mapped[int] = mapped_column(primary_key=True)
    original_id: Mapped[int] = mapped_column(ForeignKey("original.id", ondelete="CASCADE"), index=True)
    dialect: Mapped[Json]
    headers: Mapped[list[Any]]
    notes: Mapped[list[Any]]
    flags: Mapped[Json]
    rows: Mapped[int]
    blank_lines: Mapped[int]
    profiles: Mapped[list[Any]] = mapped_column(deferred=True)
    offered: Mapped[list[Any]] = mapped_column(default=list)
    attachments: Mapped[list[Any]] = mapped_column(default=list)
    confidence: Mapped[float] = mapped_column(default=1.0)
    created_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    original: Mapped[Original] = relationship(lazy="joined")


class DrawnSheet(Base):
    """The sheet on which an import draws in a ``role``: the name by which its records know it, and none of its main
    one."""

    __tablename__ = "drawn_sheet"
    import_id: Mapped[int] = mapped_column(ForeignKey("import.id", ondelete="CASCADE"), primary_key=True)
    role: Mapped[str] = mapped_column(primary_key=True)
    sheet_id: Mapped[int] = mapped_column(ForeignKey("sheet.id"), index=True)


class Chunk(Base):
    """Some rows of a sheet as Parquet. ``first`` counts from 0; ``first_row`` and ``last_row`` are lines of the
    file."""

    __tablename__ = "chunk"
    sheet_id: Mapped[int] = mapped_column(ForeignKey("sheet.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    first: Mapped[int]
    rows: Mapped[int]
    first_row: Mapped[int] = mapped_column(BigInteger)
    last_row: Mapped[int] = mapped_column(BigInteger)
    parquet: Mapped[bytes]


class StoredCorrection(Base):
    """One cell of the sheet in a role corrected by hand, kept beside the original; no value: the correction was taken
    back. ``revision``: the import's, once that was done."""

    __tablename__ = "correction"
    import_id: Mapped[int] = mapped_column(ForeignKey("import.id", ondelete="CASCADE"), primary_key=True)
    role: Mapped[str] = mapped_column(primary_key=True, server_default="")
    row: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    column: Mapped[str] = mapped_column(primary_key=True)
    value: Mapped[str | None]
    revision: Mapped[int]
    by: Mapped[str]
    at: Mapped[dt.datetime] = mapped_column(server_default=func.clock_timestamp())


class LeftOutRow(Base):
    """One row left out by hand or, with ``out`` false, taken in again."""

    __tablename__ = "left_out_row"
    import_id: Mapped[int] = mapped_column(ForeignKey("import.id", ondelete="CASCADE"), primary_key=True)
    row: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    out: Mapped[bool]
    revision: Mapped[int]
    by: Mapped[str]
    at: Mapped[dt.datetime] = mapped_column(server_default=func.clock_timestamp())


class MappingVersion(Base):
    """One state of an import's mapping; the latest version counts."""

    __tablename__ = "mapping_version"
    id: Mapped[int] = mapped_column(primary_key=True)
    import_id: Mapped[int] = mapped_column(ForeignKey("import.id", ondelete="CASCADE"))
    version: Mapped[int]
    body: Mapped[Json]
    created_by: Mapped[str]
    created_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    __table_args__ = (UniqueConstraint("import_id", "version"),)


class LearningCleared(Base):
    """When somebody had suggestions for a kind of record go by nothing that was decided before."""

    __tablename__ = "learning_cleared"
    record_type: Mapped[str] = mapped_column(primary_key=True)
    at: Mapped[dt.datetime]
    by: Mapped[str]


class CheckResult(Base):
    """What one check of one sheet under one mapping found. ``ready``, ``held`` and ``left_out`` add up to ``rows``.

    ``basis``: digests of all that it rests on.
    """

    __tablename__ = "check_result"
    id: Mapped[int] = mapped_column(primary_key=True)
    import_id: Mapped[int] = mapped_column(ForeignKey("import.id", ondelete="CASCADE"), index=True)
    sheet_id: Mapped[int] = mapped_column(ForeignKey("sheet.id", ondelete="CASCADE"))
    mapping_version: Mapped[int]
    revision: Mapped[int]
    rows: Mapped[int]
    ready: Mapped[int]
    held: Mapped[int]
    left_out: Mapped[int]
    warned: Mapped[int]
    groups: Mapped[list[Any]]
    links: Mapped[list[Any]] = mapped_column(default=list, server_default=text("'[]'"))
    """How the references of each link fared."""
    basis: Mapped[Json] = mapped_column(default=dict)
    seconds: Mapped[float]
    created_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())


class StoredFinding(Base):
    """One finding of a check, of the record of that number where it is of one; ``line``: of what the record holds
    several of, which one; ``sheet``: the role of the sheet that its row is of."""

    __tablename__ = "finding"
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    check_id: Mapped[int] = mapped_column(ForeignKey("check_result.id", ondelete="CASCADE"))
    record: Mapped[int | None] = mapped_column(BigInteger)
    line: Mapped[int] = mapped_column(default=0, server_default="0")
    sheet: Mapped[str] = mapped_column(default="", server_default="")
    row: Mapped[int] = mapped_column(BigInteger)
    field: Mapped[str]
    rule: Mapped[str]
    blocks: Mapped[bool]
    value: Mapped[str | None]
    message: Mapped[str]
    accepted: Mapped[bool] = mapped_column(default=False)
    __table_args__ = (
        Index("ix_finding_group", "check_id", "field", "rule"),
        Index("ix_finding_record", "check_id", "record"),
    )


class LeftOutOfCheck(Base):
    """One row that a check passed over, and why."""

    __tablename__ = "left_out_of_check"
    check_id: Mapped[int] = mapped_column(ForeignKey("check_result.id", ondelete="CASCADE"), primary_key=True)
    row: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    reason: Mapped[str]


class StoredAcceptance(Base):
    """Findings that a person accepted: of one rule on one field, in one row or, without one, for good."""

    __tablename__ = "acceptance"
    id: Mapped[int] = mapped_column(primary_key=True)
    import_id: Mapped[int] = mapped_column(ForeignKey("import.id", ondelete="CASCADE"), index=True)
    field: Mapped[str]
    rule: Mapped[str]
    row: Mapped[int | None] = mapped_column(BigInteger)
    by: Mapped[str]
    at: Mapped[dt.datetime] = mapped_column(server_default=func.clock_timestamp())


class SiteRule(Base):
    """A rule that somebody added to a record type of a site, as a formula with a sentence."""

    __tablename__ = "site_rule"
    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id", ondelete="CASCADE"))
    record_type: Mapped[str]
    formula: Mapped[str]
    sentence: Mapped[str]
    blocks: Mapped[bool]
    by: Mapped[str]
    at: Mapped[dt.datetime] = mapped_column(server_default=func.clock_timestamp())
    __table_args__ = (Index("ix_site_rule_site_id", "site_id", "record_type"),)


class Kept(Base):
    """A mapping or a value table kept by name, for other imports. ``kind``: mapping or value table."""

    __tablename__ = "library"
    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str]
    name: Mapped[str]
    record_type: Mapped[str]
    body: Mapped[Json]
    by: Mapped[str]
    at: Mapped[dt.datetime] = mapped_column(server_default=func.clock_timestamp())
    __table_args__ = (UniqueConstraint("kind", "name"),)


class Plan(Base):
    """A rehearsal: the frozen plan, once it is ``frozen_at`` a moment. ``state``: reading, ready, stopped or failed.
    ``kind``: main, or undo or follow-up, then of the run ``of_run_id``.

    ``basis``: digests of all that it rests on; ``target``: the records, key and site that a run of it goes by.
    """

    __tablename__ = "plan"
    id: Mapped[int] = mapped_column(primary_key=True)
    import_id: Mapped[int] = mapped_column(ForeignKey("import.id", ondelete="CASCADE"), index=True)
    kind: Mapped[str] = mapped_column(default="main", server_default="main")
    of_run_id: Mapped[int | None]
    sheet_id: Mapped[int] = mapped_column(ForeignKey("sheet.id", ondelete="CASCADE"))
    policy: Mapped[Json]
    basis: Mapped[Json]
    target: Mapped[Json] = mapped_column(deferred=True)
    """It has what the site says of itself, which takes a while to read and is remembered."""
    records_read: Mapped[int] = mapped_column(default=0)
    """How many records there are on the site."""
    counts: Mapped[Json] = mapped_column(default=dict)
    changed_fields: Mapped[list[Any]] = mapped_column(default=list, deferred=True)
    made: Mapped[Json] = mapped_column(default=dict, server_default=text("'{}'"))
    """How many records of other types are made first, by the names of these."""
    put_right: Mapped[int] = mapped_column(default=0, server_default=text("0"))
    """How many records are changed once more at the end, as they mean each other."""
    handed_in: Mapped[int] = mapped_column(default=0, server_default=text("0"))
    """How many files are handed in for records, each by a request of its own."""
    created_by: Mapped[str]
    created_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    snapshot_at: Mapped[dt.datetime | None]
    key_spans: Mapped[Json] = mapped_column(default=dict, server_default=text("'{}'"))
    """Which stretch the keys of the ``sheet`` cover, and those of the ``site`` before, where they are numbers or
    days; ``both``: how many stand in either."""
    frozen_at: Mapped[dt.datetime | None] = mapped_column()
    state: Mapped[str] = _state(id, ("rehearse", "undo", "follow-up"), frozen_at, "ready")
    error: Mapped[str] = _error(id, ("rehearse", "undo", "follow-up"))

    @property
    def to_send(self) -> int:
        """For how many records anything is sent, those counted again that are changed once more."""
        made = sum(self.made.values()) + self.put_right + self.handed_in
        return made + sum(int(self.counts.get(action, 0)) for action in ("create", "update", "delete", "follow up"))


class PlanChunk(Base):
    """What some items of a plan are, as Parquet, never altered: those of a later chunk stand for those before."""

    __tablename__ = "plan_chunk"
    plan_id: Mapped[int] = mapped_column(ForeignKey("plan.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    parquet: Mapped[bytes]


class Awaited(Base):
    """An item of a plan that stands for a record which another import is to bring: its record ``of_item``."""

    __tablename__ = "awaited"
    plan_id: Mapped[int] = mapped_column(ForeignKey("plan.id", ondelete="CASCADE"), primary_key=True)
    item: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    import_id: Mapped[int] = mapped_column(ForeignKey("import.id", ondelete="CASCADE"))
    of_item: Mapped[int] = mapped_column(BigInteger)


class PlanAddress(Base):
    """The address on the site, as a run was told it, of the record of an item to which texts lead; none where the
    record has none, or is not there."""

    __tablename__ = "plan_address"
    plan_id: Mapped[int] = mapped_column(ForeignKey("plan.id", ondelete="CASCADE"), primary_key=True)
    item: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    address: Mapped[str | None]


class PlanField(Base):
    """In which items of a plan a field changes, their numbers as Parquet."""

    __tablename__ = "plan_field"
    plan_id: Mapped[int] = mapped_column(ForeignKey("plan.id", ondelete="CASCADE"), primary_key=True)
    field: Mapped[str] = mapped_column(primary_key=True)
    items: Mapped[bytes]


class PlanItem(Base):
    """What becomes of one record of a plan, which the ``chunk`` of that number tells.

    ``state``: pending, sending, done, failed, undone, or none where nothing is sent. ``wave``: it is sent when those of
    the waves before are over. ``record_type``: that of a record which is made since links mean it; empty where it is
    the import's own. ``of_item``: it changes the record of that item once more. ``run_id``: the run that it is of, once
    that is known; ``turn_id``: the worker's turn that has it.

    They go with their plan by a trigger: a foreign key would be asked about of each of a million that are kept at once.
    """

    __tablename__ = "plan_item"
    plan_id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    item: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    chunk: Mapped[int]
    action: Mapped[str]
    record_type: Mapped[str] = mapped_column(default="", server_default="")
    of_item: Mapped[int | None] = mapped_column(BigInteger)
    wave: Mapped[int] = mapped_column(default=0, server_default="0")
    state: Mapped[str]
    record_id: Mapped[str | None]
    etag: Mapped[str | None]
    page: Mapped[str | None]
    attempts: Mapped[int] = mapped_column(default=0, server_default="0")
    status: Mapped[int | None]
    took_ms: Mapped[int | None]
    message: Mapped[str] = mapped_column(default="", server_default="")
    run_id: Mapped[int | None]
    turn_id: Mapped[int | None]
    ended_at: Mapped[dt.datetime | None]
    __table_args__ = (
        # What is still to be sent, or on its way, in order, however much of the plan is done.
        Index("ix_plan_item_pending", "plan_id", "wave", "item", postgresql_where=text("state = 'pending'")),
        Index("ix_plan_item_sending", "plan_id", "wave", "item", postgresql_where=text("state = 'sending'")),
        Index("ix_plan_item_failed", "plan_id", "item", postgresql_where=text("state = 'failed'")),
        Index("ix_plan_item_once_more", "plan_id", "of_item", postgresql_where=text("of_item IS NOT NULL")),
        Index("ix_plan_item_action", "plan_id", "action", "item"),
        Index("ix_plan_item_ended", "run_id", "ended_at", postgresql_where=text("ended_at IS NOT NULL")),
    )


class Run(Base):
    """A plan carried out, or a part of it. ``kind``: pilot, main, undo or follow-up; ``total`` of its items are sent.
    Its plan stays as long as it does. ``state``: waiting, running, paused, done, failed, or ended by somebody before
    all was sent."""

    __tablename__ = "run"
    id: Mapped[int] = mapped_column(primary_key=True)
    plan_id: Mapped[int] = mapped_column(ForeignKey("plan.id", ondelete="RESTRICT"), index=True)
    kind: Mapped[str] = mapped_column(default="main", server_default="main")
    total: Mapped[int] = mapped_column(default=0, server_default="0")
    state: Mapped[str]
    error: Mapped[str] = mapped_column(default="")
    started_by: Mapped[str]
    created_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    started_at: Mapped[dt.datetime | None]
    ended_at: Mapped[dt.datetime | None]
    done: Mapped[int] = mapped_column(default=0, server_default="0")
    failed: Mapped[int] = mapped_column(default=0, server_default="0")
    plan: Mapped[Plan] = relationship(lazy="joined")


class RunPart(Base):
    """How far a run has come with the records of a type for which the same is done."""

    __tablename__ = "run_part"
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"), primary_key=True)
    record_type: Mapped[str] = mapped_column(primary_key=True)
    action: Mapped[str] = mapped_column(primary_key=True)
    total: Mapped[int] = mapped_column(default=0, server_default="0")
    done: Mapped[int] = mapped_column(default=0, server_default="0")
    failed: Mapped[int] = mapped_column(default=0, server_default="0")


class RunEvent(Base):
    """Something that happened in a run: ``mark`` says how it is taken, good, warned, held or same."""

    __tablename__ = "run_event"
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"))
    at: Mapped[dt.datetime] = mapped_column(server_default=func.clock_timestamp())
    mark: Mapped[str]
    text: Mapped[str]
    __table_args__ = (Index("ix_run_event_run_id", "run_id", "id"),)


class RunPoint(Base):
    """How fast a turn at a run went in some ``seconds`` up to a moment: so many requests were ``answered``."""

    __tablename__ = "run_point"
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"), primary_key=True)
    turn_id: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[dt.datetime] = mapped_column(primary_key=True)
    answered: Mapped[int]
    seconds: Mapped[float]
    response_ms: Mapped[float]


class Turn(Base):
    """A worker's part in a run. What it has on its way is its own until ``lease_until``, and in doubt from then on.
    ``share``: as many requests of it may be under way at a time; ``rate`` and ``response_ms``: how fast it goes."""

    __tablename__ = "turn"
    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"), index=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id", ondelete="CASCADE"), index=True)
    lease_until: Mapped[dt.datetime]
    share: Mapped[int] = mapped_column(default=0, server_default="0")
    rate: Mapped[float] = mapped_column(default=0.0, server_default="0")
    response_ms: Mapped[float] = mapped_column(default=0.0, server_default="0")


class SitePace(Base):
    """When the next request to a site may begin, whichever worker makes it."""

    __tablename__ = "site_pace"
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id", ondelete="CASCADE"), primary_key=True)
    next_at: Mapped[dt.datetime]


class Verification(Base):
    """The site read back after a run. ``state``: reading, done, stopped or failed."""

    __tablename__ = "verification"
    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"), index=True)
    records_on_site: Mapped[int | None]
    compared: Mapped[int] = mapped_column(default=0)
    fields_compared: Mapped[int] = mapped_column(default=0)
    tolerated: Mapped[int] = mapped_column(default=0, server_default="0")
    """How many of the fields differ in what somebody has accepted."""
    proof: Mapped[Json] = mapped_column(default=dict, server_default=text("'{}'"))
    """What was looked at besides, as ``stations.proof`` tells it."""
    created_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    ended_at: Mapped[dt.datetime | None] = mapped_column()
    state: Mapped[str] = _state(id, ("verify",), ended_at, "done")
    error: Mapped[str] = _error(id, ("verify",))


class AcceptedTolerance(Base):
    """Something that a site does to a field of a record type by itself, which somebody has accepted: the ``rule`` of
    that name."""

    __tablename__ = "tolerance"
    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id", ondelete="CASCADE"))
    record_type: Mapped[str]
    field: Mapped[str]
    rule: Mapped[str]
    by: Mapped[str]
    at: Mapped[dt.datetime] = mapped_column(server_default=func.clock_timestamp())
    __table_args__ = (UniqueConstraint("site_id", "record_type", "field", "rule"),)


class StoredMismatch(Base):
    """One field that the site holds otherwise than it was sent; an empty field: the record is not there."""

    __tablename__ = "mismatch"
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    verification_id: Mapped[int] = mapped_column(ForeignKey("verification.id", ondelete="CASCADE"), index=True)
    item: Mapped[int] = mapped_column(BigInteger)
    record_id: Mapped[str | None]
    key: Mapped[str | None]
    field: Mapped[str]
    sent: Mapped[Any] = mapped_column(JSONB)
    found: Mapped[Any] = mapped_column(JSONB)
    rule: Mapped[str] = mapped_column(default="", server_default="")
    """What explains the difference: something that sites do to values by themselves."""
