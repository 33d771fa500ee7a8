"""Small families of sets, and what lies on a rig and in a drawer for them."""

from __future__ import annotations

import zlib
from typing import Any

import msgspec

from gribble.core.arcade.cabinet import Cabinet, Shape
from gribble.core.base.digests import Digests
from gribble.core.catalogue.rosters import LoadedSets
from gribble.core.records.holding import Holding
from gribble.core.records.rig_seen import RigSeen
from gribble.core.records.roster import ArcadeSet, Roster, RosterHead
from gribble.core.survey.holdings import HeldHere


def crc(what: str) -> str:
    return f"{zlib.crc32(what.encode()):08x}"


def file(what: str, **more: Any) -> dict[str, Any]:
    return {"name": f"{what}.bin", "size": len(what), "crc32": crc(what), **more}


def roster(release: str = "2", **sets: dict[str, Any]) -> Roster:
    made = {name: msgspec.convert({"set": name, **rest}, ArcadeSet) for name, rest in sets.items()}
    return Roster(RosterHead(roster=1, emulator="knot", release=release), LoadedSets(made))


def held(path: str, what: str, member: str | None = None, rig: str = "den") -> Holding:
    return Holding(
        rig=rig,
        root=f"/{rig or 'drawer'}",
        path=path,
        member=member,
        size=len(what),
        digests=Digests(crc32=crc(what)),
        carried=member is not None,
    )


def cabinet(
    files: dict[str, str],
    drawer: dict[str, str] | None = None,
    hidden: dict[str, str] | None = None,
    endings: tuple[str, ...] = ("zip", "7z"),
    *,
    folds_case: bool = False,
    exact: bool = False,
    variants: dict[str, str] | None = None,
) -> Cabinet:
    """A cabinet of files by place: "sets/a.zip/x.bin" is a member, "sets/a/x.bin" lies in a folder."""

    def holding(place: str, what: str, rig: str) -> Holding:
        for ending in (".zip/", ".7z/", ".rar/"):
            path, inside, member = place.partition(ending)
            if inside:
                return held(path + ending[:-1], what, member, rig)
        return held(place, what, None, rig)

    own = [holding(place, what, "den") for place, what in files.items()]
    elsewhere = [holding(place, what, "") for place, what in (drawer or {}).items()]
    rig = RigSeen(
        name="den", root="/den", emulators=(), holdings=HeldHere(own), hidden=hidden or {}, folds_case=folds_case
    )
    return Cabinet(rig, Shape("sets", endings, exact, variants or {}), [HeldHere(elsewhere, root="/drawer")])


FAMILY = roster(
    sys={"kind": "bios", "files": [file("boot")]},
    tone={"kind": "device", "files": [file("tone")]},
    mum={"bios": "sys", "devices": ["tone"], "files": [file("mum1"), file("both")]},
    kid={"parent": "mum", "files": [file("kid1"), file("both", parent_name="both.bin")]},
)


BIOS = {"sets/sys.zip/boot.bin": "boot", "sets/tone.zip/tone.bin": "tone"}


KID = {"sets/kid.zip/kid1.bin": "kid1"}


MUM = {"sets/mum.zip/mum1.bin": "mum1", "sets/mum.zip/both.bin": "both"}
