"""The pages of a site as anybody sees them: whether they are there, and whether somebody can sign in on one."""

from __future__ import annotations

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from html.parser import HTMLParser
from typing import NamedTuple
from urllib.parse import urljoin

import aiohttp

from datorum.core.errors import SiteRefused, SiteUnavailable
from datorum.sites.rest.addresses import checked_address, connector, origin

_TIMEOUT = aiohttp.ClientTimeout(total=15, connect=5)
_MOST = 4 * 1024 * 1024
_CONNECTIONS, _REDIRECTS = 4, 5
_CALLED = ("user", "mail", "login", "name")


class PageAnswer(NamedTuple):
    """How the page at an address answers: a status (RFC 9110, 15), none where no answer came."""

    address: str
    status: int | None


class SignedIn(NamedTuple):
    """Whether somebody could sign in, and what says so."""

    ok: bool
    why: str


@asynccontextmanager
async def open_pages(address: str, *, allow_private: bool) -> AsyncIterator[Pages]:
    """The pages at the origin of an address, for as long as the block lasts. Raises SiteUnavailable, SiteRefused."""
    checked_address(address, allow_private=allow_private)
    # A form may come with a cookie that is to come back with what is filled in.
    jar = aiohttp.CookieJar(unsafe=True)
    reaching = connector(_CONNECTIONS, allow_private=allow_private)
    async with aiohttp.ClientSession(connector=reaching, timeout=_TIMEOUT, cookie_jar=jar) as session:
        yield Pages(session, origin(address))


class Pages:
    """Nothing is asked of any other origin, wherever a page leads."""

    def __init__(self, session: aiohttp.ClientSession, at: str) -> None:
        self._session = session
        self._origin = at

    def has(self, address: str) -> bool:
        """Whether a page is at this origin."""
        return origin(address) == self._origin

    async def look(self, address: str) -> PageAnswer:
        """How a page answers."""
        try:
            status, _, _ = await self._asked("GET", address)
        except (SiteRefused, SiteUnavailable):
            status = None
        return PageAnswer(address, status)

    async def sign_in(self, address: str, name: str, password: str) -> SignedIn:
        """Fill in the form of a page that asks for a name and a password, as somebody would. Raises SiteUnavailable,
        SiteRefused where the page has no such form."""
        status, url, text = await self._asked("GET", address)
        form = _Forms.in_page(text)
        if form is None:
            raise SiteRefused(
                f"The page at {address} has no form that asks for a name and a password (it answers {status}).",
                remedy="Give the address of the page on which people sign in.",
            )
        target = urljoin(url, form.action or url)
        if not self.has(target):
            raise SiteRefused("The form sends what is filled in to another server.", remedy="Sign in there by hand.")
        filled = {**form.given, form.name: name, form.password: password}
        status, _, text = await self._asked(form.method, target, filled)
        if status >= 400:
            return SignedIn(False, f"the site answers {status}")
        if _Forms.in_page(text) is not None:
            return SignedIn(False, "the site asks for the password again")
        return SignedIn(True, f"the site answers {status} and asks for no password any more")

    async def _asked(self, method: str, address: str, form: dict[str, str] | None = None) -> tuple[int, str, str]:
        for _ in range(_REDIRECTS):
            if not self.has(address):
                raise SiteRefused(f"The page leads to another server: {address}.")
            sent = {"params": form} if form and method == "GET" else {"data": form} if form else {}
            try:
                async with self._session.request(method, address, allow_redirects=False, **sent) as answer:  # type: ignore[arg-type]
                    where = answer.headers.get("Location")
                    if where is None or not 300 <= answer.status < 400:
                        body = await answer.content.read(_MOST)
                        return answer.status, str(answer.url), body.decode(answer.charset or "utf-8", "replace")
            except (TimeoutError, aiohttp.ClientError) as error:
                raise SiteUnavailable(f"The site at {self._origin} does not answer: {error}") from error
            method, form, address = "GET", None, urljoin(address, where)
        raise SiteRefused("The page leads on and on.")


class _Form(NamedTuple):
    action: str
    method: str
    name: str
    password: str
    given: dict[str, str]


class _Forms(HTMLParser):
    """The first form of a page that asks for a password."""

    def __init__(self) -> None:
        super().__init__()
        self._action, self._method = "", "GET"
        self._fields: list[tuple[str, str, str]] = []
        self.found: _Form | None = None

    @classmethod
    def in_page(cls, text: str) -> _Form | None:
        parser = cls()
        parser.feed(text)
        parser.close()
        parser.handle_endtag("form")
        return parser.found

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        told = {name: value or "" for name, value in attrs}
        if tag == "form":
            self._action, self._method = told.get("action", ""), told.get("method", "get").upper()
            self._fields = []
        elif tag == "input" and told.get("name"):
            self._fields.append((told["name"], told.get("type", "text").lower(), told.get("value", "")))

    def handle_endtag(self, tag: str) -> None:
        if tag != "form" or self.found is not None:
            return
        passwords = [name for name, kind, _ in self._fields if kind == "password"]
        texts = [name for name, kind, _ in self._fields if kind in ("text", "email", "tel")]
        if len(passwords) == 1 and texts:
            name = next((one for one in texts if any(called in one.lower() for called in _CALLED)), texts[0])
            given = {name: value for name, kind, value in self._fields if kind in ("hidden", "submit")}
            method = self._method if self._method in ("GET", "POST") else "GET"
            self.found = _Form(self._action, method, name, passwords[0], given)
