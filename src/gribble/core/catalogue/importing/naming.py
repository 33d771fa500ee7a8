"""Whose list it is: an emulator's name and release, from what the list says of itself, else from its file's name."""

from __future__ import annotations

import re
from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path

from packaging.version import InvalidVersion, Version

from gribble.core.catalogue.importing.values import is_blank
from gribble.core.catalogue.importing.words import STOP_WORDS, plain
from gribble.core.catalogue.writing import slug
from gribble.core.records.imported import Named

_RELEASE = re.compile(r"\b[vVrR]?(\d+(?:\.\d+)+[a-z]?|\d{1,3})\b")
_NAMED = re.compile(
    r"(?:\b[Ff]or|\b[Ff]ür|\b[Pp]our|\b[Pp]ara|\b[Pp]er|\b[Vv]oor)\s+(?P<of>[A-Z][\w-]{2,})\s+[vVrR]?\d+(?:\.\d+)+"
    r"|^(?P<it>[A-Z][\w-]{2,})(?:\s+[vVrR]?\d[\w.]*)?\s+(?:needs|requires|wants|uses|braucht|benötigt|necesita|richiede)\b"
)
"""An emulator within a title, as in "Files for Plover 1.3" or "Plover needs these"."""
_EMULATOR_KEYS = (
    "emulator",
    "emulateur",
    "emulador",
    "emulatore",
    "エミュレータ",
    "エミュレーター",
    "program",
    "programm",
    "core",
    "app",
)
_RELEASE_KEYS = ("release", "version", "build", "fassung", "versione", "versao", "versie", "バージョン")


_ROOTS = frozenset(
    ["export", "datafile", "dataset", "data", "root", "sets", "games", "game", "machines", "machine", "software", "xml"]
)
"""Names of a root element that name no emulator."""

FILE_NAME = "the file's name"
"""Where a release was taken from that the list itself does not say."""


def emulator_of(common: Mapping[str, str], title: str, path: Path, root: str = "") -> Named | None:
    """The emulator: as the list says, else the title that is above it, else the file's name. An export that says
    its release may name it by its `root` element."""
    for key, value in common.items():
        if plain(key) in _EMULATOR_KEYS and not is_blank(value) and len(value) <= 40:
            return Named(slug(re.sub(r"\s+v?\d+(\.\d+)+.*$", "", value)), f"{key} in the list")
    if root and any(plain(key) in _RELEASE_KEYS for key in common) and plain(root) not in STOP_WORDS | _ROOTS:
        return Named(slug(root), "the outermost element")
    for text, source in ((title, "the title"), (_stem(path), "its file's name, which is assumed")):
        if name := _emulator_in(text):
            return Named(name, source)
    return None


def _emulator_in(text: str) -> str:
    """The emulator that a title or a file's name speaks of; empty if that is not plain."""
    if match := _NAMED.search(text):
        return slug(match["of"] or match["it"])
    words = [word for word in plain(_RELEASE.sub(" ", text)).split() if word not in STOP_WORDS]
    name = slug(words[0]) if len(words) == 1 else ""
    return "" if name == "file" else name


def release_of(common: Mapping[str, str], title: str, path: Path) -> Named | None:
    """The release, from the same places."""
    for key, value in common.items():
        if plain(key) in _RELEASE_KEYS and not is_blank(value) and (release := release_in(value)):
            return Named(release, f"{key} in the list")
    for text, source in ((title, "the title"), (_stem(path), FILE_NAME)):
        if match := re.search(r"\b[vVrR]?(\d+(?:\.\d+)+[a-z]?)\b", text):
            return Named(match[1], source)
    return None


def release_in(value: str) -> str:
    """The release in what a list says of it, such as 0.84 in "0.84 (unknown)"; empty if there is no number."""
    value = value.strip()
    with suppress(InvalidVersion):
        Version(value)
        return value
    found = re.search(r"(?<![\w.])[vVrR]?(\d{4}-\d\d-\d\d|\d+(?:\.\d+)*[a-z]?)(?![\w.])", value)
    return found[1] if found else ""


def _stem(path: Path) -> str:
    """A file's name without its ending, its words apart; figures with points between them stay together."""
    stem = path.name.rpartition(".")[0] or path.name
    return re.sub(r"(?<!\d)\.|\.(?!\d)", " ", stem).replace("_", " ").replace("-", " ")
