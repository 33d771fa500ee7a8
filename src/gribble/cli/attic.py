"""`gribble attic list|restore|empty`: what runs have displaced."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from gribble.cli.command import Call, command
from gribble.cli.completing import runs
from gribble.cli.options import YesOption
from gribble.cli.running import place_plan
from gribble.cli.session import Session, ask
from gribble.core.base.amounts import count, size
from gribble.core.base.changing import WINDOWS
from gribble.core.base.errors import ExitCode, GribbleError
from gribble.core.base.filewriter import write_file
from gribble.core.base.names import escaped
from gribble.core.base.paths import base
from gribble.core.base.suggest import suggest
from gribble.core.placing.displaced import Kept, kept_files, restoring
from gribble.core.records.config import Scope
from gribble.core.records.steps import Plan
from gribble.stores.rigs import RigHome
from gribble.views.looks import shorten
from gribble.views.plan import attic_json, show_attic

RunOption = Annotated[
    int | None, typer.Option("--run", metavar="RUN", help="Only what this run put there.", autocompletion=runs)
]


@command("attic list", takes="rig at json config")
def list_(
    call: Call,
    run: RunOption = None,
) -> int:
    """Every file in the attics, newest run first.

    It looks at all rigs that are here, and shows each file's path and size.

    Example: gribble attic list --rig lighthouse
    """
    with Session(call, lenient=True) as session:
        session.notes.aside(*session.rigs.left_out(call.scope))
        kept = [one for _, one in _kept(session, call.scope, run)]
        if call.json:
            session.screen.json(attic_json(kept))
        else:
            show_attic(session.screen, kept, folded=run is None)
        return ExitCode.CLEAN


@command("attic restore", takes="rig at config", short=True)
def restore(
    call: Call,
    path: Annotated[str, typer.Argument(metavar="PATH", help="The file's place on the rig, or its name.")],
    run: RunOption = None,
    into: Annotated[
        str | None, typer.Option(metavar="FOLDER", help="Write it to this folder, not to its place.")
    ] = None,
    yes: YesOption = False,
) -> int:
    """Bring a replaced file back to its place.

    This is a run that you can undo. With --into it writes a copy in a folder instead.

    Example: gribble attic restore sandpiper/drive/drive.rom
    """
    with Session(call, lenient=True) as session:
        scope = call.scope
        found = [(where, one) for where, one in _kept(session, scope, run) if path in (one.path, base(one.path))]
        if not found:
            there = [name for _, one in _kept(session, scope, run) for name in (one.path, base(one.path))]
            near = suggest(path, list(dict.fromkeys(there)), most=0)
            raise GribbleError(f"there is no {path} in the attic{near}", fix="gribble attic list shows what is there.")
        rigs, places = {where.name for where, _ in found}, {one.path for _, one in found}
        if len(rigs) > 1 or len(places) > 1:
            raise GribbleError(
                f"several files have this name: {', '.join(sorted(places))} on {', '.join(sorted(rigs))}",
                fix="Name the whole path, and the rig: --rig RIG.",
            )
        where, one = found[0]
        if into:
            target = Path(into) / (escaped(base(one.path)) if WINDOWS else base(one.path))
            session.loaded.refuse_source(target, "--into")
            modified = where.store.local_kept(one.slot).stat().st_mtime_ns
            write_file(target, where.store.read_kept(one.slot), modified=modified)
            session.screen.say(f"{base(one.path)}, as it was before run {one.run}, is in {shorten(str(target))}.")
            return ExitCode.CLEAN
        return place_plan(session, scope, (), Plan(steps=(restoring(one, where.store),)), yes)


@command("attic empty", takes="rig at config")
def empty(
    call: Call,
    run: RunOption = None,
    yes: YesOption = False,
) -> int:
    """Delete the files in the attic; it asks first.

    You cannot undo these runs afterwards.

    Example: gribble attic empty --run 1
    """
    with Session(call, lenient=True) as session:
        screen, scope = session.screen, call.scope
        kept = _kept(session, scope, run)
        rigs = {where.name: where for where, _ in kept}
        open_runs = {(name, one.number) for name, where in rigs.items() for one in where.open_runs()}
        found = [(where, one) for where, one in kept if (where.name, one.run) not in open_runs]
        if not found:
            screen.say(
                "Nothing to delete: the attic is empty"
                + (", except for a run that was cut short." if open_runs else ".")
            )
            return ExitCode.CLEAN
        total = sum(one.size for _, one in found)
        runs = sorted({one.run for _, one in found if one.needed})
        screen.say(f"{count(len(found), 'file')}, {size(total)}: deleted files are gone for good.")
        if runs:
            screen.say(f"After that these runs cannot be undone: {', '.join(map(str, runs))}.")
        if not ask(session.call, "Delete them?", yes):
            return ExitCode.ATTENTION
        for where in {where.name: where for where, _ in found}.values():
            _delete(where, [one for other, one in found if other.name == where.name])
        screen.say(f"Deleted: {count(len(found), 'file')}, {size(total)}.")
        return ExitCode.CLEAN


def _delete(where: RigHome, kept: list[Kept]) -> None:
    """Delete files of a rig's attic, but those of a run that was begun or taken up while the question stood."""
    with where.locked() as held:
        open_now = {one.number for one in held.open_runs()}
        chosen = [one for one in kept if one.run not in open_now]
        for one in chosen:
            where.store.forget(one.slot)
        for number in {one.run for one in chosen}:  # once each: it walks all that is left of a run
            where.store.prune(number)


def _kept(session: Session, scope: Scope, run: int | None) -> list[tuple[RigHome, Kept]]:
    """What is in the attics of the rigs that are there, newest run first."""
    return [
        (where, one)
        for where in session.rigs_with_runs(scope)
        for one in kept_files(where.name, where.store, where.run)
        if run in (None, one.run)
    ]
