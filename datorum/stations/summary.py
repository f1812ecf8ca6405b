"""What came of a run, summed up and signed: who did what when, with which file, what was proven, and what was not."""

from __future__ import annotations

import datetime as dt
import html
import json
from typing import Any

from pydantic import BaseModel
from sqlalchemy import select
from sqlalchemy.orm import Session

from datorum.stations.history import failed_told, mismatches_told
from datorum.stations.imports import get_import
from datorum.stations.undo import count_taken_back
from datorum.stations.verify import count_mismatches, latest_verification
from datorum.store import audit, models, signing
from datorum.store.run_notes import notes_of

_TOLD = 200
_CHECK = (
    "Save the text between the marks as summary.txt, the signature (decoded from Base64) as summary.sig and the key as"
    " key.pem, then: openssl pkeyutl -verify -rawin -pubin -inkey key.pem -sigfile summary.sig -in summary.txt"
)


class SignedSummary(BaseModel):
    """``signed``: the summary as JSON text, to the letter as it was signed."""

    signed: str
    algorithm: str
    signature: str
    public_key: str
    how_to_check: str


def summary_of(store: Session, run: models.Run) -> SignedSummary:
    """What came of a run, signed."""
    text = json.dumps(_told(store, run), ensure_ascii=False, indent=2, default=str)
    return SignedSummary(signed=text, algorithm="Ed25519", signature=signing.sign(text),
                         public_key=signing.public_key(), how_to_check=_CHECK)  # fmt: skip


def _told(store: Session, run: models.Run) -> dict[str, Any]:
    item, plan = get_import(store, run.plan.import_id), run.plan
    audit.seal_new(store)
    store.flush()
    number, seal = audit.last_seal(store)
    return {
        "import": item.name, "site": item.site.name, "address": item.site.address, "records": item.record_type,
        "run": {"number": run.id, "kind": run.kind, "state": run.state, "started by": run.started_by,
                "started": _at(run.started_at), "ended": _at(run.ended_at), "to be sent": run.total, "done": run.done,
                "refused": run.failed, "taken back": count_taken_back(store, run)},
        "files": _files(store, plan),
        "plan": {"made by": plan.created_by, "made": _at(plan.created_at), "site read": _at(plan.snapshot_at),
                 "policy": plan.policy, "counts": plan.counts, "made first": plan.made},
        "what happened": [{"at": _at(one.at), "what": one.text} for one in reversed(notes_of(store, run.id, _TOLD))],
        "refused": [{"row": one.row, "key": one.key, "the site said": one.message}
                    for one in failed_told(store, run)[:_TOLD]],
        "proof": _proof(store, run),
        "audit log": {"last seal": number, "hash": seal},
        "summed up": _at(dt.datetime.now(dt.UTC)),
    }  # fmt: skip


def _files(store: Session, plan: models.Plan) -> list[dict[str, Any]]:
    sheet, original = models.StoredSheet, models.Original
    numbers = [int(one) for one in str(plan.basis.get("sheet", plan.sheet_id)).split()] or [plan.sheet_id]
    asked = (
        select(original.filename, original.sha256, original.size, sheet.rows).join(sheet).where(sheet.id.in_(numbers))
    )
    return [{"name": name, "SHA-256": digest, "bytes": size, "rows": rows}
            for name, digest, size, rows in store.execute(asked.order_by(sheet.id))]  # fmt: skip


def _proof(store: Session, run: models.Run) -> dict[str, Any]:
    kept = latest_verification(store, run.id)
    if kept is None or kept.state != "done":
        return {"verified": False}
    differ = [{"row": one.row, "key": one.key, "field": one.field, "sent": one.sent, "found": one.found}
              for one in mismatches_told(store, run)[:_TOLD]]  # fmt: skip
    return {"verified": True, "at": _at(kept.ended_at), "records on the site": kept.records_on_site,
            "records compared": kept.compared, "fields compared": kept.fields_compared,
            "fields that differ": count_mismatches(store, kept.id), "what differs": differ}  # fmt: skip


def _at(moment: dt.datetime | None) -> str | None:
    return None if moment is None else moment.astimezone(dt.UTC).isoformat(timespec="seconds")


def as_html(signed: SignedSummary) -> str:
    """A signed summary as a page that stands by itself."""
    told = json.loads(signed.signed)
    parts = "".join(f"<section><h2>{_said(name)}</h2>{_shown(value)}</section>" for name, value in told.items()
                    if isinstance(value, dict | list))  # fmt: skip
    heads = {name: value for name, value in told.items() if not isinstance(value, dict | list)}
    title = f"{_said(told['import'])}, run {told['run']['number']}"
    return f"""<!doctype html><html lang="en"><meta charset="utf-8"><title>{title}</title>
<style>
body {{ max-width: 60rem; margin: 2rem auto; padding: 0 1rem; font: 15px/1.45 sans-serif; color: #1d2731; }}
table {{ border-collapse: collapse; }} td, th {{ padding: 2px 18px 2px 0; text-align: left; vertical-align: top;
font-weight: 400; border-bottom: 1px solid #f0ece2; }} th {{ color: #5a6670; }} h1 {{ font-size: 1.4rem; }}
h2 {{ font-size: 1.05rem; margin: 1.4rem 0 .3rem; }}
pre {{ white-space: pre-wrap; overflow-wrap: anywhere; font-size: 11px; }}
</style>
<h1>{title}</h1>{_shown(heads)}{parts}
<section><h2>Signature</h2><p>{_said(signed.how_to_check)}</p><pre>{_said(signed.public_key)}</pre>
<pre>{_said(signed.signature)}</pre><details><summary>The text that is signed</summary><pre>{_said(signed.signed)}</pre>
</details></section></html>"""


def _shown(value: Any) -> str:
    if isinstance(value, dict):
        rows = "".join(f"<tr><th>{_said(name)}</th><td>{_shown(one)}</td></tr>" for name, one in value.items())
        return f"<table>{rows}</table>" if rows else "none"
    if isinstance(value, list):
        if value and all(isinstance(one, dict) for one in value):
            names = list(value[0])
            head = "".join(f"<th>{_said(name)}</th>" for name in names)
            rows = "".join(
                f"<tr>{''.join(f'<td>{_shown(one.get(name))}</td>' for name in names)}</tr>" for one in value
            )
            return f"<table><tr>{head}</tr>{rows}</table>"
        return ", ".join(map(_shown, value)) or "none"
    return _said(f"{value:,}" if isinstance(value, int) and not isinstance(value, bool) else value)


def _said(value: Any) -> str:
    return "" if value is None else html.escape(str(value))
