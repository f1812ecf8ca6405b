"""What came of a run, signed: nothing of it can be altered unseen."""

from __future__ import annotations

import base64
import hashlib
import json
import shutil
import subprocess
from pathlib import Path

import pytest
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PublicKey
from cryptography.hazmat.primitives.serialization import load_pem_public_key

from datorum.stations import run, summary_pdf
from datorum.stations.summary import SignedSummary, as_html, summary_of
from datorum.stations.summary_pdf import as_pdf
from datorum.store import signing
from datorum.store.database import session
from tests.processes import StandIn
from tests.stations.conftest import Journey


def summed_up(journey: Journey) -> SignedSummary:
    now = journey.now().run
    assert now is not None
    with session() as store:
        return summary_of(store, run.get_run(store, now.id))


def test_a_run_is_summed_up_with_its_file_its_counts_and_its_proof(
    small: Journey, site: StandIn, tmp_path: Path
) -> None:
    planned = small.rehearse().rehearse
    assert planned is not None
    small.run()
    assert json.loads(summed_up(small).signed)["proof"] == {"verified": False}
    site.behave(alter_city=True)
    small.verify()
    signed = summed_up(small)
    told = json.loads(signed.signed)
    assert told["plan"]["counts"] == planned.counts
    assert told["run"]["done"] == told["run"]["to be sent"] == planned.to_send
    assert told["files"][0]["SHA-256"] == hashlib.sha256((tmp_path / "customers.csv").read_bytes()).hexdigest()
    assert (told["proof"]["verified"], told["proof"]["records compared"]) == (True, planned.to_send)
    assert len(told["audit log"]["hash"]) == 64
    page = as_html(signed)
    assert signed.signature in page
    assert "<script" not in page
    document = as_pdf(signed)
    assert document.startswith(b"%PDF-")
    # A page at least, with a title that says what it is.
    assert b"/Type /Page\n" in document
    assert b"/Title" in document


def test_a_document_is_made_where_there_is_no_font_for_all_letters(
    small: Journey, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setattr(summary_pdf, "_FONTS", tmp_path)
    small.rehearse()
    small.run()
    signed = summed_up(small)
    other = signed.model_copy(update={"signed": signed.signed.replace("customers", "kunder → Ż")})
    assert as_pdf(other).startswith(b"%PDF-")


def test_its_signature_is_checked_as_it_says_and_holds_for_no_other_text(
    small: Journey, site: StandIn, tmp_path: Path
) -> None:
    small.rehearse()
    small.run()
    signed = summed_up(small)
    assert signing.is_signed(signed.signed, signed.signature)
    assert not signing.is_signed(signed.signed.replace('"done"', '"Done"'), signed.signature)
    assert not signing.is_signed(signed.signed, "AAAA")
    for name, data in (("summary.txt", signed.signed.encode()), ("summary.sig", base64.b64decode(signed.signature)),
                       ("key.pem", signed.public_key.encode())):  # fmt: skip
        (tmp_path / name).write_bytes(data)
    # The key alone is enough as well.
    public = load_pem_public_key(signed.public_key.encode())
    assert isinstance(public, Ed25519PublicKey)
    public.verify(base64.b64decode(signed.signature), signed.signed.encode())
    if shutil.which("openssl") is None:
        return
    command = signed.how_to_check.partition("then: ")[2].split()
    done = subprocess.run(command, cwd=tmp_path, capture_output=True, text=True)
    assert "Verified Successfully" in done.stdout
