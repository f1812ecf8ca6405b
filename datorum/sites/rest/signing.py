"""What each request carries so that the site lets it in, as its document asks for it."""

from __future__ import annotations

import asyncio
import base64
import time
from typing import Any, NamedTuple
from urllib.parse import quote, urljoin

import aiohttp
import orjson

from datorum.core.errors import SiteRefused, SiteUnavailable
from datorum.sites.rest.addresses import origin, shown
from datorum.sites.rest.model import Credential, Needs
from datorum.sites.sign_in import SignIn

_EARLY = 30.0
"""So many seconds before it ends is a token got anew."""
_LASTS = 300.0
"""As long is a token taken to last of which nothing is said."""
_REFUSED = (400, 401, 403)


class Carried(NamedTuple):
    """What is laid beside a request's own."""

    headers: dict[str, str]
    query: dict[str, str]


class Signer:
    """Signs requests with what a person gave. ``base_url`` is what relative addresses of tokens start from, and
    ``servers`` are those that the person has agreed to."""

    def __init__(self, sign_in: SignIn, base_url: str = "", servers: frozenset[str] = frozenset()) -> None:
        self._given = sign_in
        self._base_url = base_url
        self._servers = servers
        self._tokens: dict[str, tuple[str, float]] = {}
        self._getting = asyncio.Lock()

    async def carried(self, needs: Needs | None, session: aiohttp.ClientSession) -> Carried:
        """What a request carries that needs this. Raises SiteUnavailable or SiteRefused where a token cannot be had."""
        headers: dict[str, str] = {}
        query: dict[str, str] = {}
        cookies: list[str] = []
        for one in self._chosen(needs):
            match one.kind:
                case "basic":
                    headers["Authorization"] = _basic(self._given.user, self._given.password)
                case "apiKey":
                    name, value = one.name or "", self._key(one)
                    if one.within == "query":
                        query[name] = value
                    elif one.within == "cookie":
                        cookies.append(f"{name}={quote(value, safe='')}")
                    else:
                        headers[name] = value
                case "oauth2" if one.token_url and self._given.client_id:
                    headers["Authorization"] = f"Bearer {await self._token(one, session)}"
                case _:
                    headers["Authorization"] = f"Bearer {self._given.token}"
        if cookies:
            headers["Cookie"] = "; ".join(cookies)
        return Carried(headers, query)

    def forget_tokens(self) -> bool:
        """Be without the tokens that were got, since the site no longer takes them. False where there are none."""
        had = bool(self._tokens)
        self._tokens.clear()
        return had

    def _chosen(self, needs: Needs | None) -> tuple[Credential, ...]:
        """The first alternative that all was given for; nothing, where there is none, for the site then says why."""
        for together in _UNSAID if needs is None else needs:
            if together and all(self._has(one) for one in together):
                return together
        if needs is None:
            return tuple(Credential(kind="apiKey", within="header", name=name) for name in self._given.keys)
        return ()

    def _has(self, one: Credential) -> bool:
        match one.kind:
            case "basic":
                return bool(self._given.user)
            case "apiKey":
                return bool(self._key(one))
            case "oauth2":
                return bool(self._given.token or (one.token_url and self._given.client_id))
            case "bearer" | "openIdConnect":
                return bool(self._given.token)
        return False

    def _key(self, one: Credential) -> str:
        """A key by its name; a token that was given does for it, where no key was."""
        return self._given.keys.get(one.name or "") or ("" if self._given.keys else self._given.token)

    async def _token(self, one: Credential, session: aiohttp.ClientSession) -> str:
        """A token for the client's own credentials (RFC 6749, 4.4), kept until it ends."""
        address = urljoin(self._base_url + "/", one.token_url or "")
        async with self._getting:
            token, ends = self._tokens.get(address, ("", 0.0))
            if time.monotonic() > ends - _EARLY:
                token, ends = await self._got(address, one.scopes, session)
                self._tokens[address] = token, ends
        return token

    async def _got(self, address: str, scopes: tuple[str, ...], session: aiohttp.ClientSession) -> tuple[str, float]:
        if origin(address) not in self._servers:
            raise SiteRefused(
                f"The site gives its tokens at {origin(address)}, which nobody has agreed to.",
                remedy="Connect it again and say that the client's secret may be sent there.",
            )
        form = {"grant_type": "client_credentials"} | ({"scope": " ".join(scopes)} if scopes else {})
        status, answer = await _posted(session, address, form, _basic(self._given.client_id, self._given.client_secret))
        if status in _REFUSED:
            # Not every server takes them in the header.
            form |= {"client_id": self._given.client_id, "client_secret": self._given.client_secret}
            status, answer = await _posted(session, address, form, None)
        token = answer.get("access_token") if isinstance(answer, dict) else None
        if status >= 300 or not isinstance(token, str):
            refused = status in _REFUSED
            raise (SiteRefused if refused else SiteUnavailable)(
                f"The site at {shown(address)} gives no token ({status}).",
                remedy="Look at the client's id and secret." if refused else "Try again later.",
            )
        lasts = answer.get("expires_in")
        return token, time.monotonic() + (float(lasts) if isinstance(lasts, int | float) else _LASTS)


_UNSAID: Needs = ((Credential(kind="bearer"),), (Credential(kind="basic"),))
"""What is tried where a document says nothing of what it asks for, or is not read yet."""


async def _posted(
    session: aiohttp.ClientSession, address: str, form: dict[str, str], authorization: str | None
) -> tuple[int, Any]:
    headers = {"Accept": "application/json"} | ({"Authorization": authorization} if authorization else {})
    try:
        async with session.post(address, data=form, headers=headers, allow_redirects=False) as response:
            body = await response.content.read(100_000)
            try:
                return response.status, orjson.loads(body)
            except ValueError:
                return response.status, None
    except (aiohttp.ClientError, TimeoutError) as error:
        raise SiteUnavailable(
            f"The site at {shown(address)}, which gives its tokens, does not answer.", remedy="Try again later."
        ) from error


def _basic(user: str, password: str) -> str:
    """RFC 7617, in UTF-8."""
    return "Basic " + base64.b64encode(f"{user}:{password}".encode()).decode()
