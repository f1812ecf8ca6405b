"""Which addresses may be reached: judged where they are dialled, whatever their names and spellings led to."""

from __future__ import annotations

import ipaddress
import re
import socket
from collections.abc import Iterator
from urllib.parse import urlsplit

import aiohttp
from aiohappyeyeballs import AddrInfoType
from aiohttp.abc import AbstractResolver, ResolveResult
from yarl import URL

from datorum.core.errors import SiteRefused, SiteUnavailable

_Address = ipaddress.IPv4Address | ipaddress.IPv6Address
_TRANSLATED = ipaddress.IPv6Network("64:ff9b::/96")
_COMPATIBLE = ipaddress.IPv6Network("::/96")


_NAME = re.compile(r"(?:[A-Za-z0-9_](?:[A-Za-z0-9_-]{0,61}[A-Za-z0-9_])?\.?)+")


class PrivateAddress(OSError):
    """A connection to an address that is not public was about to be made."""


def is_public(address: str) -> bool:
    """Whether an IP address is one of the open internet, and so is every address that is written inside it."""
    try:
        ip = ipaddress.ip_address(address.partition("%")[0])
    except ValueError:
        return False
    return all(one.is_global and not one.is_multicast and not one.is_reserved for one in _inside(ip))


def _inside(ip: _Address) -> Iterator[_Address]:
    """The addresses that packets to one may end at: itself, or the IPv4 address that it carries (RFC 4291, 2.5.5; RFC
    3056; RFC 4380; RFC 6052)."""
    if isinstance(ip, ipaddress.IPv4Address):
        yield ip
        return
    carried = [ip.ipv4_mapped, ip.sixtofour, *(ip.teredo or ())]
    if ip in _TRANSLATED or ip in _COMPATIBLE:
        carried.append(ipaddress.IPv4Address(int(ip) & 0xFFFFFFFF))
    found = [one for one in carried if one is not None]
    yield from found
    if not found or ip.sixtofour or ip.teredo:
        yield ip


def checked_address(url: str, *, allow_private: bool) -> str:
    """A web address that may be asked for. Raises SiteUnavailable for what is none, SiteRefused for one that is not
    public."""
    try:
        parts, host = urlsplit(url), URL(url).raw_host
        sound = parts.scheme in ("http", "https") and parts.port != 0 and _is_host(host or "")
    except (ValueError, UnicodeError):
        sound, host = False, None
    if not sound or host is None:
        raise SiteUnavailable(
            f"“{shown(url)}” is no web address.", remedy="Give one that begins with https:// or http://."
        )
    if parts.username is not None or parts.password is not None:
        raise SiteUnavailable(
            "The address has a name or password in it.", remedy="Take them out, and give the token by itself."
        )
    if not allow_private and _is_ip(host) and not is_public(host):
        raise private(host)
    return url


def _is_host(host: str) -> bool:
    """Whether a host is an IP address or a name by the rules of names (RFC 1123, 2.1)."""
    return _is_ip(host) or (len(host) <= 253 and _NAME.fullmatch(host) is not None)


def _is_ip(host: str) -> bool:
    try:
        ipaddress.ip_address(host.partition("%")[0])
    except ValueError:
        return False
    return True


def private(host: str) -> SiteRefused:
    """The error for a site that is not in the open internet."""
    return SiteRefused(
        f"{host} is at a private address, which Datorum does not reach.",
        remedy="Set DATORUM_ALLOW_PRIVATE_SITES=true where that is meant.",
    )


def origin(url: str) -> str:
    """Scheme, host and port of an address (RFC 6454), to which a token belongs."""
    return str(URL(url).origin())


def shown(url: str) -> str:
    """An address without its query, which may carry personal data, and without any credentials."""
    before, _, behind = url.split("?")[0].partition("://")
    if not behind:
        return before[:200]
    host, slash, path = behind.partition("/")
    return f"{before}://{host.rpartition('@')[2]}{slash}{path}"[:200]


class GuardedResolver(AbstractResolver):
    """Resolves names and refuses those that lead to addresses that are not public."""

    def __init__(self) -> None:
        self._inner = aiohttp.ThreadedResolver()

    async def resolve(
        self, host: str, port: int = 0, family: socket.AddressFamily = socket.AF_INET
    ) -> list[ResolveResult]:
        found = await self._inner.resolve(host, port, family)
        for one in found:
            if not is_public(one["host"]):
                raise private(host)
        return found

    async def close(self) -> None:
        await self._inner.close()


def guarded_socket(address: AddrInfoType) -> socket.socket:
    """The socket for a connection, by what ``getaddrinfo`` gave for it. Raises PrivateAddress for an address that is
    not public, by whatever way it came here."""
    family, kind, protocol, _, where = address
    if not is_public(str(where[0])):
        raise PrivateAddress(f"{where[0]!s} is not public")
    return socket.socket(family, kind, protocol)


def connector(limit: int, *, allow_private: bool) -> aiohttp.TCPConnector:
    """Up to so many connections, to none but public addresses unless others are allowed."""
    if allow_private:
        return aiohttp.TCPConnector(limit=limit)
    return aiohttp.TCPConnector(limit=limit, resolver=GuardedResolver(), socket_factory=guarded_socket)
