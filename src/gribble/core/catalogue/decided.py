"""An adding to a catalogue that is decided: carried out file by file, and finished where it was cut short."""

from __future__ import annotations

import contextlib
import os
import shutil
from pathlib import Path

import msgspec
from msgspec import Struct

from gribble.core.base.changing import flush_folder
from gribble.core.base.errors import ExitCode, GribbleError, reason_of
from gribble.core.base.filewriter import Stamp, ThereError, locked, put_away, stamp_of, take_place
from gribble.core.base.paths import MEMORY_FOLDER, is_link, path_fault
from gribble.core.base.regular import read_regular

STAGE, FILES, PLAN = "adding", "files", "plan.json"
"""The folder of an adding that is decided, in the catalogue's `.gribble`; in it the files that arrive, and a plan."""
_MOST_PLAN = 16 << 20


class AddingPlan(Struct, frozen=True):
    """What is to be done: the files that arrive, each with the stamp of what it replaces, and what goes away."""

    files: dict[str, Stamp | None]
    away: dict[str, Stamp]


def decided_in(target: Path) -> Path:
    """Where an adding to a catalogue folder lies once it is decided."""
    return target / MEMORY_FOLDER / STAGE


def finish_added(target: Path) -> dict[str, str] | None:
    """Finish an adding that was cut short after it was decided: where the former files are kept, by name; None if
    there is none. Raises GribbleError if the catalogue cannot be written."""
    target = Path(os.path.realpath(target))
    stage = decided_in(target)
    if not os.path.isdir(stage) or is_link(stage) or is_link(stage.parent):
        return None
    try:
        with locked(target):
            return carry_out(target, stage) if os.path.isdir(stage) else None
    except OSError as error:
        raise _unfinished(target, reason_of(error)) from error


def carry_out(target: Path, stage: Path) -> dict[str, str]:
    """Do what is left of an adding that is decided; where the former files are kept. The catalogue is `locked`.

    What was changed meanwhile stays. Raises GribbleError if something cannot be written. The next command that reads
    the catalogue does the rest.
    """
    try:
        return _carried_out(target, stage)
    except (OSError, msgspec.MsgspecError) as error:
        raise _unfinished(target, reason_of(error) if isinstance(error, OSError) else str(error)) from error


def _unfinished(target: Path, why: str) -> GribbleError:
    return GribbleError(
        f"an earlier catalogue add to {target} was cut short and cannot be finished: {why}",
        fix=f"Give yourself write permission for {target}, or make room. The next command finishes it.",
        code=ExitCode.FAILED,
    )


def _carried_out(target: Path, stage: Path) -> dict[str, str]:
    plan = msgspec.json.decode(read_regular(stage / PLAN, _MOST_PLAN, through_links=False), type=AddingPlan)
    kept: dict[str, str] = {}
    for name, stamp in plan.files.items():
        staged, place = stage / FILES / name, target / name
        if path_fault(name) or not os.path.lexists(staged):
            continue
        place.parent.mkdir(parents=True, exist_ok=True)
        with contextlib.suppress(ThereError):  # what has come there meanwhile stays
            if stamp_of(place) == stamp and (former := take_place(staged, place, stamp)):
                kept[name] = former.name
    for name, stamp in plan.away.items():
        if not path_fault(name) and stamp_of(target / name) == stamp:
            kept[name] = put_away(target / name).name
    shutil.rmtree(stage)
    flush_folder(stage.parent)
    return kept
