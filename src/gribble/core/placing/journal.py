"""The journal of one run: JSON Lines; each intent is flushed to the disk before what it announces is done.

The first line holds the run's number, rig, time and steps. Then, for each step, `begin` (the intent: what it will put
into the attic, which folders it will make), `wrote` (what is about to take its place) and `done` or `failed`; `end`
closes the run. An undo appends `turn` and `back` lines and an end of its own. A line cut short by a kill is left out of
account.

Beside the journal lies its ballast (`.room`): room on the disk, and a file's name, that an undo can have where
everything else is full by then.
"""

from __future__ import annotations

import contextlib
import errno
import json
import os
from pathlib import Path
from typing import Any

import msgspec
from msgspec import Struct, structs

from gribble.core.errors import ExitCode, GribbleError, reason_of
from gribble.core.placing.plan import Step

FORMAT = "run/1"
BALLAST = ".room"
"""Ending of the file whose room an undo may have."""
BALLAST_BYTES = 16 << 10
"""The least ballast, in bytes: some blocks for lines that are flushed one by one."""
BALLAST_OF_STEP = 128
"""What each step adds to it, in bytes: two lines of an undo, twice over."""


class Begin(Struct, frozen=True, kw_only=True):
    """The intent of a step: the slot for what it displaces, and the folders it will make."""

    slot: str
    makes: tuple[str, ...] = ()


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
    end: str = ""
    undoing: bool = False

    @property
    def state(self) -> str:
        """ "done", "undone", or "open" for a run (or an undo) that was cut short."""
        return self.end or "open"

    @property
    def bytes(self) -> int:
        """What the finished steps have written, in bytes."""
        return sum(self.steps[number].bytes for number in self.done)


class Journal:
    """Appends to a run's journal. An intent is on the disk before the call returns; what is done gets there with the
    next intent (until then a power cut makes finishing look at the content again)."""

    def __init__(self, path: Path) -> None:
        self._path = path

    def start(self, number: int, rig: str, when: str, steps: tuple[Step, ...]) -> Run:
        """Begin the journal of a new run."""
        try:
            for folder in (self._path.parent.parent, self._path.parent):  # not the rig, which may have been pulled out
                folder.mkdir(exist_ok=True)
        except OSError as error:
            raise self._unwritable(error) from error
        steps_ = [msgspec.to_builtins(step) for step in steps]
        self._append({"gribble": FORMAT, "run": number, "rig": rig, "when": when, "steps": steps_}, first=True)
        self._take_ballast(BALLAST_BYTES + BALLAST_OF_STEP * len(steps))
        return Run(path=self._path, number=number, rig=rig, when=when, steps=steps)

    def begin(self, run: Run, step: int, begin: Begin) -> None:
        """Note the intent of a step."""
        run.begun[step] = begin
        self._append({"begin": step, **structs.asdict(begin)})

    def wrote(self, run: Run, step: int, sha1: str) -> None:
        """Note what is about to take a place, by its digest, so that it is told apart from what a user puts there."""
        run.wrote[step] = sha1
        self._append({"wrote": step, "sha1": sha1}, flush=False)

    def done(self, run: Run, step: int, sha1: str) -> None:
        """Note a step as done, with the SHA-1 (where the plan only knew one: the SHA-256) of what lies there now."""
        run.done[step] = sha1
        self._append({"done": step, "sha1": sha1}, flush=False)

    def failed(self, run: Run, step: int, reason: str) -> None:
        """Note that a step was refused and changed nothing."""
        run.failed[step] = reason
        self._append({"failed": step, "reason": reason})

    def turn(self, run: Run, step: int) -> None:
        """Note the intent of taking a step back."""
        run.undoing, run.end = True, ""
        run.turned.add(step)
        self._append({"turn": step}, drop=True)

    def back(self, run: Run, step: int) -> None:
        """Note a step as taken back."""
        run.back.add(step)
        self._append({"back": step}, flush=False, drop=True)

    def end(self, run: Run, state: str) -> None:
        """Close the run as "done" or "undone"."""
        run.end = state
        self._append({"end": state}, drop=state == "undone")
        if state == "undone":
            self.drop_ballast()

    def _take_ballast(self, size: int) -> None:
        """Set room aside for the undo; written in full, since a hole is no room."""
        try:
            with self._ballast.open("wb") as stream:
                stream.write(os.urandom(size))  # which no file system can shrink
                stream.flush()
                os.fsync(stream.fileno())
        except OSError as error:
            with contextlib.suppress(OSError):
                self._ballast.unlink()
                self._path.unlink()
            raise self._unwritable(error) from error

    def drop_ballast(self) -> None:
        """Give back the room that was set aside."""
        with contextlib.suppress(OSError):
            self._ballast.unlink()
            if hasattr(os, "sync"):
                os.sync()  # some file systems have it only then

    @property
    def _ballast(self) -> Path:
        return self._path.with_suffix(BALLAST)

    def _append(self, line: dict[str, Any], *, first: bool = False, flush: bool = True, drop: bool = False) -> None:
        """Write a line. `drop` lets it have the room that was set aside, where there is none else."""
        try:
            try:
                self._write(line, first, flush)
            except OSError as error:
                if not drop or error.errno not in (errno.ENOSPC, errno.EDQUOT):
                    raise
                self.drop_ballast()
                self._write(line, first, flush)
        except OSError as error:
            raise self._unwritable(error) from error

    def _write(self, line: dict[str, Any], first: bool, flush: bool) -> None:
        with self._path.open("xb" if first else "ab") as stream:
            # A leading line break keeps a line that a kill cut short from swallowing this one.
            stream.write((b"" if first else b"\n") + json.dumps(line).encode())
            stream.flush()
            if flush:
                os.fsync(stream.fileno())

    def _unwritable(self, error: OSError) -> GribbleError:
        return GribbleError(
            f"the journal {self._path} cannot be written: {reason_of(error)}",
            fix="Nothing more was changed. Make room or give write permission, then run gribble place --resume.",
            code=ExitCode.FAILED,
        )


def read_run(path: Path) -> Run | None:
    """The run in a journal; None where its first line is cut short or is none (nothing was done then)."""
    try:
        lines = path.read_bytes().split(b"\n")
    except OSError as error:
        raise GribbleError(
            f"the journal {path} cannot be read: {reason_of(error)}",
            fix="Give read permission: without it no run can be finished or taken back.",
            code=ExitCode.FAILED,
        ) from error
    try:
        head = json.loads(lines[0])
        run = Run(
            path=path,
            number=head["run"],
            rig=head["rig"],
            when=head["when"],
            steps=msgspec.convert(head["steps"], tuple[Step, ...]),
        )
    except (ValueError, KeyError, TypeError, msgspec.ValidationError):
        return None
    for line in lines[1:]:
        try:
            _apply(run, json.loads(line))
        except (ValueError, KeyError, TypeError, msgspec.ValidationError):
            continue
    return run


def _apply(run: Run, line: dict[str, Any]) -> None:
    match line:
        case {"begin": int(step)}:
            run.begun[step] = msgspec.convert({"slot": line["slot"], "makes": line["makes"]}, Begin)
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
        case {"end": str(state)}:
            run.end = state


def runs_in(folder: Path) -> list[Run]:
    """The runs whose journals lie in a folder, oldest first; none where the folder is absent."""
    try:
        paths = sorted(path for path in folder.iterdir() if path.suffix == ".jsonl")
    except OSError:
        return []
    return sorted(filter(None, map(read_run, paths)), key=lambda run: run.number)
