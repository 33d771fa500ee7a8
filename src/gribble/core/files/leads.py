"""Where a path in a settings file leads on its rig, and how another is written in the same form."""

from __future__ import annotations

import posixpath
import re
from collections.abc import Mapping
from enum import StrEnum

from msgspec import Struct

from gribble.core.base.paths import fold, join, parent

_ABSOLUTE = re.compile(r"^(/|[A-Za-z]+:)")
_WINDOWS = re.compile(r"^([A-Za-z]:|//)")
_VARIABLE = re.compile(r"^~(?=/|$)|\$(\w+)|\$\{(\w+)\}|%(\w+)%")


class Form(StrEnum):
    """How a path is written."""

    ABSOLUTE = "absolute"
    ROOT = "relative to the rig's root"
    HOME = "relative to the emulator's own folder"
    FILE = "relative to the settings file"
    FOLDER = "relative to a folder of the sheet"


class Frame(Struct, frozen=True, kw_only=True):
    """What paths are understood by: the root as the device calls it (`anchor`), and the settings file.

    `root` is the root as this machine calls it, which the device may not know, and `seen_as` says that the device was
    asked; `folders` are those on the rig. `variables` are those of the emulator's surroundings, None if they are
    another machine's. `home` is the emulator's own folder, where it is not the root. `start` is the folder below which
    a path is meant that is not absolute, if the sheet names one; `alike` are the values of other settings in the file,
    whose form is that of a value which is empty.
    """

    anchor: str
    root: str
    file: str
    folders: frozenset[str]
    folds_case: bool = False
    seen_as: bool = False
    variables: Mapping[str, str] | None = None
    home: str = ""
    start: str | None = None
    alike: tuple[str, ...] = ()

    def is_absolute(self, text: str) -> bool:
        """Whether a path begins at a root: as systems have them, or as the device itself calls the rig's."""
        return bool(_ABSOLUTE.match(text)) or (self.seen_as and _below(text, self.anchor, self.folds_case) is not None)


class Lead(Struct, frozen=True):
    """One reading of a path: its form, and where it leads, relative to the rig's root."""

    form: Form
    path: str


class Reading(Struct, frozen=True):
    """What a path says: the places it may lead to, likeliest first; or what is wrong with it; or why that cannot be
    known from here."""

    leads: tuple[Lead, ...] = ()
    fault: str = ""
    unknown: str = ""


def read_path(value: str, frame: Frame) -> Reading:
    """Where a path of a settings file leads, its variables (`~`, `$NAME`, `${NAME}`, `%NAME%`) put in."""
    text = _plain(value)
    if not text:
        return Reading(fault="is empty")
    if _VARIABLE.search(text):
        text, unknown = _filled(text, frame)
        if unknown:
            return Reading(unknown=unknown)
    return _read(text, frame)


def read_literally(value: str, frame: Frame) -> Reading:
    """The same, every character taken as it stands."""
    return _read(_plain(value), frame)


def _plain(value: str) -> str:
    return value.strip().replace("\\", "/")


def _read(text: str, frame: Frame) -> Reading:
    if frame.is_absolute(text):
        inside = _below(text, frame.anchor, frame.folds_case)
        if inside is not None:
            return Reading((Lead(Form.ABSOLUTE, inside),))
        if _below(text, frame.root, frame.folds_case) is not None:
            return Reading(fault=f"is a path of this machine; the device calls the rig's root {frame.anchor}")
        if not frame.seen_as and bool(_WINDOWS.match(text)) != bool(_WINDOWS.match(_plain(frame.anchor))):
            what = "as the device calls it" if _WINDOWS.match(text) else "as no drive is called"
            return Reading(unknown=f"is {what}, and gribble.toml does not say how that calls the rig's root: seen_as")
        return Reading(fault=f"leads out of the rig, whose root is {frame.anchor}")
    found = []
    for form, start in _starts(text, frame):
        path = posixpath.normpath(posixpath.join(start, text))
        if path != ".." and not path.startswith("../"):
            found.append(Lead(form, "" if path == "." else path))
    if text.startswith("."):
        found.reverse()
    else:  # likeliest is the reading that leads to a folder which is there
        found.sort(key=lambda lead: parent(lead.path) not in frame.folders)
    return Reading(tuple(found), "" if found else "leads out of the rig")


def _starts(text: str, frame: Frame) -> list[tuple[Form, str]]:
    """From where a path may be meant that is not absolute, likeliest first."""
    if frame.start is not None:
        return [(Form.FOLDER, frame.start)]
    starts = [(Form.ROOT, ""), (Form.FILE, parent(frame.file))]
    if frame.home:  # whoever starts the emulator is in its folder, unless the path says that it begins above
        starts.insert(1 if fold(text).startswith(f"{fold(frame.home)}/") else 0, (Form.HOME, frame.home))
    return starts


def _filled(text: str, frame: Frame) -> tuple[str, str]:
    """A path with its variables put in; or why that cannot be done."""
    unknown = ""

    def fill(match: re.Match[str]) -> str:
        nonlocal unknown
        value = _value_of(match, frame.variables or {})
        if value is None:
            unknown = unknown or f"begins with {match[0]}" * (not match.start()) or f"holds {match[0]}"
            return ""
        return _plain(value)

    filled = _VARIABLE.sub(fill, text)
    if frame.variables is None:
        return "", f"{unknown}, which only the device knows"
    return filled, f"{unknown}, which is not set here" if unknown else ""


def _value_of(match: re.Match[str], variables: Mapping[str, str]) -> str | None:
    """What a variable stands for; None if it is not set. Windows takes its names in any case."""
    if match[0] == "~":
        return variables.get("HOME") or variables.get("USERPROFILE")
    if match[3]:
        return next((value for name, value in variables.items() if name.casefold() == match[3].casefold()), None)
    return variables.get(match[1] or match[2])


def written(target: str, value: str, frame: Frame) -> str | None:
    """A path on the rig in the form of the value that it replaces; None if that form cannot lead there."""
    text = _plain(value) or _as_others(frame)
    back = "\\" in value or (not value.strip() and "\\" in frame.anchor)
    if _VARIABLE.search(text) and not any(lead.path in frame.folders for lead in read_literally(value, frame).leads):
        path = _by_variable(target, text, frame)
        if path is None:
            return None
    elif frame.is_absolute(text):
        back = _backslashes(value, text, frame)
        path = _plain(frame.anchor).rstrip("/") + "/" + target
    elif frame.start is not None:
        path = posixpath.relpath(target, frame.start or ".")
        if path.startswith("../"):
            return None
    elif (found := _read(text, frame).leads) and found[0].form is not Form.ROOT:
        start = frame.home if found[0].form is Form.HOME else parent(frame.file)
        path = posixpath.relpath(target, start or ".")
        path = "./" + path if text.startswith("./") and not path.startswith("../") else path
    else:
        path = target
    path = path if target else path.rstrip("/")
    if text.endswith("/") and text != "/":
        path = path.rstrip("/") + "/"
    return path.replace("/", "\\") if back else path


def _backslashes(value: str, text: str, frame: Frame) -> bool:
    """Whether an absolute path is written with backslashes: as the value is, where its device has them at all."""
    backs = bool(_WINDOWS.match(_plain(frame.anchor))) or (frame.seen_as and "\\" in frame.anchor)
    return backs and "\\" in (value if value.strip() and _WINDOWS.match(text) else frame.anchor)


def _as_others(frame: Frame) -> str:
    """What stands for a value that is empty: one as the others in its file are, else an absolute one, where the rig has
    a root of which the device knows."""
    if frame.start is not None or "://" in frame.anchor:
        return ""
    others = [text for text in map(_plain, frame.alike) if text and not _VARIABLE.search(text)]
    if any(frame.is_absolute(text) for text in others) or not others:
        return _plain(frame.anchor).rstrip("/") or "/"
    return others[0].rstrip("/")


def _by_variable(target: str, text: str, frame: Frame) -> str | None:
    """A place on the rig behind the variables that a path begins with."""
    parts = text.split("/")
    last = max(place for place, part in enumerate(parts) if _VARIABLE.search(part))
    kept = "/".join(parts[: last + 1])
    start, unknown = _filled(kept, frame)
    if unknown or not _ABSOLUTE.match(start):
        return None
    inside = _below(posixpath.join(_plain(frame.anchor), target), start, frame.folds_case)
    return None if inside is None else f"{kept}/{inside}"


def _below(path: str, root: str, folds_case: bool) -> str | None:
    """A path relative to a root, or None if it does not are below it."""
    base = root.replace("\\", "/").rstrip("/")
    path = posixpath.normpath(path)
    one, other = (fold(path), fold(base)) if folds_case else (path, base)
    if one == other:
        return ""
    return join(path[len(base) + 1 :]) if one.startswith(other + "/") else None
