"""SFTP, with the server's host key checked before anything else.

Source: draft-ietf-secsh-filexfer-02, as OpenSSH and paramiko speak it; posix-rename after OpenSSH's PROTOCOL file.
"""

from __future__ import annotations

import contextlib
import errno
import logging
import os
import stat
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any

import paramiko
from paramiko.message import Message
from paramiko.sftp import (
    CMD_CLOSE,
    CMD_NAME,
    CMD_OPENDIR,
    CMD_READDIR,
    SFTP_EOF,
    SFTP_NO_SUCH_FILE,
    SFTP_OK,
    SFTP_PERMISSION_DENIED,
)

from gribble.core.base.addresses import Address
from gribble.core.base.budget import LISTING
from gribble.core.base.changing import PERMISSIONS
from gribble.core.base.errors import reason_of
from gribble.core.base.paths import base
from gribble.stores.link import (
    BLOCK_BYTES,
    ENDLESS,
    NONSENSE,
    PATIENCE,
    Deadline,
    Denied,
    LinkLost,
    Listed,
    Pace,
    ServerRefused,
    tame,
    timed,
)

AHEAD = 32
"""How many requests for blocks of a file are under way at a time."""
WINDOW_BYTES = 32 << 20
"""How much of a file is asked for ahead, in bytes."""

logging.getLogger("paramiko").addHandler(logging.NullHandler())  # what went wrong is told by the errors themselves


@contextlib.contextmanager
def _translating() -> Iterator[None]:
    """Errors of paramiko and of the network as LinkLost and Denied."""
    try:
        yield
    except (LinkLost, Denied, ServerRefused):
        raise
    except FileNotFoundError as error:
        raise Denied("there is no such file") from error
    except PermissionError as error:
        raise Denied("permission denied") from error
    except (ConnectionError, TimeoutError) as error:
        raise LinkLost(tame(reason_of(error))) from error
    except EOFError as error:
        raise LinkLost("it was closed") from error
    except OSError as error:
        # a bare OSError is a no of the server's, one with a number is the network's
        if error.errno is None and "closed" not in str(error).lower():
            raise Denied(tame(str(error))) from error
        raise LinkLost(tame(reason_of(error))) from error
    except Exception as error:  # whatever a server can say, it ends nothing but the link to it
        raise LinkLost(NONSENSE) from error


class _HostKeys(paramiko.MissingHostKeyPolicy):
    """A key that known_hosts does not have counts only where gribble.toml names it."""

    def __init__(self, server: str, pinned: str | None) -> None:
        self._server = server
        self._pinned = pinned

    def missing_host_key(self, _client: paramiko.SSHClient, _hostname: str, key: paramiko.PKey) -> None:
        shown = f"{key.get_name()} {key.fingerprint}"
        if self._pinned is None:
            raise ServerRefused(
                f"its host key is unknown: {shown}",
                f'If {self._server} itself shows the same, write host_key = "{key.fingerprint}" beside the address.',
            )
        if key.fingerprint.rstrip("=") != self._pinned.rstrip("="):
            raise ServerRefused(
                f"its host key has changed: {shown} is not {self._pinned}",
                "Somebody may be in between. Only if you know why it changed, correct host_key in gribble.toml.",
            )


_WORDS = {
    2: "there is no such file",
    3: "permission denied",
    4: "it could not do it",
    5: "it did not understand",
    8: "it cannot do that",
}
"""What the numbers of replies mean. Source: draft-ietf-secsh-filexfer-02, section 7."""
_LEAST_ENTRY_BYTES = 12
"""An entry of a listing has two texts and a number, of four bytes each at least."""


class _Client(paramiko.SFTPClient):
    """Names that are not UTF-8 keep their bytes, where the library would give up the whole folder; of replies that say
    no only the number is told; and no listing goes on without end."""

    def _convert_status(self, msg: Message) -> None:
        code = msg.get_int()
        if code == SFTP_OK:
            return
        if code == SFTP_EOF:
            raise EOFError
        words = _WORDS.get(code, "it says no") + f" (its reply was {code})"
        known = {SFTP_NO_SUCH_FILE: errno.ENOENT, SFTP_PERMISSION_DENIED: errno.EACCES}.get(code)
        raise OSError(words) if known is None else OSError(known, words)

    def each(self, path: bytes) -> Iterator[paramiko.SFTPAttributes]:
        """What a folder has, but for itself and the one above it."""
        _, message = self._request(CMD_OPENDIR, path)
        handle, met, size = message.get_binary(), 0, 0
        while True:
            try:
                kind, message = self._request(CMD_READDIR, handle)
            except EOFError:
                break
            data = message.asbytes()
            count = message.get_int()
            met, size = met + count, size + len(data)
            if kind != CMD_NAME or count > len(data) // _LEAST_ENTRY_BYTES:
                raise LinkLost(NONSENSE)
            if met > LISTING.items or size > LISTING.bytes:
                raise Denied(ENDLESS)
            for _ in range(count):
                name = message.get_text()
                message.get_string()  # the same in a form for people, in whatever encoding
                one = paramiko.SFTPAttributes._from_msg(message, name)  # type: ignore[attr-defined]
                if name not in (".", ".."):
                    yield one
        self._request(CMD_CLOSE, handle)

    def _request(self, kind: Any, *args: Any) -> Any:
        answered, message = super()._request(kind, *args)  # type: ignore[misc]
        if isinstance(message, Message):
            message.get_text = lambda: message.get_string().decode("utf-8", "surrogateescape")  # type: ignore[method-assign]
        return answered, message


_timed = timed(_translating)


class SftpLink:
    """One connection to an SFTP server."""

    def __init__(
        self,
        address: Address,
        user: str,
        password: str | None,
        timeout: float,
        host_key: str | None = None,
        known_hosts: Path | None = None,
    ) -> None:
        """Connect and log in, by the password or, without one, by the user's keys.

        `host_key` is the one fingerprint to trust (SHA256:…), else those of `known_hosts`. Raises LinkLost, Refused.
        """
        self._root = address.root
        self._client = paramiko.SSHClient()
        self._patience = PATIENCE * timeout
        self.deadline = Deadline(self._patience, self._client.close)
        if host_key is None and known_hosts is not None and os.path.isfile(known_hosts):
            try:
                self._client.load_host_keys(str(known_hosts))
            except (OSError, paramiko.SSHException) as error:
                raise ServerRefused(f"{known_hosts} cannot be read: {tame(str(error))}") from error
        self._client.set_missing_host_key_policy(_HostKeys(address.server, host_key))
        try:
            self._client.connect(
                address.host,
                address.port,
                username=user,
                password=password,
                timeout=timeout,
                banner_timeout=timeout,
                auth_timeout=timeout,
                allow_agent=password is None,
                look_for_keys=password is None,
            )
            transport = self._client.get_transport()
            assert transport is not None
            self._sftp = _Client.from_transport(transport)
            assert self._sftp is not None
            channel = self._sftp.get_channel()
            assert channel is not None
            channel.settimeout(timeout)
        except paramiko.BadHostKeyException as error:
            self._client.close()
            shown = f"{error.key.get_name()} {error.key.fingerprint}"
            raise ServerRefused(
                f"its host key has changed: {shown} is not the one in {known_hosts}",
                f"Somebody may be in between. If you know why it changed, take the line of {address.server} out there.",
            ) from None
        except paramiko.AuthenticationException:
            self._client.close()
            how = "wrong name or password" if password is not None else "it takes none of your keys"
            raise ServerRefused(f"it does not let {user} in: {how}") from None
        except Exception as error:
            self._client.close()
            with _translating():
                raise error from None
        except BaseException:
            self._client.close()
            raise

    def _at(self, path: str) -> Any:  # bytes, which the library takes wherever it takes text
        place = (f"{self._root}/{path}" if path else self._root) or "/"
        return place.encode("utf-8", "surrogateescape")

    @property
    def _files(self) -> _Client:
        assert self._sftp is not None
        return self._sftp

    @_timed
    def entries(self, folder: str) -> list[Listed]:
        """What is in a folder."""
        return [_listed(one.filename, one) for one in self._files.each(self._at(folder))]

    @_timed
    def look_up(self, path: str) -> Listed | None:
        """What is at a path; a link is not followed."""
        try:
            return _listed(base(path), self._files.lstat(self._at(path)))
        except FileNotFoundError:
            return None

    def read(self, path: str, offset: int = 0, length: int | None = None) -> Iterator[bytes]:
        """A file's bytes from a place on, with several requests under way at a time."""
        with _translating(), self.deadline:
            stream = self._files.open(self._at(path), "rb")
        try:
            with _translating(), self.deadline:
                size = stream.stat().st_size or 0
                stream.seek(offset)
            left, at, ahead, pace = length, offset, offset, Pace(self._patience)
            while left is None or left > 0:
                if at >= ahead and at < size and (left is None or left > BLOCK_BYTES):
                    # In windows: what the server says of the size is not believed, nor asked for in one go.
                    ahead = min(size, at + WINDOW_BYTES, size if left is None else at + left)
                    stream.prefetch(ahead, AHEAD)
                with _translating(), self.deadline:
                    block = stream.read(BLOCK_BYTES if left is None else min(BLOCK_BYTES, left))
                if not block:
                    return
                at += len(block)
                left = None if left is None else left - len(block)
                pace.note(len(block))
                yield block
        finally:
            with contextlib.suppress(Exception):
                stream.close()

    def write(self, path: str, blocks: Iterable[bytes], offset: int = 0) -> None:
        """Write a file; what the server says of each block is waited for at the end."""
        with _translating():
            stream = self._files.open(self._at(path), "r+b" if offset else "wb")
            stream.set_pipelined(True)
            if offset:
                stream.seek(offset)
        try:
            for block in blocks:
                with _translating():
                    stream.write(block)
            with _translating():
                stream.close()
        finally:
            with contextlib.suppress(Exception):
                stream.close()

    @_timed
    def rename(self, old: str, new: str) -> None:
        """Rename over another file by OpenSSH's extension, where the server has it."""
        try:
            self._files.posix_rename(self._at(old), self._at(new))
        except FileNotFoundError:
            raise
        except OSError as error:
            if error.errno is not None:
                raise
            self._files.rename(self._at(old), self._at(new))

    @_timed
    def delete(self, path: str) -> None:
        """Remove a file."""
        self._files.remove(self._at(path))

    @_timed
    def make_folder(self, path: str) -> None:
        """Make one folder."""
        self._files.mkdir(self._at(path))

    @_timed
    def remove_folder(self, path: str) -> None:
        """Remove an empty folder."""
        self._files.rmdir(self._at(path))

    @_timed
    def set_time(self, path: str, modified: int) -> bool:
        """Set a file's time, to the second."""
        seconds = modified // 10**9
        try:
            self._files.utime(self._at(path), (seconds, seconds))
        except OSError as error:
            if error.errno is not None:
                raise
            return False
        return True

    def take_mode(self, path: str, like: str) -> None:
        """Give a file the permissions of another one, as far as the server lets us."""
        with contextlib.suppress(Denied), _translating():
            mode = self._files.stat(self._at(like)).st_mode
            if mode is not None:
                self._files.chmod(self._at(path), mode & PERMISSIONS)

    def set_mode(self, path: str, mode: int) -> None:
        """Give a file its permissions, as far as the server lets us."""
        with contextlib.suppress(Denied), _translating():
            self._files.chmod(self._at(path), mode)

    def close(self) -> None:
        """Say good-bye."""
        self.deadline.close()
        with contextlib.suppress(Exception):
            self._client.close()


def _listed(name: str, one: paramiko.SFTPAttributes) -> Listed:
    mode = one.st_mode or 0
    folder = stat.S_ISDIR(mode)
    odd = "" if folder or stat.S_ISREG(mode) or not stat.S_IFMT(mode) else "is not a regular file (a link or a device)"
    size = -1 if one.st_size is None or folder else one.st_size
    return Listed(name, folder=folder, size=size, modified=(one.st_mtime or 0) * 10**9, odd=odd)
