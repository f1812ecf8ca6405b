"""Sends a plan's rows: claimed in small lots, sent side by side, outcomes kept as they come."""

from __future__ import annotations

import asyncio
import contextlib
import datetime as dt
import logging
import socket
import time
import uuid
from collections import Counter, deque
from collections.abc import Mapping
from dataclasses import replace
from typing import NamedTuple

from sqlalchemy import select

from datorum.core.errors import AnotherRecord, DatorumError, error_sentence
from datorum.core.files import HeldFile, file_meant
from datorum.core.link import Known, addresses_meant, rows_meant, with_records
from datorum.core.model import Action, PlanRow, Policy, SiteRecord
from datorum.settings import settings
from datorum.sites import NO_LIMITS, Answer, MailRule, Outcome, SiteLimits, Upload
from datorum.sites.retry import GiveUp, Retry, Wait
from datorum.sites.throttle import Stopped, Throttle
from datorum.stations.doubts import Destination, Doubts, untold
from datorum.stations.following import Follow
from datorum.stations.led_to import Addressed, LedTo
from datorum.stations.named_files import content_of
from datorum.stations.turns import LeaseLost, turn_at
from datorum.store import models, plan_items
from datorum.store.database import looking, session
from datorum.store.plan_items import Settled
from datorum.store.run_notes import note

log = logging.getLogger(__name__)
_LOT = 128
_DOUBTS = 1_000
_LOOKS_FOR_OTHERS = 0.3
_RETRY = Retry(tries=7)
_KEEP_EVERY = 0.25
_TELLS_AGAIN = 10.0
"""Seconds before it is told again that the site asks for time."""
_LOOKS_EVERY = 2.0
"""Seconds between looks whether a run that waits is still wanted."""
_CHANGED = 412
"""Precondition Failed (RFC 9110, 15.5.13): the record is no longer what the entity tag stands for."""


class _SiteAway(DatorumError):
    """The site did not take a row however often it was asked."""

    code = "site-away"


class Part(NamedTuple):
    """What a worker takes part in: a run of a plan to a site. ``of_part``: the run carries out a part of the plan."""

    run_id: int
    plan_id: int
    site_id: int
    of_part: bool = False


class Sender:
    """One worker's turn at one run. ``to``: where the import's records go, under no name, and those of the types that
    are made since links mean them. ``follow``: what is done for a record where that changes none of its fields;
    ``addressed``: where the addresses are read to which texts lead, by record type."""

    def __init__(
        self, to: Mapping[str, Destination], part: Part, policy: Policy, limits: SiteLimits = NO_LIMITS,
        follow: Follow | None = None, addressed: Mapping[str, Addressed] | None = None,
    ) -> None:  # fmt: skip
        self._to = to
        self._doubtful = Doubts(to)
        self._follow = follow
        self._led_to = LedTo(part.plan_id, addressed or {}, settings().concurrency)
        self._part = part
        self._mail = MailRule(policy.send_mail, policy.mails)
        self._limits = limits
        self._throttle = Throttle(min(settings().concurrency, limits.concurrency or settings().concurrency))
        self._rows: asyncio.Queue[PlanRow | None] = asyncio.Queue(maxsize=_LOT)
        self._settled: list[Settled] = []
        self._doubts: list[PlanRow] = []
        self._times: deque[tuple[float, float]] = deque(maxlen=400)
        self._answered = 0
        self._stopping = False
        self._pushed_at = -_TELLS_AGAIN
        self._wave = 0
        self._lead_nowhere: set[int] = set()
        self.why_paused = ""

    async def work(self) -> bool:
        """Send until nothing is pending, beside whoever else does. False where the run was paused, by a person or
        because the site is away. Raises LeaseLost where others may have by now what was this turn's."""
        async with turn_at(self._part.run_id, self._part.site_id, self._limits, self._throttle) as turn:
            self._turn = turn
            await asyncio.to_thread(self._note, "same", f"A worker takes part, on {socket.gethostname()}.")
            tried: Counter[int] = Counter()
            while not self._stopping:
                wave = await asyncio.to_thread(
                    plan_items.open_wave, self._part.plan_id, self._part.run_id, part=self._part.of_part
                )
                if wave is None:
                    await asyncio.to_thread(self._tell_of_addresses)
                    return True
                self._wave = wave
                left = await asyncio.to_thread(plan_items.in_doubt, *self._mine, _DOUBTS, wave)
                # They are compared as they were sent.
                taken = await self._with_records(left)
                self._doubts += taken
                sent = bool(left or self._doubts)
                await self._settle_doubts(taken)
                sent |= await self._send_pending()
                tried[wave] += bool(self._doubts)
                if tried[wave] > _RETRY.tries:
                    why = f"The connection broke again and again; {len(self._doubts):,} rows are in doubt."
                    self._stop(why)
                elif not sent and not self._stopping:
                    # Others are at it, and what is meant goes before what means it.
                    await asyncio.sleep(_LOOKS_FOR_OTHERS)
                    await self._look_whether_wanted()
            turn.must_last()
        return False

    def _tell_of_addresses(self) -> None:
        """Say how many records have no address here by which texts that were sent could lead to them."""
        count = len(self._lead_nowhere)
        if count:
            said = f"{count:,} record{'' if count == 1 else 's'} to which texts lead {'is' if count == 1 else 'are'}"
            self._note("warned", f"{said} not on the site: the addresses stay as they were.")

    @property
    def _mine(self) -> tuple[int, int, int]:
        return self._part.plan_id, self._part.run_id, self._turn.id

    def _stop(self, why: str = "") -> None:
        """Let what is on its way come to its end, and begin nothing more. ``why``, where no person asked for it."""
        self._stopping = True
        self.why_paused = self.why_paused or why
        self._throttle.stop()

    async def _send_pending(self) -> bool:
        """Send until nothing is pending, or the run is to pause. Where the site cannot be asked for one record, rows
        that fall in doubt are left for one look at all of it. Whether there was anything to send."""
        over = asyncio.Event()
        keeping = asyncio.create_task(self._keep_while_sending(over))
        try:
            async with asyncio.TaskGroup() as group:
                claiming = group.create_task(self._claim())
                for _ in range(settings().concurrency):
                    group.create_task(self._send_rows())
        finally:
            # It is let finish: outcomes that it is writing are with it alone.
            over.set()
            await keeping
            await self._keep()
        return claiming.result()

    async def _claim(self) -> bool:
        """Put rows on the queue until there are none or the run is to pause. Whether there were any."""
        any_there = False
        while not self._stopping:
            await self._look_whether_wanted()
            await self._sit_out_quiet_hours()
            if self._stopping:
                break
            rows = await asyncio.to_thread(plan_items.claim, *self._mine, _LOT, self._wave, part=self._part.of_part)
            if not rows:
                break
            any_there = True
            for row in await self._with_records(rows):
                await self._rows.put(row)
        for _ in range(settings().concurrency):
            await self._rows.put(None)
        return any_there

    async def _with_records(self, rows: list[PlanRow]) -> list[PlanRow]:
        """Rows with the records that they mean in place, and the addresses to which their texts lead. One whose record
        was not made fails, and is not sent."""
        wanted = {row.item: rows_meant(row.changes) | ({row.of_item} if row.of_item is not None else set())
                  for row in rows}  # fmt: skip
        led = {row.item: addresses_meant(row.changes) for row in rows}
        if not any(wanted.values()) and not any(led.values()):
            return rows
        meant = sorted(set[int]().union(*wanted.values(), *led.values()))
        known = await asyncio.to_thread(plan_items.record_ids, self._part.plan_id, meant)
        tags = await asyncio.to_thread(_tags_of_led, self._part.plan_id, rows, led)
        addresses = await self._led_to.addresses(set[int]().union(*led.values()), known) if any(led.values()) else {}
        self._lead_nowhere |= {item for item, address in addresses.items() if address is None}
        ready = []
        for row in rows:
            missing = [number for number in wanted[row.item] if number not in known]
            if missing:
                said = await asyncio.to_thread(_not_there, self._part.plan_id, missing[0])
                self._settled.append(Settled(row.item, "failed", message=said))
                continue
            if wanted[row.item] or led[row.item]:
                changes = with_records(row.changes, Known(known, addresses), self._to[row.record_type].record_type)
                record_id = row.record_id if row.of_item is None else known[row.of_item]
                row = replace(row, changes=changes, record_id=record_id, etag=tags.get(row.item, row.etag))
            ready.append(row)
        return ready

    async def _sit_out_quiet_hours(self) -> None:
        """Wait, and say so, while the site is to be left alone."""
        said = ""
        while not self._stopping and (over := self._limits.quiet_until(dt.datetime.now(dt.UTC))):
            said = f"The site has quiet hours until {over:%H:%M} ({self._limits.zone}). It goes on then."
            await asyncio.to_thread(self._say, said)
            left = (over - dt.datetime.now(dt.UTC)).total_seconds()
            with contextlib.suppress(Stopped):
                await self._throttle.wait(min(max(left, 0.0), _LOOKS_EVERY))
            await self._look_whether_wanted()
        if said:
            await asyncio.to_thread(self._say, "")

    def _note(self, mark: str, text: str) -> None:
        with session() as store:
            note(store, self._part.run_id, mark, text)

    async def _pushed_back(self, answer: Answer) -> None:
        """Slow down, and say so, once for all that were answered so together."""
        now = time.monotonic()
        self._throttle.pushed_back(answer.wait if answer.outcome is Outcome.LATER else answer.wait or 0.1)
        if answer.outcome is Outcome.LATER and now - self._pushed_at > _TELLS_AGAIN:
            self._pushed_at = now
            wait = f"to wait {answer.wait:,.0f} seconds" if answer.wait else "for time"
            status = f" ({answer.status})" if answer.status else ""
            await asyncio.to_thread(self._note, "warned", f"The site asked {wait}{status}.")

    def _say(self, what: str) -> None:
        with session() as store:
            run = store.get(models.Run, self._part.run_id)
            if run is not None and run.state == "running":
                run.error = what

    async def _send_rows(self) -> None:
        while (row := await self._rows.get()) is not None:
            try:
                # Awaited first: ``_settled`` is another list by the time the row is through.
                settled = await self._send(row)
                if settled is None:
                    self._doubts.append(row)
                else:
                    self._settled.append(settled)
            except Stopped:
                # Nothing of it is on the site: it goes back.
                self._settled.append(Settled(row.item, "pending"))
            except LeaseLost:
                # What becomes of it is for whoever has it next.
                self._stop()
            except DatorumError as error:
                self._stop(error_sentence(error))

    async def _send(self, row: PlanRow) -> Settled | None:
        """One row to its end, None where it is to be looked up with others. Raises _SiteAway where the site cannot be
        brought to answer; the row then stays in doubt, or is pending again where it is known that nothing was done.
        Raises Stopped where nothing was done and nothing more is to be begun."""
        decision: Wait | GiveUp = Wait(0.0)
        tried = 0
        while isinstance(decision, Wait):
            tried += 1
            await self._throttle.wait(decision.seconds)
            async with self._throttle.turn():
                await self._turn.may_begin()
                began = time.monotonic()
                answer = await self._request(row)
                took = time.monotonic() - began
                self._times.append((time.monotonic(), took))
                self._answered += 1
            match answer.outcome:
                case Outcome.DONE:
                    self._throttle.answered(answer.wait)
                    return _done(row, answer, took)
                case Outcome.REFUSED:
                    self._throttle.answered()
                    return Settled(row.item, "failed", status=answer.status, message=answer.message, took_ms=_ms(took))
                case Outcome.LATER:
                    await self._pushed_back(answer)
                case Outcome.IN_DOUBT:
                    await self._pushed_back(answer)
                    if row.action is Action.FOLLOW_UP:
                        return untold(row)
                    to = self._to[row.record_type]
                    if row.action is not Action.CREATE or not to.sends_again:
                        if row.action is Action.CREATE and not to.can_ask:
                            return None
                        settled = (await self._doubtful.looked_up([row]))[0]
                        if settled.state != "pending":
                            return settled
            decision = _RETRY.after(tried, answer.wait)
        if answer.outcome is Outcome.LATER:
            self._settled.append(Settled(row.item, "pending", message=answer.message))
        raise _SiteAway(
            f"The site does not take records just now ({answer.message}). {decision.why}".strip(),
            remedy="Continue when it does.",
        )

    def _key_of(self, row: PlanRow) -> str:
        """An Idempotency-Key: the same however often the row is sent."""
        return str(uuid.uuid5(uuid.NAMESPACE_OID, f"{self._part.plan_id} {row.item}"))

    async def _request(self, row: PlanRow) -> Answer:
        try:
            return await self._asked(row)
        except AnotherRecord as error:
            return Answer(Outcome.REFUSED, message=error_sentence(error))

    async def _asked(self, row: PlanRow) -> Answer:
        if row.action is Action.FOLLOW_UP:
            assert self._follow is not None
            return await self._follow(row, self._key_of(row))
        values = {path: change.after for path, change in row.changes.items()}
        files = {path: file for path, value in values.items() if (file := file_meant(value)) is not None}
        if files:
            values |= await asyncio.to_thread(_read, files)
        to = self._to[row.record_type]
        site = to.site
        if row.action is Action.CREATE:
            key = self._key_of(row) if to.takes_key else None
            return await site.create(values, mail=self._mail, key=key, like=row.on_site)
        assert row.record_id is not None
        if row.action is Action.DELETE:
            return await self._delete(row, row.record_id)
        if row.etag is not None and not to.replaces:
            was = None if row.on_site is None else SiteRecord(row.record_id, row.on_site, row.etag)
            answer = await site.update(row.record_id, row.etag, values, mail=self._mail, was=was)
            if answer.status != _CHANGED:
                return answer
        # The list gave no entity tag, or it is another by now, perhaps for a field that the plan does not touch, or the
        # whole record is sent, of which all else is to be as it is now:
        # compare with what the rehearsal saw before changing anything.
        record = await site.read(row.record_id)
        if record is None:
            return Answer(Outcome.REFUSED, status=404, message="The record is no longer on the site.")
        changed = [path for path in row.changes if not self._doubtful.holds(record, row, path, "before")]
        if changed:
            return Answer(
                Outcome.REFUSED,
                message=f"Changed on the site since the rehearsal: {', '.join(changed)}. It was left alone.",
            )
        return await site.update(row.record_id, record.etag, values, mail=self._mail, was=record)

    async def _delete(self, row: PlanRow, record_id: str) -> Answer:
        """Take a record away, as long as it is still what the plan knows of it."""
        site = self._to[row.record_type].site
        record = await site.read(record_id)
        if record is None:
            return Answer(Outcome.DONE, message="It was gone already.")
        changed = [path for path in row.changes if not self._doubtful.holds(record, row, path, "before")]
        if changed or (not row.changes and row.etag and record.etag and row.etag != record.etag):
            what = f": {', '.join(changed)}" if changed else ""
            return Answer(Outcome.REFUSED, message=f"Changed on the site since the rehearsal{what}. It was left there.")
        return await site.delete(record_id, record.etag)

    async def _settle_doubts(self, left_by_others: list[PlanRow]) -> None:
        """Find out what became of all rows that are in doubt, and keep it."""
        doubts, self._doubts = self._doubts, []
        if not doubts:
            return
        settled = await self._doubtful.looked_up(doubts)
        self._settled += settled
        await self._keep()
        if left_by_others:
            numbers = {row.item for row in left_by_others}
            arrived = sum(one.state == "done" for one in settled if one.item in numbers)
            count = len(left_by_others)
            its = f"its {count:,} records on the way were" if count > 1 else "its record on the way was"
            await asyncio.to_thread(
                self._note, "warned", f"A worker was cut off; {its} asked for, {arrived:,} had arrived."
            )

    async def _keep_while_sending(self, over: asyncio.Event) -> None:
        while not over.is_set():
            with contextlib.suppress(TimeoutError):
                await asyncio.wait_for(over.wait(), _KEEP_EVERY)
            try:
                await self._keep()
            except Exception:
                # The next time may be better; the last one raises.
                log.warning("the outcomes of run %s cannot be written just now", self._part.run_id, exc_info=True)

    async def _keep(self) -> None:
        """Write outcomes and figures; what comes meanwhile waits for the next time, as does what cannot be written."""
        settled, self._settled = self._settled, []
        try:
            await asyncio.to_thread(plan_items.settle, *self._mine, settled)
        except Exception:
            self._settled[:0] = settled
            raise
        await self._look_whether_wanted()

    async def _look_whether_wanted(self) -> None:
        if self._turn.lost or not await asyncio.to_thread(self._is_wanted, list(self._times)):
            self._stop()

    def _is_wanted(self, times: list[tuple[float, float]]) -> bool:
        """Whether the run is to go on. How fast it goes is written besides, and quiet hours hold as they are now."""
        self._turn.tell(times, self._answered)
        with looking() as store:
            with_limits = select(models.Run.state, models.Site.limits).select_from(models.Run)
            of_site = with_limits.join(models.Site, models.Site.id == self._part.site_id)
            found = store.execute(of_site.where(models.Run.id == self._part.run_id)).one_or_none()
        if found is not None:
            self._limits = SiteLimits.kept(found.limits)
        return found is not None and found.state == "running"


def _tags_of_led(plan_id: int, rows: list[PlanRow], led: Mapping[int, set[int]]) -> dict[int, str]:
    """By the items that give texts the addresses they lacked at first the entity tags that their records had when they
    were made: a site may write a text otherwise than it was sent."""
    again = {row.item: row.of_item for row in rows if row.of_item is not None and led[row.item]}
    tags = plan_items.etags(plan_id, set(again.values())) if again else {}
    return {item: tags[of] for item, of in again.items() if of in tags}


def _read(files: Mapping[str, HeldFile]) -> dict[str, Upload]:
    """Files with their bytes."""
    with session() as store:
        return {path: Upload(file.name, file.media, content_of(store, file)) for path, file in files.items()}


def _not_there(plan_id: int, item: int) -> str:
    """Why a record is not sent that means another."""
    with session() as store:
        meant = plan_items.rows(store, plan_id, [item]).get(item)
    if meant is not None and meant.action is Action.AWAITED:
        return f"“{meant.key}”, which it means, is not on the site: it was {meant.reason}."
    return f"The record of row {item:,}, which it means, is not on the site."


def _done(row: PlanRow, answer: Answer, took: float) -> Settled:
    record = answer.record
    settled = Settled(row.item, "done", status=answer.status, message=answer.message, took_ms=_ms(took))
    if record is None:
        # The record of an item that is changed once more is known only by now.
        return replace(settled, record_id=row.record_id)
    return replace(settled, record_id=record.id, etag=record.etag, page=record.page)


def _ms(seconds: float) -> int:
    return round(1000 * seconds)
