"""Loading gribble.toml, and fitting sheets to the rigs it names."""

from __future__ import annotations

import os
import re
from collections.abc import Container, Iterable, Iterator, Mapping
from pathlib import Path
from types import MappingProxyType
from typing import Any

from msgspec import structs

from gribble.core.base.addresses import parse_address
from gribble.core.base.changing import WINDOWS
from gribble.core.base.errors import WRITE_SLASHES, Mistake, MistakesError
from gribble.core.base.kinds import VOLUMES
from gribble.core.base.paths import join, path_fault, same_place, visible
from gribble.core.base.regular import MOST_TEXT, Typed, read_regular
from gribble.core.base.suggest import suggest
from gribble.core.base.tables import Mistakes, first_and_more, put_in_quotes, read_table, read_toml
from gribble.core.catalogue.families import entry_of
from gribble.core.catalogue.followed import version_of
from gribble.core.catalogue.ranges import by_liking, concerns, release_fault
from gribble.core.catalogue.sheets import Catalogue
from gribble.core.records.config import AS_LISTED, Config, Installed, Liking, Rig, Source
from gribble.core.records.place import Fitted
from gribble.core.records.sheet import Accept, Media, Need, OtherRelease, Setting, Sheet

_ABSOLUTE = re.compile(r"^(/|\\\\|[^/\\\s]*:)")
_OF_WINDOWS = re.compile(r"^([A-Za-z]:([/\\]|$)|\\\\)")
_PERCENT = re.compile(r"%(\w+)%")
_FINGERPRINT = re.compile(r"^SHA256:[A-Za-z0-9+/]{43}=?$")
_MEANT_FOR = {"host_key": "sftp://", "certificate": "ftps://"}
_ESCAPES = {"\a": "a", "\b": "b", "\t": "t", "\n": "n", "\f": "f", "\r": "r", "\x1b": "e"}
"""What TOML makes of a backslash and a letter in double quotes."""
MOST_SECONDS = 600
_RIG_NAME = re.compile(r"^[A-Za-z0-9_-]+$")


def load_config(
    path: Path, home: Path, variables: Mapping[str, str] = MappingProxyType({}), text: str | None = None
) -> Config:
    """The configuration with its folders made absolute: relative to the file, `~` to the home folder, and what stands
    between % signs by those variables that are set. With a `text`, the one that the file is going to be.

    Raises MistakesError with every mistake of the file.
    """
    mistakes = Mistakes(str(path))
    tables = read_toml(path, mistakes, text)
    config = (
        read_table(Config, _alike(_long_form(tables, mistakes), mistakes), "", mistakes) if tables is not None else None
    )
    if config is not None:
        _check_config(config, mistakes)
    if config is None or mistakes.found:
        raise MistakesError(mistakes.found)

    def absolute(folder: str) -> str:
        if "://" in folder:
            return str(parse_address(folder))
        folder = _PERCENT.sub(lambda found: values.get(found[1].casefold(), found[0]), folder)
        if folder == "~" or folder.startswith(("~/", "~\\")):
            return str(home / folder[2:])
        return str((path.parent / folder).absolute())

    values = {name.casefold(): value for name, value in variables.items()}

    config = structs.replace(
        config,
        sources=tuple(Source(at=absolute(one.at), name=one.name) for one in config.sources),
        catalogues=tuple(structs.replace(one, at=absolute(one.at)) for one in config.catalogues),
        rig={
            name: structs.replace(
                rig,
                at=absolute(rig.at),
                certificate=absolute(rig.certificate) if rig.certificate else None,
                emulators={word: _with_wanted(one, path.parent) for word, one in rig.emulators.items()},
            )
            for name, rig in config.rig.items()
        },
    )
    _check_places(config, mistakes)
    if mistakes.found:
        raise MistakesError(mistakes.found)
    return config


def sheet_folders(config: Config) -> list[Path]:
    """Where the sheets of the catalogues are, in their order; of a followed one, the folder of its current version."""
    return [version_of(Path(one.at)) for one in config.catalogues]


def _long_form(tables: dict[str, Any], mistakes: Mistakes) -> dict[str, Any]:
    """`sandpiper = "3.1"` written out as `sandpiper = { release = "3.1" }`, a source as `{ at = "drawer" }`."""
    for key in ("sources", "catalogues"):
        if isinstance(places := tables.get(key), list):
            tables[key] = [{"at": one} if isinstance(one, str) else one for one in places]
    rigs = tables.get("rig")
    for rig_name, rig in rigs.items() if isinstance(rigs, dict) else ():
        emulators = rig.get("emulators") if isinstance(rig, dict) else None
        if isinstance(emulators, dict):
            for name, value in emulators.items():
                if value is not False and not isinstance(value, str | dict | list):
                    where = f"rig.{rig_name}.emulators.{name}"
                    mistakes.add(where, put_in_quotes(where, value))
            rig["emulators"] = {name: _long_emulator(value) for name, value in emulators.items()}
    return tables


def _alike(tables: dict[str, Any], mistakes: Mistakes) -> dict[str, Any]:
    """What rigs have of those that they are like, put in: emulators, each with the keys of its own in place of the
    other's, but for those of which it says `false`."""
    rigs = tables.get("rig")
    if not isinstance(rigs, dict) or not all(isinstance(rig, dict) for rig in rigs.values()):
        return tables  # which is told as a mistake
    whole: dict[str, Any] = {}
    for name in rigs:
        chain = _chain(name, rigs, mistakes)
        merged: dict[str, Any] = {}
        for one in reversed(chain):
            for emulator, keys in _emulators_of(rigs[one]).items():
                merged[emulator] = _over(merged.get(emulator, {}), keys)
        merged = {emulator: keys for emulator, keys in merged.items() if keys is not False}
        own = rigs[name].get("emulators", {})
        alike = len(chain) > 1 and isinstance(own, dict)
        whole[name] = {**rigs[name], "emulators": merged} if alike else rigs[name]
    return {**tables, "rig": whole}


def _over(table: Any, own: Any) -> Any:
    """A table with keys of its own in place of those that it has; so are the tables in it."""
    if not isinstance(table, dict) or not isinstance(own, dict):
        return own
    return {**table, **{key: _over(table.get(key), value) for key, value in own.items()}}


def _emulators_of(rig: dict[str, Any]) -> dict[str, Any]:
    emulators = rig.get("emulators", {})
    return emulators if isinstance(emulators, dict) else {}


def _chain(name: str, rigs: dict[str, Any], mistakes: Mistakes) -> list[str]:
    """A rig, the one that it is like, the one which that is like, and so on."""
    chain = [name]
    while isinstance(like := rigs[chain[-1]].get("like"), str):
        if like not in rigs:
            if chain == [name]:
                mistakes.add(f"rig.{name}.like", f'there is no rig "{like}"{suggest(like, list(rigs))}')
            return chain
        if like in chain:
            if like == name:
                mistakes.add(f"rig.{name}.like", f"goes in a circle: {', '.join([*chain, like])}")
            return chain
        chain.append(like)
    return chain


def _with_wanted(installed: Installed, folder: Path) -> Installed:
    """An installation with the list of its wanted sets, which may are in a file."""
    if installed.wanted is None or len(installed.wanted) != 1 or not os.path.isfile(folder / installed.wanted[0]):
        return installed
    return structs.replace(installed, wanted=tuple(read_wanted(folder / installed.wanted[0])))


def read_wanted(path: Path) -> list[str]:
    """The entries of a file of wanted sets (see `read_wish`), one on each line; # begins a comment.

    Raises MistakesError with every line whose weight is none, or OSError.
    """
    mistakes = Mistakes(str(path))
    entries = []
    lines = Typed.of(read_regular(path, MOST_TEXT)).text.splitlines()
    for number, line in enumerate(lines, start=1):
        entry = entry_of(line)
        if len(words := entry.split()) == 2 and _is_no_weight(words[1]):
            mistakes.add(
                f"line {number}", f'"{entry}" should be a set\'s name or title, then a weight like 2.5 if you want one'
            )
        elif entry:
            entries.append(entry)
    if mistakes.found:
        raise MistakesError(mistakes.found)
    return entries


def _is_no_weight(word: str) -> bool:
    try:
        return not 0 <= float(word) < float("inf")
    except ValueError:
        return False


def _long_emulator(value: Any) -> Any:
    if value is not False and not isinstance(value, dict | list):  # false leaves an emulator out
        return {"release": str(value)}
    value = first_and_more(value)
    if isinstance(value, dict) and isinstance(value.get("wanted"), str):
        return {**value, "wanted": [value["wanted"]]}  # "all", or a file of names
    return value


def _check_config(config: Config, mistakes: Mistakes) -> None:
    _check_sources(config, mistakes)
    for name, rig in config.rig.items():
        where = f"rig.{name}"
        if fault := rig_name_fault(name):
            mistakes.add(where, fault)
        _check_rig_place(rig, where, mistakes)
        _check_access(rig, where, mistakes)
        if rig.volume not in ("auto", *VOLUMES):
            mistakes.add(f"{where}.volume", f'"{rig.volume}" should be one of auto, {", ".join(VOLUMES)}')
        for emulator, installed in rig.emulators.items():
            _check_installed(installed, f"{where}.emulators.{emulator}", mistakes)


def rig_name_fault(name: str) -> str:
    """What is wrong with the name of a rig; empty if nothing is."""
    return "" if _RIG_NAME.match(name) else "cannot be the name of a rig; use letters, digits, - and _"


def _check_sources(config: Config, mistakes: Mistakes) -> None:
    """The folders that are only read: sources and catalogues."""
    folders = [(f"catalogues[{number}]", one.at) for number, one in enumerate(config.catalogues)]
    for number, source in enumerate(config.sources):
        where = f"sources[{number}]"
        folders.append((f"{where}.at" if source.name else where, source.at))
        first = next(place for place, other in enumerate(config.sources) if other.name == source.name)
        if source.name and first != number:
            mistakes.add(
                f"{where}.name",
                f'"{source.name}" is already the name of sources[{first}]; give each source its own name',
            )
        if fault := _control_fault(source.name):
            mistakes.add(f"{where}.name", fault)
    for where, folder in folders:
        if not folder:
            mistakes.add(where, "is empty")
        if "://" in folder:
            mistakes.add(where, "is an address; only a rig can be on another machine")
        _check_folder(folder, where, mistakes)


def _check_rig_place(rig: Rig, where: str, mistakes: Mistakes) -> None:
    """Where a rig is, and what its device calls that."""
    if not rig.at:
        mistakes.add(f"{where}.at", "is empty")
    if rig.far:
        try:
            parse_address(rig.at)
        except ValueError as error:
            mistakes.add(f"{where}.at", str(error))
    else:
        _check_folder(rig.at, f"{where}.at", mistakes)
    if rig.seen_as and (fault := _control_fault(rig.seen_as)):
        mistakes.add(f"{where}.seen_as", fault)
    if rig.seen_as is not None and not _ABSOLUTE.match(rig.seen_as):
        words = f'"{rig.seen_as}" should be absolute, as the device writes it: /mnt/card or E:/'
        mistakes.add(f"{where}.seen_as", words)


def _check_access(rig: Rig, where: str, mistakes: Mistakes) -> None:
    """How a rig on another machine is reached."""
    if rig.certificate:
        _check_folder(rig.certificate, f"{where}.certificate", mistakes)
    for key, given in (("host_key", rig.host_key), ("certificate", rig.certificate)):
        if given is not None and not rig.at.startswith(_MEANT_FOR[key]):
            mistakes.add(f"{where}.{key}", f"is for an address that begins with {_MEANT_FOR[key]}")
    if rig.host_key is not None and not _FINGERPRINT.match(rig.host_key):
        mistakes.add(f"{where}.host_key", "should be a fingerprint: SHA256: and 43 characters")
    if not 0 < rig.timeout <= MOST_SECONDS:
        mistakes.add(f"{where}.timeout", f"should be a number of seconds, more than 0 and at most {MOST_SECONDS}")


def _check_folder(folder: str, where: str, mistakes: Mistakes) -> None:
    """A folder of this machine, or a file."""
    if fault := _control_fault(folder):
        mistakes.add(where, fault)
    elif not WINDOWS and _OF_WINDOWS.match(folder):
        mistakes.add(
            where, f'"{folder}" is a Windows path, but this system has no drives; write the path that it has here'
        )


def _control_fault(path: str) -> str:
    """What is wrong with a path in which a backslash was taken for the beginning of an escape."""
    for char in path:
        if ord(char) < 32:
            letter = _ESCAPES.get(char, "")
            said = f" (in double quotes, \\{letter} is one)" if letter else ""
            return f"contains a control character{said}; {WRITE_SLASHES}"
    return ""


def _check_installed(installed: Installed, where: str, mistakes: Mistakes) -> None:
    paths = [("at", installed.at)] if installed.at else []
    paths += [(f"folders.{key}", folder) for key, folder in installed.folders.items()]
    paths += [(f"folders.{key}", folder) for key, too in installed.more_folders.items() for folder in too]
    paths += [(f"moved.{key}", folder) for key, folder in installed.moved.items()]
    paths += [(f"moved.{key}", key) for key in installed.moved]
    for key, folder in paths:
        if fault := _control_fault(folder) or path_fault(folder):
            mistakes.add(f"{where}.{key}", f'"{visible(folder, "?")}" {fault}')
    if installed.wanted and len(installed.wanted) == 1 and (fault := _control_fault(installed.wanted[0])):
        mistakes.add(f"{where}.wanted", fault)


def fit_sheet(sheet: Sheet, installed: Installed | None = None, liking: Liking = AS_LISTED) -> Fitted:
    """The needs of a sheet that concern an installed release and the machines played on a rig.

    Accepts that do not work with the release stay in the need; `works_with` tells them apart. Without
    an installation the whole sheet is fitted, as for the newest release.
    """
    installed = installed or Installed()
    release, note = installed.release, ""
    if release is not None and (fault := release_fault(release, sheet.order)):
        note = f'release "{release}" {fault}; so Gribble uses the newest one'
    needs = tuple(_needs_on(sheet, installed))
    folders, more = _folders_on(sheet, installed)
    further = {f"{key} {number}": one for key, too in more.items() for number, one in enumerate(too, start=2)}
    marked = tuple(_liked(_mark_accepts(need, release, sheet.order), liking) for need in needs)
    unmeetable = {need.id for need, left in zip(needs, marked, strict=True) if need.accept and not left.accept}
    return Fitted(
        emulator=sheet.emulator,
        title=sheet.title or sheet.emulator,
        sheet=sheet,
        folders={**folders, **further},
        more_folders=more,
        needs=marked,
        unmeetable=frozenset(unmeetable),
        other_releases={need.id: others for need in needs if (others := _others(need, release, sheet.order))},
        setting=tuple(_settings_on(sheet, installed, {None, *(need.id for need in needs)})),
        media=tuple(_media_in(sheet, release, further)),
        root=sheet.root,
        arcade=sheet.arcade,
        installed=installed,
        liking=liking,
        note=note,
    )


def _needs_on(sheet: Sheet, installed: Installed) -> Iterator[Need]:
    """The needs that concern a release and the machines that are played with it."""
    played = set(sheet.machines if installed.machines is None else installed.machines)
    for need in sheet.need:
        plays = need.machines is None or not played.isdisjoint(need.machines)
        if plays and concerns(need.releases, installed.release, sheet.order):
            yield need


def _settings_on(sheet: Sheet, installed: Installed, needs: Container[str | None]) -> Iterator[Setting]:
    """The settings of some needs, with their files where the emulator has them on the rig."""
    for one in sheet.setting:
        if one.need in needs:
            yield structs.replace(one, file=installed.place(one.file))


def _folders_on(sheet: Sheet, installed: Installed) -> tuple[dict[str, str], dict[str, tuple[str, ...]]]:
    """The folders of a sheet on a rig by key: where placing writes, and those that are looked in, too."""
    named = {key: join(installed.at, folder) for key, folder in installed.folders.items()}
    folders = {key: named.get(key, installed.place(folder)) for key, folder in sheet.folders.items()}
    more = {key: tuple(map(installed.place, too)) for key, too in sheet.more_folders.items() if key not in named}
    more |= {key: tuple(join(installed.at, one) for one in too) for key, too in installed.more_folders.items()}
    return folders, more


def _media_in(sheet: Sheet, release: str | None, further: Iterable[str]) -> Iterator[Media]:
    """What game folders may hold that concerns a release; said of each folder where a key names several."""
    for one in sheet.media:
        if concerns(one.releases, release, sheet.order):
            yield one
            alike = (key for key in further if key.rpartition(" ")[0] == one.folder)
            yield from (structs.replace(one, folder=key) for key in alike)


def _liked(need: Need, liking: Liking) -> Need:
    """A need with its accepted contents in the person's order."""
    return structs.replace(need, accept=tuple(by_liking(need.accept, liking)))


def _others(need: Need, release: str | None, order: tuple[str, ...]) -> tuple[Accept, ...]:
    """The accepted contents that do not work with a release."""
    return tuple(accept for accept in need.accept if not concerns(accept.releases, release, order))


def _mark_accepts(need: Need, release: str | None, order: tuple[str, ...]) -> Need:
    """Accepts for other releases become rejects that say so: the content is known, but not for this release."""
    others = _others(need, release, order)
    rejects = tuple(
        structs.replace(
            OtherRelease(size=accept.size, label=accept.called, why=f"Works only with release {accept.releases}."),
            **accept.known(),
        )
        for accept in others
        if accept.strongest()
    )
    return structs.replace(need, accept=tuple(a for a in need.accept if a not in others), reject=need.reject + rejects)


def _check_places(config: Config, mistakes: Mistakes) -> None:
    """Two rigs in one folder would take each other's files for their own; under whatever name they reach it."""
    names = list(config.rig)
    for number, name in enumerate(names):
        for other in names[:number]:
            if one_place(config.rig[name].at, config.rig[other].at):
                mistakes.add(f"rig.{name}.at", f"is the folder of rig {other} already; give each rig its own")


def one_place(one: str, other: str) -> bool:
    """Whether two rigs' folders or addresses are one."""
    if "://" in one or "://" in other:
        return one.rstrip("/") == other.rstrip("/")
    return same_place(one, other)


def check_against(config: Config, catalogue: Catalogue, file: str) -> list[Mistake]:
    """Mistakes of a configuration that only the catalogue can tell: unknown machines, folders, needs."""
    mistakes = Mistakes(file)
    for name, rig in config.rig.items():
        for emulator, installed in rig.emulators.items():
            where = f"rig.{name}.emulators.{emulator}"
            sheet = catalogue.sheets.get(emulator)
            if sheet is None:
                continue  # nothing is known of it, which its state says
            if other := _rig_around(config, name, installed.place(sheet.own_folder)):
                moves = f"gribble rigs enter {emulator} --rig {other}, then gribble rigs leave {emulator} --rig {name}"
                mistakes.add(where, f"its folder is in rig {other}, and {name} does not look into that rig: {moves}")
            known = {
                "machines": (installed.machines or (), list(sheet.machines)),
                "folders": (tuple(installed.folders), list(sheet.folders)),
                "ignore": (installed.ignore, [need.id for need in sheet.need]),
                "moved": (tuple(one.strip("/") for one in installed.moved), _places_of(sheet)),
            }
            for key, (words, right) in known.items():
                for word in words:
                    if word not in right:
                        mistakes.add(f"{where}.{key}", f'the sheet knows no "{word}"{suggest(word, right)}')
    return mistakes.found


def _rig_around(config: Config, name: str, folder: str) -> str:
    """The rig within a rig in which a folder of that one lies; empty if it is in none."""
    rig = config.rig[name]
    place = Path(os.path.normpath(os.path.join(rig.at, folder)))
    for other, one in config.rig.items():
        root = Path(os.path.normpath(one.at))
        if other != name and not (rig.far or one.far) and place.is_relative_to(root) and root.is_relative_to(rig.at):
            return other
    return ""


def _places_of(sheet: Sheet) -> list[str]:
    """Every folder of a sheet with those above it, and its settings files."""
    paths = [*sheet.folders.values(), *(one.file for one in sheet.setting)]
    above = (path.split("/")[:count] for path in paths for count in range(1, path.count("/") + 2))
    return list(dict.fromkeys(map("/".join, above)))


def without_sheets(config: Config, catalogue: Catalogue, file: str, rigs: Container[str] = ()) -> list[Mistake]:
    """The emulators of a configuration, on some rigs or on all, of which nothing is known, since no sheet for them can
    be used."""
    found = []
    for name, rig in config.rig.items():
        if rigs and name not in rigs:
            continue
        for emulator in rig.emulators:
            if emulator in catalogue.sheets:
                continue
            if path := catalogue.faulty.get(emulator):
                found.append(
                    Mistake(
                        str(path),
                        "",
                        f"because of these mistakes Gribble does not know the state of {emulator} on {name}",
                    )
                )
            else:
                why = catalogue.why_unknown(emulator)
                found.append(Mistake(file, f"rig.{name}.emulators.{emulator}", why))
    return found
