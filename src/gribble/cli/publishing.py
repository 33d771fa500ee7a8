"""`gribble catalogue publish|follow|update`: catalogues that travel."""

from __future__ import annotations

import hashlib
import os
import re
import shutil
import tomllib
from datetime import date
from pathlib import Path
from typing import Annotated, Any

import msgspec
import typer
from platformdirs import user_data_path

from gribble.cli.catalogue import effects_between
from gribble.cli.command import Call, command
from gribble.cli.completing import followed as followed_names
from gribble.cli.loaded import refuse_any_source, require_config
from gribble.cli.options import YesOption
from gribble.cli.session import Session, ask
from gribble.core.answers.comparing import compare_catalogues
from gribble.core.answers.following import (
    MOST_INDEX,
    Offer,
    Place,
    Update,
    changed_lists,
    changed_rosters,
    faults_in,
    go_back,
    is_left_over,
    looked_at,
    read_index,
    swap,
    take_in,
)
from gribble.core.answers.lint import lint, mistakes_in
from gribble.core.base.addresses import web_address
from gribble.core.base.amounts import count, size
from gribble.core.base.errors import ExitCode, GribbleError, MistakesError, no_such, reason_of
from gribble.core.base.filewriter import Own, changing, write_file
from gribble.core.base.paths import name_fault, same_place
from gribble.core.base.regular import read_regular, text_of
from gribble.core.catalogue.config import sheet_folders
from gribble.core.catalogue.configfile import changed
from gribble.core.catalogue.followed import current, version_of
from gribble.core.catalogue.publishing import collect, listed, unpacked
from gribble.core.catalogue.sheets import load_catalogue
from gribble.core.records.config import CatalogueAt, Config
from gribble.core.records.published import FORMAT, INDEX, SIGNATURE, Index, Listed, Piece
from gribble.stores.signing import Signer, fingerprint, is_signed
from gribble.stores.web import Web
from gribble.views.catalogue import show_lint, show_offer, show_update, update_json
from gribble.views.looks import shorten
from gribble.views.screen import Screen
from gribble.views.shell import quoted

NEEDS = ">=0.2"
"""The Gribble that a published catalogue needs."""
FOLLOWED = "followed"
"""The folder beside gribble.toml in which followed catalogues are."""


class FolderPlace:
    """A published catalogue in a folder, on a stick, say."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self.shown = str(folder)

    def index(self, most: int, _etag: str) -> tuple[bytes, str]:
        """The index; a folder has no name for its state. Raises GribbleError."""
        return self.read(INDEX, most), ""

    def read(self, path: str, most: int) -> bytes:
        """A file of at most so many bytes. Raises GribbleError."""
        try:
            return read_regular(self._folder / path, most)
        except OSError as error:
            if path == INDEX and isinstance(error, FileNotFoundError):
                raise GribbleError(
                    f"there is no published catalogue in {self.shown}",
                    fix="Nothing was changed. Plug it in, or name the folder that has catalogue.json.",
                    code=ExitCode.FAILED,
                ) from None
            raise GribbleError(
                f"{self._folder / path} cannot be read: {reason_of(error)}",
                fix="Nothing was changed. Plug it in, or try again later.",
                code=ExitCode.FAILED,
            ) from error


def place_at(call: Call, address: str) -> tuple[str, Place]:
    """A published catalogue by its index or the folder that has it: the address as it is noted, and the place. Raises
    GribbleError."""
    if "://" in address:
        try:
            web_address(address)
        except ValueError as error:
            raise GribbleError(f"{address} {error}", fix="Give an https:// address, or a folder.") from None
        base = address.removesuffix(INDEX).rstrip("/")
        return f"{base}/{INDEX}", Web(base)
    folder = call.environment.path(address)
    folder = Path(os.path.normpath(folder.parent if folder.name == INDEX else folder))
    return str(folder), FolderPlace(folder)


def offered(place: Place, etag: str = "") -> Offer | None:
    """The index of a place, its signature compared; None if it is still in the state `etag`. Raises GribbleError."""
    if (found := place.index(MOST_INDEX, etag)) is None:
        return None
    raw, etag = found
    index = read_index(place.shown, raw)
    if index.signer is None:
        return Offer(index, raw, None, etag)
    try:
        right = is_signed(index.signer, raw, place.read(SIGNATURE, 1 << 12))
    except ValueError:
        right = False
    if not right:
        raise GribbleError(
            f"the signature of {place.shown} is wrong",
            fix="Nothing was changed. Try again later: it may be being published now. If not, somebody changed it.",
            code=ExitCode.FAILED,
        )
    return Offer(index, raw, index.signer, etag)


# publish


@command("catalogue publish", short=True)
def publish(
    call: Call,
    folder: Annotated[str, typer.Argument(metavar="FOLDER", help="The catalogue folder.")],
    out: Annotated[str, typer.Option(metavar="PLACE", help="The folder for the published copy.")],
    title: Annotated[str, typer.Option(metavar="TEXT", help="What people call it (default: the folder's name).")] = "",
    only: Annotated[
        list[str] | None, typer.Option(metavar="FILE", help="Only this sheet or roster; may be repeated.")
    ] = None,
    sign: Annotated[bool, typer.Option("--sign", help="Sign it, so that others know that it is yours.")] = False,
) -> int:
    """Write a copy that others can follow.

    Put the copy of your catalogue on any web space, a stick or a shared folder. Comments stay at home, and a path of
    your home folder or the value of a key stops it. Publishing again writes only what changed.

    Example: gribble catalogue publish catalogue --out public --title "Ada's sheets"
    """
    source, target = call.environment.path(folder), call.environment.path(out)
    if not os.path.isdir(source):
        raise no_such(folder, "folder")
    if same_place(source, target):
        raise GribbleError(
            f"{out} is the catalogue itself", fix="Nothing was published. Name another folder: --out PLACE."
        )
    refuse_any_source(call, target, "--out PLACE")
    files = _collected(call, source, [Path(one).name for one in only or ()])
    found = [listed(name, data) for name, data in files.items()]
    if not found:
        raise GribbleError(f"{folder} has no sheet and no roster", fix="Name the folder with your sheets.")
    before = _published(target)
    signer = Signer(user_data_path("gribble")) if sign or (before and before.signer) else None  # once signed, always
    title = title or (before.title if before else "") or source.resolve().name
    today = call.environment.clock().date()
    index = _index_of(tuple(file for file, _ in found), title, before, today, signer)
    if before and (before.files, before.title, before.signer) == (index.files, index.title, index.signer):
        index = before  # where a piece of the copy is lost, it comes back, and nobody has to update
    pieces = [pair for file, contents in found for pair in zip(file.pieces, contents, strict=True)]
    fresh = [(one, data) for one, data in pieces if not _is_there(target, one)]
    if index is before and not fresh:
        call.screen.say(f"Nothing has changed since number {index.number} of {index.date}.")
        return ExitCode.CLEAN
    _write(call, target, index, fresh, before, signer)
    call.screen.say(
        f"{index.title}, number {index.number}: {count(len(index.files), 'file')}, {size(index.bytes)} in "
        f"{shorten(str(target))}; {count(len(fresh), 'file')} written."
    )
    if signer:
        _say_signed(call.screen, signer, before)
    call.screen.next(f"gribble catalogue follow {quoted(shorten(str(target)))}", "uses it; others name its web address")
    return ExitCode.CLEAN


def _say_signed(screen: Screen, signer: Signer, before: Index | None) -> None:
    screen.say(f"Signed with your key: {fingerprint(signer.public)}")
    if before and before.signer not in (None, signer.public):
        screen.say("It had another key before. All who follow it will have to agree to yours.")


def _index_of(files: tuple[Listed, ...], title: str, before: Index | None, today: date, signer: Signer | None) -> Index:
    """The index of what is published, after the one `before`. Raises GribbleError if nobody could follow it."""
    index = Index(
        gribble=FORMAT,
        title=title,
        number=before.number + 1 if before else 1,
        date=today,
        needs_gribble=NEEDS,
        files=files,
        signer=signer.public if signer else None,
    )
    if faults := list(faults_in(index)):
        raise GribbleError(
            f"nobody could follow this: {'; '.join(faults)}", fix="Nothing was published. Change that first."
        )
    return index


def _write(
    call: Call,
    target: Path,
    index: Index,
    fresh: list[tuple[Piece, bytes]],
    before: Index | None,
    signer: Signer | None,
) -> None:
    """Write the pieces that are not there yet, then the signature, and the index last: whoever comes before it finds
    the former one."""
    ours = {piece.path: piece for file in before.files for piece in file.pieces} if before else {}
    with call.screen.bar("Publishing", sum(one.packed for one, _ in fresh)) as bar:
        for one, data in fresh:
            former = ours.get(one.path)
            _put(target / one.path, data, ours=one.is_packed or (former is not None and _is_there(target, former)))
            bar.advance(len(data))
        raw = msgspec.json.encode(index) + b"\n"
        if signer:
            _put(target / SIGNATURE, signer.sign(raw), ours=before is not None)
        _put(target / INDEX, raw, ours=before is not None)


def _collected(call: Call, source: Path, only: list[str]) -> dict[str, bytes]:
    """What is published of a catalogue folder, or `only` some files of it; remarks are told. Raises GribbleError."""
    for name in only:
        if not os.path.isfile(source / name):
            raise no_such(source / name, "file")
    remarks = lint([source / name for name in only] or [source])
    if mistakes := mistakes_in(remarks):
        raise MistakesError(mistakes, fix="Nothing was published. Correct these mistakes first.")
    if remarks:
        show_lint(call.screen, remarks, strict=False)
    try:
        return collect(source, str(call.environment.home), only)
    except OSError as error:
        raise GribbleError(
            f"{error.filename or source} cannot be read: {reason_of(error)}", fix="Nothing was published."
        ) from error


def _published(target: Path) -> Index | None:
    """The index that is there from the last time. Raises GribbleError for one that is none."""
    if not os.path.lexists(target / INDEX):
        return None
    try:
        return read_index(shorten(str(target)), read_regular(target / INDEX, MOST_INDEX))
    except OSError as error:
        raise GribbleError(
            f"{target / INDEX} cannot be read: {reason_of(error)}", fix="Nothing was published. Name another folder."
        ) from error


def _is_there(target: Path, piece: Piece) -> bool:
    """Whether a published piece lies in its place as the index has it."""
    try:
        data = read_regular(target / piece.path, piece.packed)
    except OSError:
        return False
    content = unpacked(data, piece.size) if piece.is_packed else data
    return len(data) == piece.packed and hashlib.sha256(content).hexdigest() == piece.sha256


def _put(path: Path, data: bytes, *, ours: bool) -> None:
    """Write a published file; over an earlier one only if that was published."""
    write_file(path, [data], own=Own(b"", "published file") if ours else None)


# follow


@command("catalogue follow", takes="config", short=True)
def follow(
    call: Call,
    address: Annotated[str, typer.Argument(metavar="ADDRESS", help="Of the index, or of the folder that has it.")],
    name: Annotated[str, typer.Option("--name", metavar="NAME", help="What you call it (default: by its title).")] = "",
    yes: YesOption = False,
) -> int:
    """Use a catalogue that somebody publishes.

    Give its address, such as https://driftwood.example/sheets, or a folder. It shows what is in it, who has signed
    it, and what that means for you, and asks. The catalogue gets a folder of its own, which only updates change.

    Example: gribble catalogue follow public
    """
    path = require_config(call)
    with Session(call) as session:
        config = session.loaded.config
        noted, place = place_at(call, address)
        if any(one.from_ == noted for one in config.catalogues):
            raise GribbleError(f"you follow {noted} already", fix="gribble catalogue update looks for a new version.")
        offer = offered(place)
        assert offer is not None, "no state was known"
        at = path.parent / FOLLOWED / _name_for(name or offer.index.title, path.parent / FOLLOWED)
        version, fetched = _taken(call, at, offer, place, None)
        theirs = load_catalogue([version]).sheets
        show_offer(session.screen, offer.index, theirs, session.loaded.catalogue.sheets, fetched)
        if offer.key:
            session.screen.say(f"Signed by {fingerprint(offer.key)}. Gribble will refuse any other key.")
        else:
            session.screen.say("It is not signed: Gribble cannot tell whether an update comes from the same person.")
        if not ask(call, "Follow it?", yes):
            shutil.rmtree(at, ignore_errors=True)
            return ExitCode.ATTENTION
        key = {"key": offer.key} if offer.key else {}
        table = {"at": f"{FOLLOWED}/{at.name}", "from": noted, **key, "number": offer.index.number}
        with changing(path) as file:
            text = text_of(file.data)
            new = changed(text, {("catalogues",): [*_raw_catalogues(text), table]})
            swap(at, offer.index, version, _today(call), offer.etag)
            file.write([new.encode()], keep=True)
        session.screen.say(f"You follow {offer.index.title} in {shorten(str(at))}.")
        if any(name in rig.emulators for rig in config.rig.values() for name in theirs):
            session.screen.next("gribble check", "shows what that means for your rigs")
        else:
            session.screen.next("gribble catalogue list", "shows all sheets that you have now")
        return ExitCode.CLEAN


def _raw_catalogues(text: str) -> list[Any]:
    """The catalogues as gribble.toml has them, which has been read."""
    return list(tomllib.loads(text).get("catalogues", []))


def _name_for(title: str, folder: Path) -> str:
    """A plain name for a followed folder, which is free."""
    name = re.sub(r"[^a-z0-9]+", "-", title.casefold().replace("'", "")).strip("-")[:40] or "catalogue"
    name = "catalogue" if name_fault(name) else name
    free, number = name, 1
    while os.path.lexists(folder / free) and not is_left_over(folder / free):
        number += 1
        free = f"{name}-{number}"
    return free


def _taken(call: Call, at: Path, offer: Offer, place: Place, former: Path | None) -> tuple[Path, int]:
    """A version laid out and read, with the bytes that were fetched. Raises GribbleError if it has mistakes."""
    with call.screen.bar("Fetching", offer.index.bytes) as bar:
        version, fetched = take_in(at, offer.index, offer.raw, place, former, bar.advance)
    if mistakes := mistakes_in(lint([version])):
        raise MistakesError(mistakes, fix="Nothing was changed. Tell whoever publishes this catalogue.")
    return version, fetched


def _today(call: Call) -> date:
    return call.environment.clock().date()


# update


@command("catalogue update", takes="json config")
def update(
    call: Call,
    name: Annotated[
        str | None,
        typer.Argument(metavar="[NAME]", help="Only this followed catalogue.", autocompletion=followed_names),
    ] = None,
    undo: Annotated[bool, typer.Option("--undo", help="Go back to the version before.")] = False,
    older: Annotated[bool, typer.Option("--older", help="Also take a version with a lower number.")] = False,
    yes: YesOption = False,
) -> int:
    """Look for new versions of what you follow.

    It shows what has changed and what that does to your rigs, and asks. Without a terminal and without --yes it only
    looks.

    Example: gribble catalogue update
    """
    with Session(call) as session:
        chosen = _chosen(session, name)
        if undo:
            return _undo(call, chosen)
        looked = [_looked(session, one, older=older) for one in chosen]
        found = [_offered(session, one, yes=yes) for one in looked]
        if call.json:
            session.screen.json(update_json(found))
        elif any(one.version and not one.done for one in found):
            session.screen.next("gribble catalogue update --yes", "takes the new versions")
        elif any(one.done for one in found):
            session.screen.next("gribble check", "shows what that means for your rigs")
        waits = any(one.version and not one.done and not one.error for one in found)
        codes = [int(one.error.code) for one in found if one.error]
        return max([int(ExitCode.ATTENTION if waits else ExitCode.CLEAN), *codes])


def _offered(session: Session, one: Update, *, yes: bool) -> Update:
    """What was found of a followed catalogue, shown; a new version is taken where somebody says so."""
    call = session.call
    if not call.json:
        show_update(session.screen, one)
    asks = yes or (call.environment.is_terminal and not call.json)
    if not (one.version and one.offer and asks and ask(call, f"Update {one.name}?", yes)):
        return one
    _take(session, one, one.version, one.offer)
    if not call.json:
        session.screen.out.print()
        session.screen.say(f"{one.name} has number {one.offer.index.number} now.")
    return one._replace(done=True)


def _chosen(session: Session, name: str | None) -> list[CatalogueAt]:
    followed = [one for one in session.loaded.config.catalogues if one.from_]
    chosen = [one for one in followed if name in (None, Path(one.at).name, one.from_)]
    if not chosen:
        names = ", ".join(Path(one.at).name for one in followed)
        raise GribbleError(
            f"you do not follow {name}" if name else "you do not follow any catalogue",
            fix=f"You follow {names}." if names else "gribble catalogue follow ADDRESS begins to.",
        )
    return chosen


def _undo(call: Call, chosen: list[CatalogueAt]) -> int:
    if len(chosen) > 1:
        names = " or ".join(Path(one.at).name for one in chosen)
        raise GribbleError(
            "you follow several catalogues", fix=f"Nothing was changed. Name the one to take back: {names}."
        )
    at = Path(chosen[0].at)
    call.screen.say(f"{at.name} is back at number {go_back(at).number}.")
    call.screen.next("gribble check", "shows what that means for your rigs")
    return ExitCode.CLEAN


def _looked(session: Session, one: CatalogueAt, *, older: bool) -> Update:
    """What a followed catalogue has that is new; nothing is changed yet."""
    at = Path(one.at)
    now = current(at)
    pinned = max(one.number or 0, now.number if now else 0)
    base = Update(at.name, at, now.number if now else 0)
    try:
        assert one.from_ is not None
        _, place = place_at(session.call, one.from_)
        offer = offered(place, now.etag if now else "")
        if offer is None:
            looked_at(at, _today(session.call))
            return base
        _refuse_other_key(one, offer)
        looked_at(at, _today(session.call))
        if now and offer.index.number == now.number and not older:
            return base
        if offer.index.number < pinned and not older:
            raise GribbleError(
                f"{at.name} has number {offer.index.number} now, but number {pinned} was there before",
                fix="Nothing was changed. Somebody may have put an old version there. --older takes it.",
            )
        former = version_of(at) if now else None
        version, fetched = _taken(session.call, at, offer, place, former)
        if now and version.name == now.folder:
            return base
        signed_by = fingerprint(offer.key) if offer.key and not one.key else ""
        new = base._replace(offer=offer, version=version, fetched=fetched, signed_by=signed_by)
        return _compared(session, new, version, former)
    except GribbleError as error:
        return base._replace(error=error)


def _refuse_other_key(one: CatalogueAt, offer: Offer) -> None:
    if one.key and offer.key != one.key:
        try:
            ours = fingerprint(one.key)
        except ValueError as error:
            raise GribbleError(f"gribble.toml has no key for {one.at}: {error}", fix="Correct key in it.") from None
        theirs = f"it is signed by {fingerprint(offer.key)} now" if offer.key else "it is not signed now"
        raise GribbleError(
            f"{Path(one.at).name} was signed by {ours}, but {theirs}",
            fix="Nothing was changed. Ask whoever publishes it. If the key is right, write it into gribble.toml.",
        )


def _compared(session: Session, one: Update, version: Path, former: Path | None) -> Update:
    """What the new version changes, and what that does to the rigs."""
    config, old = session.loaded.config, session.loaded.catalogue
    new = load_catalogue(_with(config, one.at, version))
    changes = compare_catalogues(old.sheets, new.sheets)
    rosters = changed_rosters(former, version)
    names = {change.emulator for change in changes} | {change.emulator for change in rosters}
    effects = tuple(
        effect
        for effect in effects_between(session, old, new, old.sheets.keys() | new.sheets.keys())  # by any list's change
        if effect.new.emulator in names or effect.old != effect.new
    )
    theirs = compare_catalogues(load_catalogue([former] if former else []).sheets, load_catalogue([version]).sheets)
    return one._replace(
        changes=changes,
        rosters=tuple(rosters),
        lists=tuple(changed_lists(former, version)),
        unused=tuple(change.emulator for change in theirs if change not in changes),
        effects=effects,
    )


def _with(config: Config, at: Path, version: Path) -> list[Path]:
    """The catalogue folders, one followed catalogue in another version."""
    pairs = zip(config.catalogues, sheet_folders(config), strict=True)
    return [version if Path(one.at) == at else folder for one, folder in pairs]


def _take(session: Session, one: Update, version: Path, offer: Offer) -> None:
    """Let the new version count, and note the key of a catalogue that was not signed before."""
    if one.signed_by:
        path, catalogues = session.loaded.path, session.loaded.config.catalogues
        assert path is not None
        with changing(path) as file:
            text = text_of(file.data)
            tables = _raw_catalogues(text)
            place = next(number for number, each in enumerate(catalogues) if Path(each.at) == one.at)
            tables[place] = {**tables[place], "key": offer.key}
            file.write([changed(text, {("catalogues",): tables}).encode()], keep=True)
    swap(one.at, offer.index, version, _today(session.call), offer.etag)
