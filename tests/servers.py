"""Servers on this machine that misbehave on purpose, for the tests of network rigs and of lists from the web."""

from __future__ import annotations

import errno
import gzip
import os
import socket
import ssl
import stat
import threading
import warnings
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from datetime import UTC, datetime, timedelta
from email.utils import parsedate_to_datetime
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any, ClassVar

import paramiko
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from msgspec import Struct
from paramiko.common import AUTH_FAILED, AUTH_SUCCESSFUL, OPEN_SUCCEEDED
from paramiko.sftp import SFTP_FAILURE, SFTP_OK

from gribble.core.base.addresses import Address
from gribble.demo.handheld import handheld
from gribble.demo.sheets import HANDHELD_PASSWORD, HANDHELD_USER

with warnings.catch_warnings():
    warnings.simplefilter("ignore", DeprecationWarning)
    from pyftpdlib.handlers import DTPHandler, FTPHandler

HOST_KEY = paramiko.RSAKey.generate(2048)


class Weather(Struct):
    """What goes wrong at a server: the `fault`, at its n-th command (`at`), and what it has seen so far.

    `down` refuses everything, `bytes` is how much of a transfer comes through, `full` lets no file grow.
    """

    fault: str = ""
    at: int = 0
    bytes: int = 0
    commands: int = 0
    down: bool = False
    full: bool = False
    cutting: bool = False
    killed: bool = False
    log: list[str] = []
    connections: int = 0

    def break_off(self) -> None:
        """The connection ends: for now, for good, or since the one who made it is killed."""
        self.down = self.fault.startswith("gone")
        self.killed = self.fault.startswith("kill")


class FaultyData(DTPHandler):  # type: ignore[misc]
    """A data connection that breaks after some bytes, or a disk that is full."""

    def use_sendfile(self) -> bool:
        return False

    def _weather(self) -> Weather:
        weather: Weather = self.cmd_channel.weather
        return weather

    def _cut(self) -> None:
        self._weather().cutting = False
        channel = self.cmd_channel
        self.close()
        channel.close()

    def handle_read(self) -> None:
        if self._weather().cutting and self.tot_bytes_received >= self._weather().bytes:
            self._cut()
            return
        if self._weather().full and self.file_obj is not None:
            self._resp = ("552 No space left on the card.", lambda *_: None)
            self.close()
            return
        super().handle_read()

    handle_read_event = handle_read

    def send(self, data: bytes) -> int:
        if self._weather().cutting:
            left = self._weather().bytes - self.tot_bytes_sent
            sent = int(super().send(data[:left])) if left > 0 else 0
            if left <= len(data):
                self._cut()
            return sent
        return int(super().send(data))


class FaultyFtp(FTPHandler):  # type: ignore[misc]
    """A server with weather; `weather` is set by a subclass."""

    dtp_handler = FaultyData
    weather: Weather
    _muted = False

    def on_connect(self) -> None:
        self.weather.connections += 1
        if self.weather.down:
            self.close()

    def push(self, data: Any) -> None:
        if not self._muted:
            super().push(data)

    def pre_process_command(self, line: str, cmd: str, arg: str) -> None:
        weather = self.weather
        weather.log.append(line if cmd != "PASS" else cmd)
        if weather.down:
            self.close()
            return
        counted = cmd not in ("USER", "PASS", "FEAT", "OPTS", "TYPE", "QUIT", "PASV", "EPSV")
        weather.commands += counted
        if not counted or weather.commands != weather.at:
            super().pre_process_command(line, cmd, arg)
            return
        match weather.fault:
            case "before" | "gone" | "kill":
                weather.break_off()
                self.close()
            case "after" | "gone after" | "kill after":
                self._muted = True
                super().pre_process_command(line, cmd, arg)
                weather.break_off()
                self.close()
            case "hang":
                return
            case "nonsense":
                self.push("??? what\r\n")
            case "full":
                weather.full = True
                super().pre_process_command(line, cmd, arg)
            case "cut":
                weather.cutting = True
                super().pre_process_command(line, cmd, arg)
            case _:
                super().pre_process_command(line, cmd, arg)


class OldFtp(FaultyFtp):
    """A server of the plainest kind: no MLSD, no times to be set, hidden names not listed, no renaming over a file."""

    proto_cmds: ClassVar = {
        name: rule for name, rule in FTPHandler.proto_cmds.items() if name not in ("MLSD", "MLST", "MFMT")
    }

    def ftp_RNTO(self, path: str) -> Any:
        if os.path.lexists(path):
            self._rnfr = None
            self.respond("553 There is a file of that name.")
            return None
        return super().ftp_RNTO(path)

    def ftp_LIST(self, path: str) -> Any:
        lines = []
        for name in sorted(os.listdir(path)):
            status = os.lstat(os.path.join(path, name))
            kind = "d" if stat.S_ISDIR(status.st_mode) else "-"
            if not name.startswith("."):
                lines.append(f"{kind}rw-r--r--   1 keeper  keeper {status.st_size:>10} Mar  1  1998 {name}\r\n")
        self.push_dtp_data("".join(lines).encode("utf-8", "surrogateescape"), isproducer=False, cmd="LIST")


@contextmanager
def ftp_server(root: Path, weather: Weather, kind: type[FaultyFtp] = FaultyFtp) -> Iterator[Address]:
    """Serve a folder by FTP, with weather."""
    handler = type("Own", (kind,), {"weather": weather})
    with handheld(root, 0, handler) as port:
        yield Address(kind="ftp", host="127.0.0.1", port=port, user=HANDHELD_USER)


def certificate(folder: Path) -> Path:
    """A new certificate of this machine's, with its key, in one PEM file."""
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(x509.NameOID.COMMON_NAME, "the handheld")])
    now = datetime.now(UTC)
    signed = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(days=1))
        .not_valid_after(now + timedelta(days=1))
        .add_extension(x509.BasicConstraints(ca=True, path_length=None), critical=True)
        .sign(key, hashes.SHA256())
    )
    file = folder / "handheld.pem"
    private = key.private_bytes(
        serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    )
    file.write_bytes(private + signed.public_bytes(serialization.Encoding.PEM))
    return file


@contextmanager
def ftps_server(root: Path, pem: Path) -> Iterator[Address]:
    """Serve a folder by FTP over TLS, which is insisted on."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", DeprecationWarning)
        from pyftpdlib.handlers import TLS_FTPHandler

        wanted = {"certfile": str(pem), "tls_control_required": True, "tls_data_required": True}
        handler = type("Safe", (TLS_FTPHandler,), wanted)
        with handheld(root, 0, handler) as port:
            yield Address(kind="ftps", host="127.0.0.1", port=port, user=HANDHELD_USER)


class _Login(paramiko.ServerInterface):
    def check_auth_password(self, username: str, password: str) -> int:
        right = (username, password) == (HANDHELD_USER, HANDHELD_PASSWORD)
        return AUTH_SUCCESSFUL if right else AUTH_FAILED

    def check_channel_request(self, _kind: str, _chanid: int) -> int:
        return OPEN_SUCCEEDED

    def get_allowed_auths(self, _username: str) -> str:
        return "password"


class _Handle(paramiko.SFTPHandle):
    def stat(self) -> Any:
        return paramiko.SFTPAttributes.from_stat(os.fstat(self.readfile.fileno()))  # type: ignore[attr-defined]


class _Files(paramiko.SFTPServerInterface):
    """A folder by SFTP; renaming over a file only by the extension."""

    def __init__(self, _server: Any, root: Path, weather: Weather) -> None:
        self._root = root
        self._weather = weather

    def _at(self, path: str) -> str:
        place: str = os.path.normpath("/" + path).lstrip("/")
        return os.path.join(self._root, place)

    def _count(self) -> None:
        weather = self._weather
        weather.commands += 1
        if weather.down:
            raise EOFError
        if weather.commands == weather.at and weather.fault in ("before", "gone", "kill"):
            weather.break_off()
            raise EOFError

    def _done(self, act: Any, *args: Any) -> int:
        self._count()
        try:
            act(*args)
        except OSError as error:
            return paramiko.SFTPServer.convert_errno(error.errno or errno.EIO)
        weather = self._weather
        if weather.commands == weather.at and weather.fault in ("after", "gone after", "kill after"):
            weather.break_off()
            raise EOFError
        return SFTP_OK

    def list_folder(self, path: str) -> Any:
        self._count()
        try:
            names = os.listdir(self._at(path))
        except OSError as error:
            return paramiko.SFTPServer.convert_errno(error.errno or errno.EIO)
        listed = [paramiko.SFTPAttributes.from_stat(os.lstat(os.path.join(self._at(path), name))) for name in names]
        for one, name in zip(listed, names, strict=True):
            one.filename = os.fsencode(name)  # type: ignore[assignment]  # its bytes, whatever they are
        return listed

    def stat(self, path: str) -> Any:
        return self.lstat(path)

    def lstat(self, path: str) -> Any:
        self._count()
        try:
            return paramiko.SFTPAttributes.from_stat(os.lstat(self._at(path)))
        except OSError as error:
            return paramiko.SFTPServer.convert_errno(error.errno or errno.EIO)

    def open(self, path: str, flags: int, _attr: Any) -> Any:
        self._count()
        try:
            file = os.fdopen(os.open(self._at(path), flags, 0o644), "wb+" if flags & os.O_TRUNC else "rb+")
        except OSError as error:
            return paramiko.SFTPServer.convert_errno(error.errno or errno.EIO)
        handle = _Handle(flags)
        handle.readfile = handle.writefile = file  # type: ignore[attr-defined]
        return handle

    def remove(self, path: str) -> int:
        return self._done(os.remove, self._at(path))

    def rename(self, oldpath: str, newpath: str) -> int:
        if os.path.lexists(self._at(newpath)):
            return SFTP_FAILURE
        return self._done(os.rename, self._at(oldpath), self._at(newpath))

    def posix_rename(self, oldpath: str, newpath: str) -> int:
        return self._done(os.replace, self._at(oldpath), self._at(newpath))

    def mkdir(self, path: str, _attr: Any) -> int:
        return self._done(os.mkdir, self._at(path))

    def rmdir(self, path: str) -> int:
        return self._done(os.rmdir, self._at(path))

    def chattr(self, path: str, attr: Any) -> int:
        return self._done(paramiko.SFTPServer.set_file_attr, self._at(path), attr)


@contextmanager
def sftp_server(
    root: Path, weather: Weather, handler: type[paramiko.SubsystemHandler] | None = None
) -> Iterator[Address]:
    """Serve a folder by SFTP, with weather, or let a `handler` say what it likes; the host key is `HOST_KEY`."""
    listener = socket.create_server(("127.0.0.1", 0))
    transports: list[paramiko.Transport] = []

    def serve() -> None:
        while True:
            try:
                connection, _ = listener.accept()
            except OSError:
                return
            weather.connections += 1
            if weather.down:
                connection.close()
                continue
            transport = paramiko.Transport(connection)  # works in a thread of its own
            transport.add_server_key(HOST_KEY)
            if handler:
                transport.set_subsystem_handler("sftp", handler)
            else:
                transport.set_subsystem_handler("sftp", paramiko.SFTPServer, _Files, root, weather)
            transports.append(transport)
            with suppress(paramiko.SSHException, EOFError, OSError):  # one that hangs up at once
                transport.start_server(server=_Login())

    thread = threading.Thread(target=serve, daemon=True)
    thread.start()
    try:
        yield Address(kind="sftp", host="127.0.0.1", port=listener.getsockname()[1], user=HANDHELD_USER, root="")
    finally:
        listener.shutdown(socket.SHUT_RDWR)
        listener.close()
        for transport in transports:
            transport.close()


class Page(Struct):
    """What a web server has at a path: its bytes, the headers that go with them, and how they come: `pause` seconds
    between pieces, cut off after `cut` bytes, packed, with an `etag` or a `modified` that may be asked for."""

    body: bytes = b""
    status: int = 200
    headers: dict[str, str] = {}
    pieces: int = 1
    pause: float = 0.0
    cut: int | None = None
    packed: bool = False
    etag: str = ""
    modified: str = ""


class Site(Struct):
    """The pages of a web server, its address, and what it was asked: path, headers and the status of the answer."""

    address: str
    pages: dict[str, Page]
    asked: list[tuple[str, dict[str, str], int]] = []


@contextmanager
def web_server(pages: dict[str, Page], pem: Path | None = None) -> Iterator[Site]:
    """Serve pages on this machine, by https where there is a certificate."""
    enough = threading.Event()

    class Handler(BaseHTTPRequestHandler):
        protocol_version = "HTTP/1.1"

        def log_message(self, *_words: object) -> None:
            pass

        def do_GET(self) -> None:
            page, given = site.pages.get(self.path, Page(status=404)), {k.lower(): v for k, v in self.headers.items()}
            since = given.get("if-modified-since")
            same = (page.etag and given.get("if-none-match") == page.etag) or (
                page.modified and since and parsedate_to_datetime(page.modified) <= parsedate_to_datetime(since)
            )
            status = 304 if same else page.status
            site.asked.append((self.path, given, status))
            body = b"" if status == 304 else gzip.compress(page.body) if page.packed else page.body
            said = {
                "ETag": page.etag,
                "Last-Modified": page.modified,
                "Content-Encoding": "gzip" if page.packed else "",
            }
            self.send_response(status)
            for key, value in {**said, "Content-Length": str(len(body)), **page.headers}.items():
                if value:
                    self.send_header(key, value)
            self.end_headers()
            body = body[: page.cut]
            size = max(1, -(-len(body) // page.pieces))
            with suppress(OSError):
                for at in range(0, len(body), size):
                    if at and enough.wait(page.pause):
                        break
                    self.wfile.write(body[at : at + size])
                    self.wfile.flush()
            self.close_connection = page.cut is not None

    class Server(ThreadingHTTPServer):
        daemon_threads = True

        def handle_error(self, *_words: object) -> None:
            """A connection that is broken off is no news."""

    server = Server(("127.0.0.1", 0), Handler)
    if pem:
        context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
        context.load_cert_chain(pem)
        server.socket = context.wrap_socket(server.socket, server_side=True)
    kind = "https" if pem else "http"
    site = Site(f"{kind}://127.0.0.1:{server.server_address[1]}", pages)
    thread = threading.Thread(target=server.serve_forever, kwargs={"poll_interval": 0.01}, daemon=True)
    thread.start()
    try:
        yield site
    finally:
        enough.set()
        server.shutdown()
        server.server_close()
        thread.join()
