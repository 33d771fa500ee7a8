"""Whose list it is: an emulator's name and release, from what the list says of itself, else from its file's name."""

from __future__ import annotations

import re
from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path

from packaging.version import InvalidVersion, Version

from gribble.core.catalogue.importing.sniffing import is_blank
from gribble.core.catalogue.importing.words import STOP_WORDS, plain
from gribble.core.catalogue.writing import slug
from gribble.core.records.imported import Named

_RELEASE = re.compile(r"\b[vVrR]?(\d+(?:\.\d+)+[a-z]?|\d{1,3})\b")
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


def emulator_of(common: Mapping[str, str], title: str, path: Path) -> Named | None:
    """The emulator: as the list says, else the title that stands above it, else the file's name."""
    for key, value in common.items():
        if plain(key) in _EMULATOR_KEYS and not is_blank(value) and len(value) <= 40:
            return Named(slug(re.sub(r"\s+v?\d+(\.\d+)+.*$", "", value)), f"{key} in the list")
    for text, source in ((title, "the title"), (_stem(path), "its file's name, which is assumed")):
        words = [word for word in plain(_RELEASE.sub(" ", text)).split() if word not in STOP_WORDS]
        if len(words) == 1 and slug(words[0]) != "file":
            return Named(slug(words[0]), source)
    return None


def release_of(common: Mapping[str, str], title: str, path: Path) -> Named | None:
    """The release, from the same places."""
    for key, value in common.items():
        if plain(key) in _RELEASE_KEYS and not is_blank(value) and (release := release_in(value)):
            return Named(release, f"{key} in the list")
    for text, source in ((title, "the title"), (_stem(path), "the file's name")):
        if match := re.search(r"\b[vVrR]?(\d+(?:\.\d+)+[a-z]?)\b", text):
            return Named(match[1], source)
    return None


def release_in(value: str) -> str:
    """The release in what a list says of it, such as 0.84 in "0.84 (unknown)"; empty where there is no number."""
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
