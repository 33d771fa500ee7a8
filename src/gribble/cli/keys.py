"""`gribble keys`: key files checked and merged; a key's value is never shown."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Annotated

import typer
from msgspec import structs

from gribble.cli.command import Call, command
from gribble.cli.completing import emulators
from gribble.cli.options import ReplaceOption, VerboseOption
from gribble.cli.session import Session
from gribble.cli.surveying import survey
from gribble.core.audit.judging.keys import MergeError, judge_keys, likeliest_need, merge_keys, read_keys
from gribble.core.base.amounts import count
from gribble.core.base.budget import KEYS_BYTES
from gribble.core.base.errors import ExitCode, GribbleError, no_such, unreadable
from gribble.core.base.filewriter import PRIVATE, check_target, write_file
from gribble.core.base.regular import open_regular
from gribble.core.base.suggest import suggest
from gribble.core.records.config import Ask, Scope
from gribble.core.records.findings import Verdict
from gribble.core.records.holding import key_of
from gribble.core.records.sheet import Need
from gribble.core.sayings.facts import keys_words, say_all
from gribble.views.keys import CheckedKeys, keys_json, show_keys
from gribble.views.looks import kept_words, shorten
from gribble.views.shell import quoted

EmulatorOption = Annotated[
    str | None,
    typer.Option(
        "--emulator",
        metavar="EMULATOR",
        help="Whose keys they are (default: Gribble tells by their names).",
        autocompletion=emulators,
    ),
]


@command("keys check", takes="rig json config")
def check(
    call: Call,
    files: Annotated[
        list[str] | None, typer.Argument(metavar="[FILE]...", help="Key files (default: those on your rigs).")
    ] = None,
    emulator: EmulatorOption = None,
    verbose: VerboseOption = False,
) -> int:
    """Which keys of a file are right, and which wrong.

    It also shows which keys are missing or malformed. It never shows a value.

    Example: gribble keys check drawer/petrel/half.keys
    """
    with Session(call) as session:
        needs = _needs(session, emulator)
        scope = structs.replace(call.scope, emulators=(emulator,) if emulator else ())
        checked = [_check_file(path, needs) for path in files] if files else _check_rigs(session, scope)
        if call.json:
            session.screen.json(keys_json(checked))
        else:
            show_keys(session.screen, checked, verbose=verbose)
        return ExitCode.CLEAN if all(one.met for one in checked) else ExitCode.ATTENTION


@command("keys merge", takes="config", short=True)
def merge(
    call: Call,
    files: Annotated[list[str], typer.Argument(metavar="FILE FILE...", help="Key files to put together.")],
    out: Annotated[str, typer.Option("--out", metavar="FILE", help="The file to write.")],
    emulator: EmulatorOption = None,
    replace: ReplaceOption = False,
) -> int:
    """Put the keys of several files into one.

    If values differ, the sheet's fingerprint decides.

    Example: gribble keys merge drawer/petrel/half.keys old.keys --out petrel.keys
    """
    target = call.environment.path(out)
    with Session(call) as session:
        session.loaded.refuse_source(target, "--out")
        check_target(target, replace_other=replace)
        needs = _needs(session, emulator)
        contents = [_read(path) for path in files]
        for path, data in zip(files, contents, strict=True):
            file = read_keys(data)
            if fault := file.fault or ("" if any(not e.fault for e in file.entries.values()) else "has no key"):
                raise GribbleError(f"{path} {fault}", fix="Nothing was written. Name key files only.")
        try:
            merged = merge_keys(contents, [key for _, need in needs for key in need.key])
        except MergeError as error:
            raise GribbleError(
                f"the files have different values for {error}, and no fingerprint shows which value is right",
                fix="Nothing was written. Delete the wrong lines in one file, or use a sheet with fingerprints.",
                code=ExitCode.ATTENTION,
            ) from error
        kept = write_file(target, [merged], replace_other=replace, mode=PRIVATE)
        file = read_keys(merged)
        session.screen.say(
            f"{out}: {count(len(file.entries), 'key')} from {count(len(files), 'file')}{kept_words(kept)}."
        )
        lost = {name for data in contents for name in read_keys(data).entries} - file.entries.keys()
        if lost:
            session.screen.say(f"Left out, since no file has a well-formed value: {', '.join(sorted(lost))}.")
        best = likeliest_need(file, needs)
        if best:
            name, need = best
            judged = judge_keys(need, file)
            session.screen.say(f"For {name}'s {need.called} it is {judged.verdict}: {keys_words(judged)}.")
        if best and any(best[0] in rig.emulators for rig in session.loaded.config.rig.values()):
            session.screen.next(f"gribble place {best[0]} --from {quoted(out)}", "puts it where it belongs")
        else:
            session.screen.next(f"gribble keys check {quoted(out)}", "shows its keys one by one")
        return ExitCode.CLEAN


def _needs(session: Session, emulator: str | None) -> list[tuple[str, Need]]:
    """The keys needs of the catalogue, or of one emulator."""
    sheets = session.loaded.catalogue.sheets
    if emulator is not None and emulator not in sheets:
        raise GribbleError(
            f"no sheet for '{emulator}'{suggest(emulator, list(sheets))}",
            fix="gribble catalogue list shows the sheets.",
        )
    chosen = [sheets[emulator]] if emulator else list(sheets.values())
    needs = [(sheet.emulator, need) for sheet in chosen for need in sheet.need if need.key]
    if not needs:
        who = emulator or "no emulator of the catalogue"
        raise GribbleError(f"{who} needs {'no' if emulator else 'any'} keys", fix="gribble needs lists what is needed.")
    return needs


def _check_file(path: str, needs: list[tuple[str, Need]]) -> CheckedKeys:
    file = read_keys(_read(path))
    best = likeliest_need(file, needs)
    if best is None:
        return CheckedKeys(path, "", "", None, file.fault or "no sheet knows a name in it", file.odd_lines)
    emulator, need = best
    return CheckedKeys(path, emulator, need.called, judge_keys(need, file), "", file.odd_lines)


def _check_rigs(session: Session, scope: Scope) -> list[CheckedKeys]:
    """The key files at their places on the rigs, and where one is missing, that it is."""
    world = survey(session, scope)
    read = {key_of(holding): file for holding, file in world.readings().key_files}
    checked = []
    for rig in world.audit(Ask(scope=scope)):
        for emulator in rig.emulators:
            for finding in emulator.findings:
                place = finding.chief
                if not finding.need.key:
                    continue
                path = shorten(f"{rig.root}/{place.expected}")
                file = read.get(key_of(place.found)) if place.found and place.found.rig == rig.rig else None
                judged = judge_keys(finding.need, file) if file else None
                fault = "" if judged else f"{place.verdict}: {say_all(finding.facts)}"
                odd = file.odd_lines if file else ()
                absent = place.verdict in (Verdict.MISSING, Verdict.ASTRAY)
                checked.append(
                    CheckedKeys(
                        path,
                        emulator.emulator,
                        finding.need.called,
                        judged,
                        fault,
                        odd,
                        place.verdict if absent else "",
                    )
                )
    return checked


def _read(path: str) -> bytes:
    try:
        place = Path(path)
        if not os.path.isfile(place):
            if os.path.isdir(place):
                raise GribbleError(f"{path} is a folder", fix="Name the key files in it; gribble identify finds them.")
            raise no_such(path, "file")
        with open_regular(place) as stream:
            return stream.read(KEYS_BYTES + 1)  # one byte more than a key file may have tells that it is none
    except OSError as error:
        raise unreadable(path, error) from error
