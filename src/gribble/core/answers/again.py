"""What is new on disk, beside what a gribble.toml says already, and the file with it added and nothing else changed."""

from __future__ import annotations

import json
import os
import tomllib
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import tomlkit
from msgspec import Struct

from gribble.core.answers.discover import Discovery, is_rig_of
from gribble.core.base.errors import GribbleError
from gribble.core.catalogue.sheets import Catalogue
from gribble.core.records.config import Config


class News(Struct, frozen=True, kw_only=True):
    """What a gribble.toml does not say yet: sources and catalogues as paths relative to it, new rigs by name with path
    and emulators, and new emulators on rigs that it has, each with its release (or empty)."""

    sources: tuple[str, ...] = ()
    catalogues: tuple[str, ...] = ()
    rigs: Mapping[str, tuple[str, tuple[str, ...]]] = {}
    emulators: Mapping[str, Mapping[str, str]] = {}

    def __bool__(self) -> bool:
        return bool(self.sources or self.catalogues or self.rigs or self.emulators)


def news(found: Discovery, config: Config, catalogue: Catalogue, folder: Path, text: str) -> News:
    """What was found below a folder and is not in the configuration of that folder, whose `text` may leave emulators
    out that another rig has."""
    written = tomllib.loads(text).get("rig", {})
    rigs = {name: Path(rig.at) for name, rig in config.rig.items() if not rig.far}
    known = [Path(place) for place in (*config.source_folders, *config.catalogues)] + list(rigs.values())

    def is_new(path: str) -> bool:
        place = Path(os.path.normpath(folder / path))
        return not any(place.is_relative_to(one) or one.is_relative_to(place) for one in known)

    def new_on(root: Path, rig: str) -> dict[str, str]:
        """The emulators on a rig of which there is a sheet, and nothing in the configuration."""
        told = {*config.rig[rig].emulators, *written[rig].get("emulators", {})}
        sheets = sorted(catalogue.sheets.items())
        return {name: "" for name, sheet in sheets if name not in told and is_rig_of(root, sheet)}

    named: dict[str, tuple[str, tuple[str, ...]]] = {}
    for name, (path, emulators) in found.rigs.items():
        if is_new(path):
            while name in config.rig or name in named:
                name += "-2"
            named[name] = (path, emulators)
    return News(
        sources=tuple(filter(is_new, found.sources)),
        catalogues=tuple(filter(is_new, found.catalogues)),
        rigs=named,
        emulators={name: new for name, root in rigs.items() if (new := new_on(root, name))},
    )


def added(text: str, new: News) -> str:
    """The text of a gribble.toml with what is new in it, all else as it was, comments too. Raises GribbleError where
    the file is written in a way to which that cannot be added."""
    before = tomllib.loads(text)
    windows = text.count("\r\n") == text.count("\n")
    text = text.replace("\r\n", "\n") if windows else text
    document: Any = tomlkit.parse(text)
    for key, places in (("sources", new.sources), ("catalogues", new.catalogues)):
        if places and key not in document:
            document[key] = []
        for place in places:
            document[key].append(place)
    for rig, releases in new.emulators.items():
        table = document["rig"][rig]
        if "emulators" not in table:
            table["emulators"] = tomlkit.table()
        for emulator, release in releases.items():
            table["emulators"][emulator] = release or tomlkit.inline_table()
    changed = tomlkit.dumps(document)
    changed += "" if changed.endswith("\n") or not changed else "\n"
    for name, (path, emulators) in new.rigs.items():
        lines = ["", f"[rig.{name}]", f"at = {json.dumps(path, ensure_ascii=False)}", "", f"[rig.{name}.emulators]"]
        changed += "\n".join([*lines, *(f"{emulator} = {{}}" for emulator in emulators), ""])
    try:
        right = tomllib.loads(changed) == _expected(before, new)
    except tomllib.TOMLDecodeError:
        right = False
    if not right:
        raise GribbleError(
            "gribble.toml is written in a way to which nothing can be added by itself",
            fix=f"Add it yourself: {'; '.join(told(new))}.",
        )
    return changed.replace("\n", "\r\n") if windows else changed


def _expected(before: dict[str, Any], new: News) -> dict[str, Any]:
    """What the file should say afterwards."""
    after: dict[str, Any] = json.loads(json.dumps(before, default=str))
    for key, places in (("sources", new.sources), ("catalogues", new.catalogues)):
        if places:
            after[key] = [*after.get(key, []), *places]
    rigs = after.setdefault("rig", {}) if new.rigs or new.emulators else after.get("rig", {})
    for rig, releases in new.emulators.items():
        rigs[rig].setdefault("emulators", {}).update({name: release or {} for name, release in releases.items()})
    for name, (path, emulators) in new.rigs.items():
        rigs[name] = {"at": path, "emulators": {emulator: {} for emulator in emulators}}
    return after


def told(new: News) -> list[str]:
    """What is new, in words."""
    words = [f"source {place}" for place in new.sources] + [f"catalogue {place}" for place in new.catalogues]
    for name, (path, emulators) in new.rigs.items():
        words.append(f"rig {name} at {path}" + (f" ({', '.join(emulators)})" if emulators else ""))
    for rig, releases in new.emulators.items():
        words.append(f"{', '.join(f'{name} {release}'.rstrip() for name, release in releases.items())} on {rig}")
    return words
