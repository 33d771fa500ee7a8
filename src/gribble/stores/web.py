"""Fetching one file from the web, within bounds: nothing that comes from there is trusted."""

from __future__ import annotations

import ssl
import tempfile
import time
from collections.abc import Callable
from functools import cache
from pathlib import Path
from typing import NamedTuple
from urllib.parse import quote, unquote, urljoin, urlsplit
from urllib.request import getproxies, proxy_bypass

import urllib3
from urllib3.exceptions import HTTPError, LocationParseError

from gribble.core.base.addresses import is_here, web_address
from gribble.core.base.budget import WEB_BYTES, WEB_REDIRECTS, size_words
from gribble.core.base.errors import ExitCode, GribbleError
from gribble.core.base.paths import name_fault
from gribble.core.base.regular import read_regular
from gribble.core.records.published import INDEX

_BLOCK = 1 << 16
_OK, _UNCHANGED, _MOVED = 200, 304, (301, 302, 303, 307, 308)
SILENCE_SECONDS = 20.0
"""How long a server may say nothing."""
SLOW_SECONDS, SLOWEST = 60.0, 1024
"""From so many seconds on, a server that gives fewer bytes each second on the average is left."""


class Fetched(NamedTuple):
    """A file that was fetched: where it lies, and what its server calls this state of it (empty if it does not)."""

    path: Path
    etag: str


def fetch(
    address: str,
    folder: Path,
    advance: Callable[[int], None] | None = None,
    *,
    etag: str = "",
    since: str = "",
    most: int | None = None,
) -> Fetched | None:
    """Fetch what is at an address into a folder; None if it is unchanged: as in the state `etag`, or since a day,
    such as "Mon, 30 Nov 2026 00:00:00 GMT". `advance` is told of bytes as they come, of which there may be `most`.

    Raises GribbleError: of status 3 where nothing whole comes.
    """
    headers = {"Accept-Encoding": "gzip", "User-Agent": "gribble"}
    if etag and etag.isascii() and etag.isprintable():  # a foreign sheet may say anything
        headers["If-None-Match"] = etag
    elif since:
        headers["If-Modified-Since"] = since
    now = address
    try:
        for _ in range(WEB_REDIRECTS + 1):
            with _asked(_pool(now), now, headers) as answer:
                if answer.status in _MOVED and (to := answer.headers.get("Location")):
                    now = _moved(now, to)
                    continue
                if answer.status == _UNCHANGED and len(headers) > 2:
                    return None
                if answer.status != _OK:
                    raise _away(address, f"the server answers {answer.status} {answer.reason or ''}".rstrip())
                return _take(address, answer, folder / _name(now), advance or (lambda _bytes: None), most)
    except (HTTPError, ssl.SSLError, LocationParseError, OSError, UnicodeError) as error:
        raise _away(address, _words(error)) from error
    raise _away(address, f"it leads on more than {WEB_REDIRECTS} times")


def _pool(address: str) -> urllib3.PoolManager:
    """What asks for an address: by way of a proxy where the system says so."""
    parts = urlsplit(address)
    proxy = getproxies().get(parts.scheme, "")
    return _pool_by(proxy if proxy and not is_here(address) and not proxy_bypass(parts.hostname or "") else "")


@cache
def _pool_by(proxy: str) -> urllib3.PoolManager:
    """One for all, so that many files of one server come over one connection."""
    return urllib3.ProxyManager(proxy) if proxy else urllib3.PoolManager()


class Web:
    """A published catalogue on the web, by the address of its folder."""

    def __init__(self, base: str) -> None:
        self.shown = base

    def index(self, most: int, etag: str) -> tuple[bytes, str] | None:
        """The index, and what the server calls this state of it; None if it is still in the state `etag`. Raises
        GribbleError."""
        return self._read(INDEX, most, etag)

    def read(self, path: str, most: int) -> bytes:
        """A file of at most so many bytes. Raises GribbleError."""
        found = self._read(path, most)
        assert found is not None, "nothing was asked for that could be unchanged"
        return found[0]

    def _read(self, path: str, most: int, etag: str = "") -> tuple[bytes, str] | None:
        with tempfile.TemporaryDirectory() as folder:
            found = fetch(f"{self.shown}/{quote(path)}", Path(folder), most=most, etag=etag)
            return (read_regular(found.path, most), found.etag) if found else None


def _asked(pool: urllib3.PoolManager, address: str, headers: dict[str, str]) -> urllib3.BaseHTTPResponse:
    timeout = urllib3.Timeout(connect=SILENCE_SECONDS, read=SILENCE_SECONDS)
    return pool.request(
        "GET", address, headers=headers, preload_content=False, redirect=False, retries=False, timeout=timeout
    )


def _moved(now: str, to: str) -> str:
    """Where an address leads on to. Raises GribbleError if it may not."""
    there = urljoin(now, to)
    try:
        there = web_address(there)
    except ValueError as error:
        raise _away(now, f"it leads on to {there}, which {error}") from None
    if is_here(there) and not is_here(now):
        raise _away(now, f"it leads on to {there}, which is this machine")
    return there


def _take(
    address: str, answer: urllib3.BaseHTTPResponse, path: Path, advance: Callable[[int], None], most: int | None
) -> Fetched:
    """Write what comes, unpacked, to a file."""
    packed = answer.headers.get("Content-Encoding", "identity").strip().lower()
    if packed not in ("", "identity", "gzip", "x-gzip", "deflate"):
        raise _away(address, f"it comes packed as {packed}, which was not asked for")
    began, came = time.monotonic(), 0
    with path.open("wb") as out:
        for block in answer.stream(_BLOCK, decode_content=True):
            out.write(block)
            came += len(block)
            advance(len(block))
            if most is not None and came > most:
                raise _away(address, f"it has more than the {most:,} bytes that it should have")
            if came > WEB_BYTES:
                raise GribbleError(
                    f"{address} is larger than {size_words(WEB_BYTES)}", fix="Save it to a file, and name that."
                )
            seconds = time.monotonic() - began
            if seconds > SLOW_SECONDS and came < SLOWEST * seconds:
                raise _away(address, f"it came to {came:,} bytes in {seconds:.0f} seconds, which is too slow")
    return Fetched(path, answer.headers.get("ETag", "")[:200])


def _name(address: str) -> str:
    """The name that a fetched file gets: the last one of its address."""
    parts = urlsplit(address)
    name = unquote(parts.path.rstrip("/").rpartition("/")[2])
    return (parts.hostname or "list") if not name or name_fault(name) else name


def _away(address: str, why: str) -> GribbleError:
    return GribbleError(
        f"{address} could not be read: {why}",
        fix="Nothing was changed. Check the address, or try again later.",
        code=ExitCode.FAILED,
    )


def _words(error: Exception) -> str:
    """Why nothing came, in words of our own."""
    if isinstance(error, urllib3.exceptions.NameResolutionError):
        return "no machine of that name is found; is there a network?"
    if isinstance(error, urllib3.exceptions.NewConnectionError):  # it is a time-out, too
        return "no server answers there"
    if isinstance(error, urllib3.exceptions.TimeoutError):
        return f"the server said nothing for {SILENCE_SECONDS:.0f} seconds"
    if isinstance(error, (ssl.SSLError, urllib3.exceptions.SSLError)):
        return "its certificate is not trusted"
    if isinstance(error, urllib3.exceptions.DecodeError):
        return "what came cannot be unpacked"
    if isinstance(error, (urllib3.exceptions.IncompleteRead, urllib3.exceptions.ProtocolError)):
        return "it was cut short"
    return str(error) or type(error).__name__
