"""Texts to be written: track sheets and playlists, with what becomes of the former ones."""

from __future__ import annotations

from typing import NamedTuple

from gribble.core.records.steps import Displace, Step, Write


class Text(NamedTuple):
    """A text and its place: a path on a rig, or without one a file of this machine.

    `former` is the path of what it takes the place of; empty where there is nothing.
    """

    rig: str
    path: str
    text: str
    former: str


def steps_of(one: Text) -> list[Step]:
    """What puts a text on its rig; a former file of another name goes to the attic."""
    replaces = one.path if one.former == one.path else None
    need = "track sheets and playlists"
    write = Write(
        rig=one.rig,
        to=one.path,
        bytes=len(encoded(one)),
        text=one.text,
        replaces=replaces,
        need=need,
    )
    if replaces or not one.former:
        return [write]
    return [write, Displace(rig=one.rig, from_=one.former, need=need)]


def encoded(one: Text) -> bytes:
    """Its bytes."""
    return one.text.encode("utf-8", "surrogateescape")
