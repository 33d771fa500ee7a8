"""The journal of one run: JSON Lines; each intent is flushed to the disk before what it announces is done.

The first line holds the run's number, rig, time and steps. Then, for each step, `begin` (the intent: which folders it
will make), `wrote` (what is about to take its place) and `done` or `failed`; `end` closes the run. An undo appends
`turn` and `back` (or `left`) lines and an end of its own. A line cut short by a kill is left out of account.

Each line carries a code (`mac`) by which a later reading knows that this user's Gribble wrote it, and what came before:
HMAC-SHA256 (RFC 2104) with the user's secret over the code of the line before and the line itself. A journal that came
with a rig is shown, but neither carried out nor taken back, unless the user adopts it.

Beside the journal lies its ballast (`.room`): room on the disk, and a file's name, that an undo can have where
everything else is full by then.
"""

from __future__ import annotations

import contextlib
import errno
import hmac
import io
import json
import os
from collections.abc import Callable, Iterator, Mapping
from functools import cached_property
from pathlib import Path
from typing import Any

import msgspec
from msgspec import Struct

from gribble.core.base.budget import JOURNAL_OF_OTHERS, size_words
from gribble.core.base.changing import PERMISSIONS, flush_file, flush_folder, remove, replace
from gribble.core.base.errors import ExitCode, GribbleError, reason_of
from gribble.core.base.filewriter import PRIVATE, put_own
from gribble.core.base.paths import path_fault, run_number
from gribble.core.base.regular import NO_LINKS, open_regular, read_regular
from gribble.core.placing.planfile import step_faults
from gribble.core.records.steps import Step, Writing

FORMAT = "run/1"
CODE_DIGITS = 32
"""How much of an HMAC is in a line, in hex digits."""
MOST_BYTES = 1 << 30
"""A larger file is no journal, in bytes."""
_CODE, _CLOSE = b', "mac": "', b'"}'
"""What stands around the code at the end of a line."""
_LONGEST_CODE = len(_CODE) + CODE_DIGITS + len(_CLOSE)
_LONGEST_END = 1024
"""No last line of a run is longer, in bytes."""
BALLAST = ".room"
"""Ending of the file whose room an undo may have."""
BALLAST_BYTES = 16 << 10
"""The least ballast, in bytes: some blocks for lines that are flushed one by one."""
BALLAST_OF_STEP = 128
"""What each step adds to it, in bytes: two lines of an undo, twice over."""


class Begin(Struct, frozen=True, kw_only=True, omit_defaults=True):
    """The intent of a step: the folders it makes, and the permissions of what it displaces if that is read-only."""

    makes: tuple[str, ...] = ()
    mode: int | None = None


class Seal:
    """Signs the lines of journals with a secret of the user's, which is asked for when it is first needed."""

    def __init__(self, secret: Callable[[], bytes], rig: str = "") -> None:
        """`secret` may raise GribbleError. `rig` is the id of the rig whose journals are signed, empty if it has
        none: what was signed for one rig says nothing on another."""
        self._ask = secret
        self.rig = rig

    def of(self, rig: str) -> Seal:
        """The same for the journals of a rig, by its id."""
        return Seal(lambda: self._secret, rig)

    @cached_property
    def _secret(self) -> bytes:
        return self._ask()

    def made(self, line: Iterator[bytes]) -> bool:
        """Whether the first line of a journal, given piece by piece, has the code that this makes of it. Raises
        GribbleError where there is no secret."""
        code, held = hmac.new(self._secret, digestmod="sha256"), b""
        for piece in line:
            held += piece
            code.update(held[:-_LONGEST_CODE])
            held = held[-_LONGEST_CODE:]
        said, _, rest = held.rpartition(_CODE)
        code.update(said + b"}")
        return hmac.compare_digest(rest.removesuffix(_CLOSE), code.hexdigest()[:CODE_DIGITS].encode())

    def code(self, before: str, line: bytes) -> str:
        """The code of a line, by that of the line before it. Raises GribbleError if there is no secret."""
        return hmac.digest(self._secret, before.encode() + line, "sha256").hex()[:CODE_DIGITS]


class Run(Struct, kw_only=True):
    """What a journal says: the steps, and how far they and their undoing have come."""

    path: Path
    number: int
    rig: str
    when: str
    steps: tuple[Step, ...]
    begun: dict[int, Begin] = {}
    wrote: dict[int, str] = {}  # step number: digest of what it was about to put in place
    done: dict[int, str] = {}  # step number: digest of what was written, empty for a displaced file
    failed: dict[int, str] = {}
    turned: set[int] = set()  # steps whose undoing has begun
    back: set[int] = set()
    left: set[int] = set()  # steps that an undo has left as they are, and that can still be taken back
    end: str = ""
    undoing: bool = False
    code: str = ""  # of the last line
    foreign: str = ""  # why this is not to be carried out or taken back: nobody knows who wrote it
    adopted: bool = False

    @property
    def state(self) -> str:
        """ "done", "undone", or "open" for a run (or an undo) that was cut short."""
        return self.end or "open"

    def slot(self, number: int) -> str:
        """The slot of the attic for what a step displaces: worked out, never read."""
        return f"{self.number:04d}/{number}/{self.steps[number].displaces or ''}"

    @property
    def bytes(self) -> int:
        """What the finished steps have written, in bytes."""
        return sum(self.steps[number].bytes for number in self.done)


class Journal:
    """Appends to a run's journal. An intent is on the disk before the call returns; what is done gets there with the
    next intent (until then a power cut makes finishing look at the content again)."""

    def __init__(self, path: Path, seal: Seal) -> None:
        self._path = path
        self._seal = seal

    def start(self, number: int, rig: str, when: str, steps: tuple[Step, ...]) -> Run:
        """Begin the journal of a new run."""
        runs = self._path.parent
        try:
            for folder in (runs.parent, runs):  # not the rig, which may have been pulled out
                folder.mkdir(exist_ok=True, mode=0o700)
        except OSError as error:
            raise self._unwritable(error) from error
        run = Run(path=self._path, number=number, rig=rig, when=when, steps=steps)
        steps_ = [msgspec.to_builtins(step) for step in steps]
        head = {"gribble": FORMAT, "run": number, "rig": rig, "when": when, "id": self._seal.rig, "steps": steps_}
        self._append(run, head, first=True)
        for folder in (runs, runs.parent, runs.parent.parent):  # a journal whose name is lost is lost
            flush_folder(folder)
        self._take_ballast(BALLAST_BYTES + BALLAST_OF_STEP * len(steps))
        return run

    def begin(self, run: Run, begun: Mapping[int, Begin]) -> None:
        """Note the intents of some steps."""
        run.begun.update(begun)
        self._append(run, *({"begin": step, **msgspec.to_builtins(begin)} for step, begin in begun.items()))

    def wrote(self, run: Run, wrote: Mapping[int, str]) -> None:
        """Note what is about to take some places, by its digests, so that it is told apart from what a user puts there.
        That is flushed where the step itself does not say what comes."""
        run.wrote.update(wrote)
        flush = any(not run.steps[step].proof.known() for step in wrote)
        self._append(run, *({"wrote": step, "sha1": sha1} for step, sha1 in wrote.items()), flush=flush)

    def done(self, run: Run, done: Mapping[int, str]) -> None:
        """Note steps as done, with the SHA-1 (where the plan only knew one: the SHA-256) of what is there now."""
        run.done.update(done)
        self._append(run, *({"done": step, "sha1": sha1} for step, sha1 in done.items()), flush=False)

    def failed(self, run: Run, step: int, reason: str) -> None:
        """Note that a step was refused and changed nothing."""
        run.failed[step] = reason
        self._append(run, {"failed": step, "reason": reason})

    def turn(self, run: Run, step: int) -> None:
        """Note the intent of taking a step back."""
        run.undoing, run.end = True, ""
        run.turned.add(step)
        self._append(run, {"turn": step}, drop=True)

    def back(self, run: Run, step: int) -> None:
        """Note a step as taken back."""
        run.back.add(step)
        run.left.discard(step)
        self._append(run, {"back": step}, flush=False, drop=True)

    def left(self, run: Run, step: int) -> None:
        """Note a step as left as it is, since somebody has saved another file there."""
        run.left.add(step)
        self._append(run, {"left": step}, flush=False, drop=True)

    def end(self, run: Run, state: str) -> None:
        """Close the run as "done" or "undone"."""
        run.end = state
        self._append(run, {"end": state}, drop=state == "undone")
        if state == "undone":
            self.drop_ballast()

    def write_line(self, run: Run, line: dict[str, Any], *, first: bool) -> None:
        """A line as it is, signed."""
        self._append(run, line, first=first)

    def _take_ballast(self, size: int) -> None:
        """Set room aside for the undo; written in full, since a hole is no room."""
        try:
            remove(self._ballast, missing_ok=True)
            handle = os.open(self._ballast, os.O_WRONLY | os.O_CREAT | os.O_EXCL | NO_LINKS, PRIVATE)
            with os.fdopen(handle, "wb") as stream:
                stream.write(os.urandom(size))  # which no file system can shrink
                stream.flush()
                flush_file(stream.fileno())
        except OSError as error:
            with contextlib.suppress(OSError):
                remove(self._ballast, missing_ok=True)
                remove(self._path)
            raise self._unwritable(error) from error

    def drop_ballast(self) -> None:
        """Give back the room that was set aside."""
        with contextlib.suppress(OSError):
            remove(self._ballast)
            if hasattr(os, "sync"):
                os.sync()  # some file systems have it only then

    @property
    def _ballast(self) -> Path:
        return self._path.with_suffix(BALLAST)

    def _append(
        self, run: Run, *lines: dict[str, Any], first: bool = False, flush: bool = True, drop: bool = False
    ) -> None:
        """Write lines. `drop` lets them have the room that was set aside, where there is none else."""
        if not lines:
            return
        code, data = run.code, b""
        for line in lines:
            said = json.dumps(line).encode()
            code = self._seal.code(code, said)
            # A leading line break keeps a line that a kill cut short from swallowing this one.
            data += (b"" if first else b"\n") + said[:-1] + _CODE + code.encode() + _CLOSE
        try:
            try:
                self._write(data, first, flush)
            except OSError as error:
                if not drop or error.errno not in (errno.ENOSPC, errno.EDQUOT):
                    raise
                self.drop_ballast()
                self._write(data, first, flush)
        except OSError as error:
            raise self._unwritable(error) from error
        run.code = code

    def _write(self, data: bytes, first: bool, flush: bool) -> None:
        how = os.O_EXCL if first else os.O_APPEND
        handle = os.open(self._path, os.O_WRONLY | os.O_CREAT | how | NO_LINKS, PRIVATE)
        with os.fdopen(handle, "wb") as stream:
            stream.write(data)
            stream.flush()
            if flush:
                flush_file(stream.fileno())

    def _unwritable(self, error: OSError) -> GribbleError:
        return GribbleError(
            f"the journal {self._path} cannot be written: {reason_of(error)}",
            fix="Nothing more was changed. Make room or give write permission, then run gribble place --resume.",
            code=ExitCode.FAILED,
        )


def read_run(path: Path, seal: Seal) -> Run | None:
    """The run in a journal; None if its first line is cut short or is none (nothing was done then).

    Where it was not written with this seal, or has steps of no kind that is known, the run is `foreign`. Raises
    GribbleError where the file cannot be read.
    """
    try:
        with open_regular(path, through_links=False) as stream:
            if os.fstat(stream.fileno()).st_size > JOURNAL_OF_OTHERS and not _is_signed(stream, seal):
                raise OSError(errno.EFBIG, f"has more than {size_words(JOURNAL_OF_OTHERS)}, and is none of this user's")
        lines = read_regular(path, MOST_BYTES, through_links=False).split(b"\n")
    except OSError as error:
        raise GribbleError(
            f"the journal {path} cannot be read: {reason_of(error)}",
            fix="Give read permission. If it is a link or not yours, remove it. Without it Gribble cannot undo runs.",
            code=ExitCode.FAILED,
        ) from error
    head = _line(lines[0])
    run = _run(path, head) if head else None
    if head is None or run is None:
        return None
    last = b""
    _check_code(run, seal, lines[0])
    if not run.foreign and head.get("id", seal.rig) != seal.rig:
        run.foreign = "it was begun on another rig, or this one has lost its id"
    if run.foreign:  # one's own was begun with the steps it has: all but those that no store takes can be undone
        faults = (
            f"steps[{n}].{key} {what}" for n, one in enumerate(run.steps) for key, what in step_faults(one, (run.rig,))
        )
        if fault := next(faults, ""):
            run.steps, run.foreign = (), f"its journal has a step that no plan has: {fault}"
    for line in lines[1:]:
        read = _line(line) if line != last else None  # a line that was written again, since flushing it failed
        last = line
        if read is not None:
            _check_code(run, seal, line)
            with contextlib.suppress(ValueError, KeyError, TypeError, msgspec.ValidationError):
                _apply(run, read)
    return run


def _is_signed(stream: io.BufferedReader, seal: Seal) -> bool:
    """Whether the first line of a journal, however long, is signed with a seal."""

    def pieces() -> Iterator[bytes]:
        while (piece := stream.readline(1 << 20)) and not piece.endswith(b"\n"):
            yield piece
        yield piece.removesuffix(b"\n")

    try:
        return seal.made(pieces())
    except GribbleError:
        return False


def end_of(path: Path) -> str:
    """How a run has ended, "done" or "undone", where the last line of its journal says so, else nothing: one look at a
    file that may be long."""
    try:
        with open_regular(path, through_links=False) as stream:
            stream.seek(max(0, os.fstat(stream.fileno()).st_size - _LONGEST_END))
            _, broken, last = stream.read().rpartition(b"\n")
    except OSError:
        return ""  # the whole look tells why
    line = _line(last) if broken else None
    if line is None or line.keys() != {"end", "mac"}:
        return ""
    return next((state for state in ("done", "undone") if line["end"] == state), "")


def _line(data: bytes) -> dict[str, Any] | None:
    """One line; None if it was cut short, or is none."""
    try:
        line = msgspec.json.decode(data)
    except (ValueError, msgspec.DecodeError, RecursionError):
        try:
            line = json.loads(data)  # which knows names that are not UTF-8
        except (ValueError, RecursionError):
            return None
    return line if isinstance(line, dict) else None


def _run(path: Path, head: dict[str, Any]) -> Run | None:
    """A run by its first line; without its steps where there is one that no plan has."""
    number, rig, when = head.get("run"), head.get("rig"), head.get("when")
    if not isinstance(rig, str) or not isinstance(when, str) or not number or number != run_number(path.stem):
        return None
    run = Run(path=path, number=number, rig=rig, when=when, steps=(), adopted=head.get("adopted") is True)
    try:
        run.steps = msgspec.convert(head.get("steps"), tuple[Step, ...])
    except (ValueError, TypeError, RecursionError, OverflowError) as error:
        run.foreign = f"its journal has a step that no plan has: {error}"
    return run


def _check_code(run: Run, seal: Seal, line: bytes) -> None:
    """Mark a run where the code at the end of a line is not what the seal makes of what stands before it."""
    said, _, rest = line.rpartition(_CODE)
    code = rest.removesuffix(_CLOSE)
    try:
        known = rest != code and hmac.compare_digest(code, seal.code(run.code, said + b"}").encode())
    except GribbleError as error:
        known, run.foreign = False, error.what
    if not known:
        run.foreign = run.foreign or "it was not begun on this machine, or its journal was changed"
    run.code = code.decode(errors="replace")


def _apply(run: Run, line: dict[str, Any]) -> None:
    for word in ("begin", "wrote", "done", "failed", "turn", "back", "left"):
        if word in line and not (type(line[word]) is int and 0 <= line[word] < len(run.steps)):
            return
    match line:
        case {"begin": int(step)}:
            begin = msgspec.convert(line, Begin)
            above = run.steps[step].place if isinstance(run.steps[step], Writing) else ""
            if all(above.startswith(f"{folder}/") and not path_fault(folder) for folder in begin.makes):
                run.begun[step] = begin
        case {"wrote": int(step), "sha1": str(sha1)}:
            run.wrote[step] = sha1
        case {"done": int(step), "sha1": str(sha1)}:
            run.done[step] = sha1
        case {"failed": int(step), "reason": str(reason)}:
            run.failed[step] = reason
        case {"turn": int(step)}:
            run.undoing, run.end = True, ""
            run.turned.add(step)
        case {"back": int(step)}:
            run.back.add(step)
            run.left.discard(step)
        case {"left": int(step)}:
            run.left.add(step)
        case {"end": "done" | "undone" as state}:
            run.end = state


def runs_in(folder: Path, seal: Seal, state: str = "") -> list[Run]:
    """The runs whose journals are in a folder, oldest first, or those in one `state`; none if the folder is absent.
    One that cannot be read is there, too, but nothing is known of it."""
    runs = (run_at(path, seal) for path in journals_in(folder) if not state or end_of(path) in ("", state))
    return sorted((run for run in runs if run and state in ("", run.state)), key=lambda run: run.number)


def journals_in(folder: Path) -> list[Path]:
    """The journals in a folder, oldest first."""
    try:
        paths = [path for path in folder.iterdir() if path.suffix == ".jsonl"]
    except OSError:
        return []
    return sorted(paths, key=lambda path: (run_number(path.stem), path.name))


def run_at(path: Path, seal: Seal) -> Run | None:
    """The run in a journal, be it one that cannot be read; None if it is none."""
    try:
        return read_run(path, seal)
    except GribbleError as error:
        if not (number := run_number(path.stem)):
            return None
        return Run(path=path, number=number, rig="", when="", steps=(), foreign=error.what)


def adopt(run: Run, seal: Seal) -> None:
    """Sign a journal again, so that its run counts as one of this machine's; the former file is kept beside it.

    Raises GribbleError.
    """
    work, kept = run.path.with_suffix(".adopting"), run.path.with_suffix(".foreign")
    signed = Run(path=work, number=run.number, rig=run.rig, when=run.when, steps=())
    journal = Journal(work, seal)
    try:
        data = read_regular(run.path, MOST_BYTES, through_links=False)
        for path in (work, kept):
            remove(path, missing_ok=True)  # of an earlier try that was cut short
        put_own(kept, data)
        lines = [line for one in data.split(b"\n") if (line := _line(one)) is not None]
        lines[0]["id"] = seal.rig
        for number, line in enumerate(lines):
            line.pop("mac", None)
            if type(line.get("mode")) is int:
                line["mode"] &= PERMISSIONS
            journal.write_line(signed, {**line, "adopted": True} if not number else line, first=not number)
        replace(work, run.path)
        flush_folder(run.path.parent)
    except OSError as error:
        raise GribbleError(
            f"the journal {run.path} cannot be signed: {reason_of(error)}",
            fix="Nothing was changed. Make room or give write permission, then run the command again.",
            code=ExitCode.FAILED,
        ) from error
