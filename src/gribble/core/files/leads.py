"""Where a path in a settings file leads on its rig, and how another is written in the same form."""

from __future__ import annotations

import posixpath
import re
from enum import StrEnum

from msgspec import Struct

from gribble.core.base.paths import fold, join, parent

_ABSOLUTE = re.compile(r"^(/|[A-Za-z]+:)")


class Form(StrEnum):
    """How a path is written."""

    ABSOLUTE = "absolute"
    ROOT = "relative to the rig's root"
    FILE = "relative to the settings file"


class Frame(Struct, frozen=True, kw_only=True):
    """What paths are understood by: the root as the device calls it (`anchor`), and the settings file.

    `root` is the root as this machine calls it, which the device may not know; `folders` are those on the rig.
    """

    anchor: str
    root: str
    file: str
    folders: frozenset[str]
    folds_case: bool = False


class Lead(Struct, frozen=True):
    """One reading of a path: its form, and where it leads, relative to the rig's root."""

    form: Form
    path: str


def leads(value: str, frame: Frame) -> tuple[list[Lead], str]:
    """The places a path may lead to, likeliest first, and what is wrong with it where there is none."""
    text = value.strip().replace("\\", "/")
    if not text:
        return [], "is empty"
    if _ABSOLUTE.match(text):
        inside = _below(text, frame.anchor, frame.folds_case)
        if inside is not None:
            return [Lead(Form.ABSOLUTE, inside)], ""
        if _below(text, frame.root, frame.folds_case) is not None:
            return [], f"is a path of this machine; the device calls the rig's root {frame.anchor}"
        return [], f"leads out of the rig, whose root is {frame.anchor}"
    found = []
    for form, start in ((Form.ROOT, ""), (Form.FILE, parent(frame.file))):
        path = posixpath.normpath(posixpath.join(start, text))
        if path != ".." and not path.startswith("../"):
            found.append(Lead(form, "" if path == "." else path))
    if text.startswith("."):
        found.reverse()
    else:  # likeliest is the reading that leads to a folder which is there
        found.sort(key=lambda lead: parent(lead.path) not in frame.folders)
    return found, "" if found else "leads out of the rig"


def written(target: str, value: str, frame: Frame) -> str:
    """A path on the rig in the form of the value that it replaces."""
    back = "\\" in value or (not value and "\\" in frame.anchor)
    text = value.strip().replace("\\", "/")
    if _ABSOLUTE.match(text):
        path = frame.anchor.replace("\\", "/").rstrip("/") + "/" + target
    elif (found := leads(value, frame)[0]) and found[0].form is Form.FILE:
        path = posixpath.relpath(target, parent(frame.file) or ".")
        path = "./" + path if text.startswith("./") and not path.startswith("../") else path
    else:
        path = target
    path = path if target else path.rstrip("/")
    if text.endswith("/") and text != "/":
        path = path.rstrip("/") + "/"
    return path.replace("/", "\\") if back else path


def _below(path: str, root: str, folds_case: bool) -> str | None:
    """A path relative to a root, or None where it does not lie below it."""
    base = root.replace("\\", "/").rstrip("/")
    path = posixpath.normpath(path)
    one, other = (fold(path), fold(base)) if folds_case else (path, base)
    if one == other:
        return ""
    return join(path[len(base) + 1 :]) if one.startswith(other + "/") else None
