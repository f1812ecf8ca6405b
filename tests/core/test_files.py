"""Which file a value names, what a file is, and what stands for it in a plan."""

from __future__ import annotations

import pytest

from datorum.core.files import Files, HeldFile, amiss, file_meant, is_address, media_of, name_of, said_of_file
from datorum.core.model import LinkRule

BEAN = HeldFile("bean.jpg", "ab" * 32, 12, "image/jpeg")
OTHER = HeldFile("bean.jpg", "cd" * 32, 13, "image/jpeg")


@pytest.mark.parametrize(
    ("reference", "name"),
    [("bean.jpg", "bean.jpg"), ("a\\b\\bean.jpg", "bean.jpg"), ("./a/bean.jpg", "bean.jpg"), ("", ""),
     ("https://old.example/a/r%C3%B8d%20bean.jpg?w=300#x", "rød bean.jpg"), ("https://old.example", "")],
)  # fmt: skip
def test_a_file_is_called_by_the_end_of_its_path_or_address(reference: str, name: str) -> None:
    assert name_of(reference) == name


def test_a_path_is_held_against_as_many_folders_as_both_name() -> None:
    files = Files([("shop/2019/bean.jpg", BEAN), ("shop/2020/bean.jpg", OTHER), ("shop/pod.jpg", BEAN)])
    assert files.find("2019/Bean.JPG") == BEAN
    assert files.find("/export/shop/2020/bean.jpg") == OTHER
    assert files.find("https://old.example/uploads/2020/bean.jpg") == OTHER
    assert "several files" in str(files.find("bean.jpg"))
    assert files.find("2021/bean.jpg") == "is not among the files that are here"
    # The same file in two places is one.
    assert Files([("a/bean.jpg", BEAN), ("b/bean.jpg", BEAN)]).find("bean.jpg") == BEAN


def test_an_address_is_lacking_until_it_was_fetched_and_after_that_failed() -> None:
    there, gone = "https://old.example/bean.jpg", "https://old.example/gone.jpg"
    assert Files().lacks(there)
    files = Files([(there, BEAN), (gone, "cannot be fetched: its address answers 404")])
    assert not files.lacks(there)
    assert files.lacks(gone)
    assert files.find(gone) == "cannot be fetched: its address answers 404"
    assert not files.lacks("gone.jpg")
    assert not is_address("ftp://old.example/bean.jpg")


@pytest.mark.parametrize(
    ("name", "head", "media", "wrong"),
    [("a.jpg", b"\xff\xd8\xff\xe0x", "image/jpeg", ""), ("a.pdf", b"%PDF-1.7", "application/pdf", ""),
     ("a.jpg", b"<!DOCTYPE html><p>404", "text/html", "is a web page"), ("a.pdf", b"\xff\xd8\xff\xe0x", "image/jpeg",
     "is called as if it were application/pdf"), ("a.txt", b"rye", "text/plain", ""), ("a.jpg", b"", "image/jpeg",
     "is empty"), ("noending", b"\x89PNG\r\n\x1a\n", "image/png", "")],
)  # fmt: skip
def test_a_file_is_judged_by_how_it_begins(name: str, head: bytes, media: str, wrong: str) -> None:
    assert media_of(name, head) == media
    assert amiss(name, media, len(head)).startswith(wrong)
    assert bool(amiss(name, media, len(head))) == bool(wrong)


def test_what_stands_for_a_file_says_all_of_it_and_nothing_else_does() -> None:
    odd = HeldFile("rød & blå?.jpg", "0f" * 32, 7, "image/jpeg")
    assert file_meant(said_of_file(odd)) == odd
    assert said_of_file(odd).startswith("ni:///sha-256;")
    assert file_meant("bean.jpg") is None
    assert file_meant(None) is None


@pytest.mark.parametrize("rule", [{"by": ()}, {"by": ("a", "b")}, {"by": ("a",), "parted_by": ">"}, {"column": "No."}])
def test_the_record_of_a_file_is_looked_for_by_one_field(rule: dict[str, object]) -> None:
    with pytest.raises(ValueError, match="file"):
        LinkRule.model_validate({**rule, "of_files": True})
