"""Small families of sets, and what is on a rig and in a drawer for them."""

from __future__ import annotations

import itertools
import re
import zlib
from typing import Any

import msgspec
from msgspec import structs

from gribble.core.arcade.cabinet import Cabinet, Shape
from gribble.core.arcade.packing import HowPacked, pack_sets
from gribble.core.arcade.sets import audit_set
from gribble.core.base.digests import Digests
from gribble.core.base.kinds import Style
from gribble.core.catalogue.rosters import LoadedSets
from gribble.core.records.holding import Archived, Holding
from gribble.core.records.rig_seen import RigSeen, RigVolume
from gribble.core.records.roster import ArcadeSet, Roster, RosterHead
from gribble.core.records.set_remedies import SetRemedies
from gribble.core.survey.facts import word_of
from gribble.core.survey.holdings import HeldHere, stem_of


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


class Listed(Archived):
    """An archive of which its directory is known."""

    def __init__(self, members: list[Holding]) -> None:
        self._members = members
        path = members[0].path
        self.holding = structs.replace(members[0], member=None, carried=False, size=1, digests=Digests())
        self.checksums = [int(one.digests.crc32 or "", 16) for one in members]
        self.sizes = [one.size for one in members]
        self.stems = [word_of(stem_of(one)) for one in members]
        self.endings = [0 for _ in members]
        assert {one.path for one in members} == {path}

    @property
    def members(self) -> list[Holding]:
        return self._members

    def listed(self) -> frozenset[tuple[str, str | None, int | None]]:
        return frozenset((one.member or "", one.digests.crc32, one.size) for one in self._members)


def listed_whole(holdings: list[Holding], root: str = "") -> HeldHere:
    """The same with archives of which only their directories were looked at, as they nearly always are."""
    by_path = [list(group) for _, group in itertools.groupby(holdings, lambda one: one.path)]
    nested = {one.path for one in holdings if one.member and re.search(r"\.(zip|7z)/", one.member)}  # are looked into
    archives = [Listed(group) for group in by_path if group[0].member is not None and group[0].path not in nested]
    whole = {one.holding.path: [one.holding] for one in archives}
    opened = [one for group in by_path for one in whole.get(group[0].path, group)]
    return HeldHere(opened, archives, root=root)


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
    listed: bool = False,
) -> Cabinet:
    """A cabinet of files by place: "sets/a.zip/x.bin" is a member, "sets/a/x.bin" is in a folder. Archives are looked
    into, or only `listed`."""

    def holding(place: str, what: str, rig: str) -> Holding:
        for ending in (".zip/", ".7z/", ".rar/"):
            path, inside, member = place.partition(ending)
            if inside:
                return held(path + ending[:-1], what, member, rig)
        return held(place, what, None, rig)

    def in_order(found: list[Holding]) -> list[Holding]:
        first = {one.path: number for number, one in reversed([*enumerate(found)])}
        return sorted(found, key=lambda one: first[one.path])  # members of an archive come together

    own = in_order([holding(place, what, "den") for place, what in files.items()])
    elsewhere = in_order([holding(place, what, "") for place, what in (drawer or {}).items()])
    here = listed_whole(own) if listed else HeldHere(own)
    there = listed_whole(elsewhere, "/drawer") if listed else HeldHere(elsewhere, root="/drawer")
    rig = RigSeen(
        name="den",
        root="/den",
        emulators=(),
        holdings=here,
        hidden=hidden or {},
        volume=RigVolume(folds_case=folds_case),
    )
    return Cabinet(rig, Shape("sets", endings, exact, variants or {}, too=too), [there])


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
    """What packing would do, which is the same whether archives were looked into or only listed."""

    def found(*, listed: bool) -> SetRemedies:
        there = arranged(files, listed=listed)
        return pack_sets(made, [audit_set(made, name, there) for name in wanted], there, HowPacked(style, **options))

    looked = found(listed=False)
    assert looked == found(listed=True)
    return looked


def arranged(files: Files, *, listed: bool = False) -> Cabinet:
    own = {place: what for place, what in files.items() if not place.startswith("drawer/")}
    drawer = {place: what for place, what in files.items() if place.startswith("drawer/")}
    return cabinet(own, drawer, listed=listed)


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
