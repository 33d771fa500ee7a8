"""Small families of sets, and what is on a rig and in a drawer for them."""

from __future__ import annotations

import zlib
from typing import Any

import msgspec

from gribble.core.arcade.cabinet import Cabinet, Shape
from gribble.core.arcade.packing import HowPacked, pack_sets
from gribble.core.arcade.sets import audit_set
from gribble.core.base.digests import Digests
from gribble.core.base.kinds import Style
from gribble.core.catalogue.rosters import LoadedSets
from gribble.core.records.holding import Holding
from gribble.core.records.rig_seen import RigSeen
from gribble.core.records.roster import ArcadeSet, Roster, RosterHead
from gribble.core.records.set_remedies import SetRemedies
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
    too: tuple[str, ...] = (),
) -> Cabinet:
    """A cabinet of files by place: "sets/a.zip/x.bin" is a member, "sets/a/x.bin" is in a folder."""

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
    return Cabinet(rig, Shape("sets", endings, exact, variants or {}, too=too), [HeldHere(elsewhere, root="/drawer")])


FAMILY = roster(
    sys={"kind": "bios", "files": [file("boot")]},
    tone={"kind": "device", "files": [file("tone")]},
    mum={"bios": "sys", "devices": ["tone"], "files": [file("mum1"), file("both")]},
    kid={"parent": "mum", "files": [file("kid1"), file("both", parent_name="both.bin")]},
)


BIOS = {"sets/sys.zip/boot.bin": "boot", "sets/tone.zip/tone.bin": "tone"}


KID = {"sets/kid.zip/kid1.bin": "kid1"}


MUM = {"sets/mum.zip/mum1.bin": "mum1", "sets/mum.zip/both.bin": "both"}


Files = dict[str, str]
"""Contents by place; "sets/a.zip/x" is a member. The drawer's places begin with "drawer/"."""


def remedies(made: Roster, wanted: list[str], files: Files, style: Style | None, **options: Any) -> SetRemedies:
    there = arranged(files)
    return pack_sets(made, [audit_set(made, name, there) for name in wanted], there, HowPacked(style, **options))


def arranged(files: Files) -> Any:
    own = {place: what for place, what in files.items() if not place.startswith("drawer/")}
    drawer = {place: what for place, what in files.items() if place.startswith("drawer/")}
    return cabinet(own, drawer)


def place_of(holding: Holding) -> str:
    return holding.path if holding.member is None else f"{holding.path}/{holding.member}"


def carried_out(files: Files, done: SetRemedies) -> tuple[Files, Files]:
    """The files afterwards, and the attic. Every member is proven as a run would prove it."""
    now, attic = dict(files), {}

    def displace(path: str) -> None:
        for place in [place for place in now if place == path or place.startswith(f"{path}/")]:
            attic[place] = now.pop(place)

    for packed in done.packed:
        if packed.replaces:
            displace(packed.replaces)
        assert not any(place.startswith(f"{packed.to}/") for place in now)
        assert len({member.name for member in packed.members}) == len(packed.members)
        if not packed.members:
            now[packed.to] = ""
        for member in packed.members:
            what = files[place_of(member.holding)]
            assert member.digests.crc32 == crc(what)
            now[f"{packed.to}/{member.name}"] = what
    for loose in done.loose:
        if loose.replaces:
            displace(loose.replaces)
        if loose.movable:
            path = loose.holding.path
            for place in [place for place in now if place.startswith(f"{path}/")]:
                now[loose.to + place.removeprefix(path)] = now.pop(place)
        else:
            now[loose.to] = files[place_of(loose.holding)]
    for _, path in done.displaced:
        displace(path)
    return now, attic
