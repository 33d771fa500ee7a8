"""FTP and FTPS, always in binary mode.

Sources: RFC 959 (commands and replies), RFC 3659 (MLST, MLSD, SIZE, MDTM, REST), RFC 2389 (FEAT), RFC 4217 (FTPS),
RFC 2640 (UTF-8 names); MFMT after draft-somers-ftp-mfxx; LIST in the two forms that servers without MLSD give.
"""

from __future__ import annotations

import calendar
import contextlib
import ftplib
import re
import socket
import ssl
import time
from collections.abc import Iterable, Iterator

from gribble.core.base.addresses import Address
from gribble.core.base.budget import ANSWER_BYTES, LISTING
from gribble.core.base.errors import reason_of
from gribble.core.base.paths import base
from gribble.stores.link import (
    BLOCK_BYTES,
    ENDLESS,
    NONSENSE,
    PATIENCE,
    Aborted,
    Deadline,
    Denied,
    LinkLost,
    Listed,
    Pace,
    ServerRefused,
    tame,
    timed,
)

MOST_DIGITS = 19
"""No size has as many digits: with them it would not be one of 63 bits any more."""
_GOING = "421"
_BROKEN_TRANSFER = ("425", "426")
"""Temporary answers that may mean a lost connection; the other ones are a no."""
_UNIX = re.compile(rb"^([-dlbcps])[rwxsStTl-]{9}\S*\s+\d+\s+\S+(?:\s+\S+)?\s+(\d+)\s+\w{3}\s+\d+\s+[\d:]+ (.+)$")
_DOS = re.compile(rb"^\d\d-\d\d-\d{2,4}\s+\d\d:\d\d(?:[AP]M)?\s+(<DIR>|\d+)\s+(.+)$")


@contextlib.contextmanager
def _translating() -> Iterator[None]:
    """Errors of ftplib and of the network as LinkLost and Denied."""
    try:
        yield
    except (LinkLost, Denied, ServerRefused):
        raise
    except ftplib.error_perm as error:
        raise Denied(_said(error)) from error
    except ftplib.error_temp as error:
        if str(error).startswith(_GOING):
            raise LinkLost(_said(error)) from error
        if str(error).startswith(_BROKEN_TRANSFER):
            raise Aborted(_said(error)) from error
        raise Denied(_said(error)) from error
    except TimeoutError as error:
        raise LinkLost("it does not answer any more") from error
    except EOFError as error:
        raise LinkLost("it was closed") from error
    except OSError as error:
        raise LinkLost(tame(reason_of(error))) from error
    except Exception as error:  # whatever a server can say, it ends nothing but the link to it
        raise LinkLost(NONSENSE) from error


_WORDS = {
    "421": "it ends the connection",
    "425": "it cannot make a connection for the data",
    "426": "it ended the transfer",
    "450": "the file cannot be had now",
    "451": "it could not do it",
    "452": "it has no room left",
    "500": "it does not know the command",
    "501": "it does not take that name",
    "502": "it does not know the command",
    "530": "it does not let us in",
    "532": "it does not let us write",
    "550": "there is no such file, or it may not be touched",
    "551": "it could not do it",
    "552": "it has no room left",
    "553": "it does not allow that name",
}
"""What replies mean, by their numbers. Source: RFC 959, section 4.2.2."""


def _said(error: Exception) -> str:
    """What a server said no with, by its number and in words of our own."""
    number = str(error)[:3]
    known = number if number.isascii() and number.isdigit() else "no number"
    return f"{_WORDS.get(known, 'it says no')} (its reply was {known})"


_timed = timed(_translating)


class FtpLink:
    """One connection to an FTP server. Text goes over the wire as bytes: UTF-8 as far as names are."""

    def __init__(
        self, address: Address, user: str, password: str, timeout: float, context: ssl.SSLContext | None = None
    ) -> None:
        """Connect and log in; with a context by TLS. Raises LinkLost, Denied and Refused."""
        self._root = address.root
        self._data: socket.socket | None = None
        self._patience = PATIENCE * timeout
        self.deadline = Deadline(self._patience, self._cut)
        with _translating(), self.deadline:
            self._ftp = _tls(context, timeout) if context else _Plain(timeout=timeout, encoding="latin-1")
            try:
                self._ftp.connect(address.host, address.port)
                self._log_in(user, password)
                self._features = self._ask_features()
                self._ftp.voidcmd("TYPE I")
            except BaseException:
                self.deadline.close()
                self._ftp.close()
                raise

    def _cut(self) -> None:
        """End both connections, so that whoever waits for something on them does not any more."""
        for connection in (self._ftp.sock, self._data):
            if connection is not None:
                with contextlib.suppress(OSError):
                    connection.shutdown(socket.SHUT_RDWR)

    def _log_in(self, user: str, password: str) -> None:
        try:
            if isinstance(self._ftp, ftplib.FTP_TLS):
                self._ftp.auth()
            self._ftp.login(_wire(user), _wire(password))
            if isinstance(self._ftp, ftplib.FTP_TLS):
                self._ftp.prot_p()
        except ssl.SSLCertVerificationError as error:
            raise ServerRefused(f"its certificate cannot be trusted: {tame(error.verify_message)}") from error
        except ftplib.error_perm as error:
            if str(error).startswith("53"):
                raise ServerRefused(f"it does not let {user} in: wrong name or password") from None
            raise ServerRefused(f"it does not let {user} in: {_said(error)}") from None

    def _ask_features(self) -> set[str]:
        try:
            lines = self._ftp.sendcmd("FEAT").splitlines()
        except ftplib.error_perm:
            return set()
        features = {line.strip().partition(" ")[0].rstrip("*;").upper() for line in lines[1:-1]}
        if "UTF8" in features:
            with contextlib.suppress(ftplib.error_perm):
                self._ftp.sendcmd("OPTS UTF8 ON")
        return features

    def _at(self, path: str) -> str:
        if self._ftp.sock is None:
            raise LinkLost("it was closed")
        place = (f"{self._root}/{path}" if path else self._root) or "/"
        if "\n" in place or "\r" in place:
            raise Denied("FTP cannot carry a line break in a name")
        return _wire(place)

    def _transfer(self, command: str, offset: int = 0) -> socket.socket:
        # ftplib forgets an offset that it was given as 0 only as None
        self._data = self._ftp.transfercmd(command, rest=offset or None)
        return self._data

    @_timed
    def entries(self, folder: str) -> list[Listed]:
        """What is in a folder. Where the server has no MLSD, LIST tells names and sizes; times are asked for later."""
        if "MLST" in self._features or "MLSD" in self._features:
            found = [_by_facts(line) for line in self._lines(f"MLSD {self._at(folder)}")]
        else:
            self._ftp.cwd(self._at(folder))  # names with blanks or dashes are no arguments of LIST everywhere
            found = [_by_list(line) for line in self._lines("LIST")]
        return [one for one in found if one is not None]

    def _lines(self, command: str) -> list[bytes]:
        data, lines = bytearray(), 0
        connection = self._transfer(command)
        try:
            while block := connection.recv(BLOCK_BYTES):
                data += block
                lines += block.count(b"\n")
                if len(data) > LISTING.bytes or lines > LISTING.items:
                    self._end_early(connection)
                    raise Denied(ENDLESS)
            _end_tls(connection)
        finally:
            connection.close()
        self._ftp.voidresp()
        return [line.rstrip(b"\r") for line in bytes(data).split(b"\n") if line.strip()]

    @_timed
    def look_up(self, path: str) -> Listed | None:
        """What is at a path: by MLST, else by SIZE and MDTM, which know files only, and CWD, which knows folders."""
        if "MLST" in self._features:
            try:
                lines = self._ftp.sendcmd(f"MLST {self._at(path)}").splitlines()
            except ftplib.error_perm:
                return None
            if len(lines) < 2:
                raise LinkLost(NONSENSE)
            found = _by_facts(lines[1].strip().encode("latin-1"), whole=True)
            return None if found is None else Listed(base(path), found.folder, found.size, found.modified, found.odd)
        size = self._number(f"SIZE {self._at(path)}")
        if size is not None:
            return Listed(base(path), size=size, modified=self._modified(path))
        try:
            self._ftp.cwd(self._at(path))
        except ftplib.error_perm:
            return None
        return Listed(base(path), folder=True)

    def _number(self, command: str) -> int | None:
        try:
            answer = self._ftp.sendcmd(command)
        except ftplib.error_perm:
            return None
        return _size(answer[4:].strip()) if answer.startswith("213") else None

    def _modified(self, path: str) -> int:
        try:
            return _nanoseconds(self._ftp.sendcmd(f"MDTM {self._at(path)}")[4:].strip())
        except ftplib.error_perm:
            return 0

    def read(self, path: str, offset: int = 0, length: int | None = None) -> Iterator[bytes]:
        """A file's bytes from a place on; a stretch is ended by closing the connection for the data."""
        with _translating(), self.deadline:
            connection = self._transfer(f"RETR {self._at(path)}", offset)
        left, pace = length, Pace(self._patience)
        try:
            while left is None or left > 0:
                with _translating():
                    block = connection.recv(BLOCK_BYTES if left is None else min(BLOCK_BYTES, left))
                if not block:
                    break
                left = None if left is None else left - len(block)
                pace.note(len(block))
                yield block
            else:
                self._end_early(connection)
                return
        except GeneratorExit:
            self._end_early(connection)
            raise
        finally:
            connection.close()
        with _translating(), self.deadline:
            self._ftp.voidresp()

    def _end_early(self, connection: socket.socket) -> None:
        """End a transfer in the middle; where the server then says nothing of it, the connection is not a use."""
        connection.close()
        try:
            with self.deadline:
                self._ftp.voidresp()
        except (ftplib.error_temp, ftplib.error_perm):
            return
        except (OSError, EOFError, ftplib.Error):
            self._ftp.close()

    def write(self, path: str, blocks: Iterable[bytes], offset: int = 0) -> None:
        """Write a file. Where the blocks end in an error, the transfer is ended first: the link stays usable."""
        with _translating(), self.deadline:
            connection = self._transfer(f"STOR {self._at(path)}", offset)
        try:
            for block in blocks:
                try:
                    connection.sendall(block)
                except (BrokenPipeError, ConnectionResetError):
                    break  # a server that is full says so on the other connection
            else:
                with _translating(), self.deadline:
                    _end_tls(connection)
                    connection.close()
                    self._ftp.voidresp()
                return
        except (OSError, EOFError) as error:
            raise LinkLost(tame(reason_of(error)) if isinstance(error, OSError) else "it was closed") from error
        except BaseException:
            self._end_early(connection)
            raise
        finally:
            connection.close()
        with _translating():
            self._ftp.voidresp()
        raise LinkLost("it ended a transfer too soon")

    @_timed
    def rename(self, old: str, new: str) -> None:
        """Rename, over another file where the server does that."""
        self._ftp.rename(self._at(old), self._at(new))

    @_timed
    def delete(self, path: str) -> None:
        """Remove a file."""
        self._ftp.delete(self._at(path))

    @_timed
    def make_folder(self, path: str) -> None:
        """Make one folder."""
        self._ftp.voidcmd(f"MKD {self._at(path)}")

    @_timed
    def remove_folder(self, path: str) -> None:
        """Remove an empty folder."""
        self._ftp.rmd(self._at(path))

    @_timed
    def set_time(self, path: str, modified: int) -> bool:
        """Set a file's time, to the second, where the server has MFMT."""
        if "MFMT" not in self._features:
            return False
        when = time.strftime("%Y%m%d%H%M%S", time.gmtime(modified // 10**9))
        try:
            self._ftp.voidcmd(f"MFMT {when} {self._at(path)}")
        except ftplib.error_perm:
            return False
        return True

    def take_mode(self, path: str, like: str) -> None:
        """FTP knows no permissions."""

    def set_mode(self, path: str, mode: int) -> None:
        """FTP knows no permissions."""

    def close(self) -> None:
        """Say good-bye."""
        self.deadline.close()
        if self._ftp.sock is None:
            return
        try:
            self._ftp.sock.settimeout(1)
            self._ftp.quit()
        except ftplib.all_errors:
            self._ftp.close()


class _Bounded(ftplib.FTP):
    """No answer goes on without end."""

    _told = 0

    def getline(self) -> str:
        line: str = super().getline()
        self._told += len(line)
        if self._told > ANSWER_BYTES:
            raise ftplib.error_proto("an answer without end")
        return line

    def getmultiline(self) -> str:
        self._told = 0
        answer: str = super().getmultiline()
        return answer


class _Plain(_Bounded):
    """Without TLS."""


class _Tls(_Bounded, ftplib.FTP_TLS):
    """Data connections take up the session of the control connection, which many servers insist on."""

    def ntransfercmd(self, cmd: str, rest: int | str | None = None) -> tuple[socket.socket, int | None]:
        connection, size = ftplib.FTP.ntransfercmd(self, cmd, rest)
        if isinstance(self.sock, ssl.SSLSocket):
            connection = self.context.wrap_socket(connection, server_hostname=self.host, session=self.sock.session)
        return connection, size


def _tls(context: ssl.SSLContext, timeout: float) -> ftplib.FTP_TLS:
    return _Tls(context=context, timeout=timeout, encoding="latin-1")


def _end_tls(connection: socket.socket) -> None:
    """End TLS in order, so that the end of the data cannot be forged; some servers hang up without."""
    if isinstance(connection, ssl.SSLSocket):
        with contextlib.suppress(OSError):
            connection.unwrap()


def _wire(text: str) -> str:
    """Text whose latin-1 bytes, which ftplib sends, are its UTF-8."""
    return text.encode("utf-8", "surrogateescape").decode("latin-1")


def _text(raw: bytes) -> str:
    return raw.decode("utf-8", "surrogateescape")


def _by_facts(line: bytes, *, whole: bool = False) -> Listed | None:
    """One line of MLSD or MLST; None for the folder itself and the one above it. Source: RFC 3659, section 7."""
    facts, blank, raw = line.partition(b" ")
    if not blank:
        raise ValueError("a line of a listing without facts")
    known: dict[str, str] = {}
    for fact in facts.decode("latin-1").split(";"):
        key, _, value = fact.partition("=")
        known[key.lower()] = value
    kind = known.get("type", "").lower()
    if kind in ("cdir", "pdir") and not whole:
        return None
    size, name = known.get("size", ""), _text(raw)
    return Listed(
        name,
        folder=kind in ("dir", "cdir", "pdir"),
        size=_size(size),
        modified=_nanoseconds(known.get("modify", "")),
        odd="" if kind in ("dir", "cdir", "pdir", "file") else "is not a regular file (a link or a device)",
    )


def _by_list(line: bytes) -> Listed | None:
    """One line of LIST as Unix or as DOS writes it; None for what is no entry."""
    if line.startswith(b"total "):
        return None
    if unix := _UNIX.match(line):
        kind, size, raw = unix.groups()
        if raw in (b".", b".."):
            return None
        name = _text(raw.partition(b" -> ")[0] if kind == b"l" else raw)
        odd = "" if kind in b"-d" else "is not a regular file (a link or a device)"
        return Listed(name, folder=kind == b"d", size=-1 if kind == b"d" else _size(size.decode()), odd=odd)
    if dos := _DOS.match(line):
        size, raw = dos.groups()
        return Listed(_text(raw), folder=size == b"<DIR>", size=_size(size.decode()))
    raise ValueError("a line of a listing of unknown form")


def _size(word: str) -> int:
    """A size in bytes as a server says it; -1 where it is none that a file can have."""
    return int(word) if word.isascii() and word.isdigit() and len(word) < MOST_DIGITS else -1


def _nanoseconds(stamp: str) -> int:
    """A time as RFC 3659 writes it (UTC, perhaps with a fraction), in nanoseconds since 1970; 0 if it is none."""
    whole, _, fraction = stamp.partition(".")
    try:
        seconds = calendar.timegm(time.strptime(whole, "%Y%m%d%H%M%S"))
        return seconds * 10**9 + (int(fraction.ljust(9, "0")[:9]) if fraction else 0)
    except (ValueError, OverflowError):
        return 0
