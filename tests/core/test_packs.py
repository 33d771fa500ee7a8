"""Packs of sets as they come: merged, with faults, with BIOS files in games. No set vanishes, and the fewest files
change."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec import structs

from gribble.core.arcade.discs import Discs
from gribble.core.arcade.match import Held, match_release, whole_games
from gribble.core.arcade.packing import HowPacked, pack_sets
from gribble.core.arcade.sets import audit_set, lying_aside, wanted_sets
from gribble.core.base.digests import DiscHeader
from gribble.core.base.kinds import Style
from gribble.core.base.names import title_key
from gribble.core.catalogue.families import sets_called
from gribble.core.records.roster import Roster
from gribble.core.records.sheet import Arcade
from gribble.core.sayings.facts import say_all
from tests.arcades import BIOS, FAMILY, MUM, Files, arranged, cabinet, carried_out, file, held, remedies, roster

MERGED = {**BIOS, **MUM, "sets/mum.zip/kid1.bin": "kid1"}


def there(made: Roster, files: Files, **more: Any) -> dict[str, str]:
    """The sets that are taken to are on the rig, with their states."""
    here = cabinet(files, **more)
    return {name: audit_set(made, name, here).state for name in wanted_sets(None, made, here)}


@pytest.mark.parametrize(
    ("files", "states"),
    [
        (MERGED, {"mum": "ready", "kid": "ready"}),
        ({**MERGED, "sets/mum.zip/mum1.bin": "junk"}, {"mum": "blocked", "kid": "ready"}),
        ({**MERGED, "sets/mum.zip/kid1.bin": "junk"}, {"mum": "ready", "kid": "blocked"}),
        ({**BIOS, **MUM, "sets/mum.zip/kid/kid1.bin": "of another release"}, {"mum": "ready", "kid": "blocked"}),
        ({**BIOS, **MUM}, {"mum": "ready"}),
        ({**BIOS, "sets/mum.zip/both.bin": "both", "sets/kid.zip/kid1.bin": "kid1"}, {"kid": "ready"}),
        ({**BIOS, "sets/mum.zip/mum1.bin": "x", "sets/mum.zip/both.bin": "both", "sets/kid.zip/kid1.bin": "kid1"},
         {"mum": "blocked", "kid": "ready"}),
    ],
)  # fmt: skip
def test_a_file_under_a_sets_own_name_lies_there_whatever_its_content(files: Files, states: dict[str, str]) -> None:
    assert there(FAMILY, files) == states


def test_names_that_a_clone_shares_with_its_relatives_say_nothing_of_it() -> None:
    """Parent and clones call their own file alike: the parent's is no sign of a clone, one clone's none of another."""
    made = roster(
        mum={"files": [{**file("mum1"), "name": "prog"}]},
        kid={"parent": "mum", "files": [{**file("kid1"), "name": "prog"}]},
        twin={"parent": "mum", "files": [{**file("twin"), "name": "prog"}, {**file("kid1"), "name": "prog2"}]},
    )
    assert there(made, {"sets/mum.zip/prog": "mum1"}) == {"mum": "ready"}
    assert there(made, {"sets/mum.zip/prog": "mum1", "sets/mum.zip/kid/prog": "kid1"}) == {
        "mum": "ready",
        "kid": "ready",
    }


def test_a_set_with_undumped_files_of_its_own_lies_in_a_merged_archive_and_stays_when_lean() -> None:
    made = roster(
        mum={"files": [file("mum1")]},
        kid={"parent": "mum", "files": [file("kid1"), {"name": "lost.bin", "size": 4, "state": "undumped"}]},
    )
    files = {"sets/mum.zip/mum1.bin": "mum1", "sets/mum.zip/kid1.bin": "kid1", "sets/mum.zip/notes": "nobody's"}
    wanted = wanted_sets(None, made, cabinet(files))
    assert wanted == ["mum", "kid"]
    now, _ = carried_out(files, remedies(made, wanted, files, Style.MERGED, lean=True))
    assert now == {"sets/mum.zip/mum1.bin": "mum1", "sets/mum.zip/kid1.bin": "kid1"}


def test_sets_without_any_file_are_not_whole() -> None:
    made = roster(
        empty={"files": []},
        lost={"files": [{"name": "lost.bin", "size": 4, "state": "undumped"}]},
        onboard={"bios": "sys", "files": []},
        sys={"kind": "bios", "files": [file("boot")]},
        full={"files": [file("full")]},
    )
    here = cabinet({"sets/full.zip/full.bin": "full"})
    assert whole_games(made, here.everything, ()) == ["full"]
    assert wanted_sets(("held",), made, here) == ["full"]
    with_bios = cabinet({**BIOS, "sets/full.zip/full.bin": "full"})
    assert wanted_sets(("held",), made, with_bios) == ["onboard", "full"]
    assert (match := match_release(made, Held(here.everything))).complete == 1
    assert match.sets == 1


def test_an_archive_within_an_archive_is_not_the_set() -> None:
    files = {**BIOS, **MUM, "sets/kid.zip/kid.zip/kid1.bin": "kid1"}
    assert audit_set(FAMILY, "kid", cabinet(files)).state == "blocked"
    now, _ = carried_out(files, remedies(FAMILY, ["kid"], files, None))
    assert now["sets/kid.zip/kid1.bin"] == "kid1"


def test_a_file_that_is_no_archive_is_damaged_for_the_set_and_for_those_who_need_it() -> None:
    files = {**BIOS, "sets/kid.zip/kid1.bin": "kid1"}
    hidden = {"sets/mum.zip": "is no zip archive"}
    found = audit_set(FAMILY, "kid", cabinet(files, hidden=hidden))
    assert [(one.subject.file, one.verdict) for one in found.problems] == [("both.bin", "damaged")]
    assert "mum.zip is no zip archive" in say_all(found.problems[0].facts)


def many(count: int) -> Roster:
    """Games that list the files of their BIOS set, as exports do."""
    games: dict[str, Any] = {
        f"game{n}": {"bios": "sys", "files": [file(f"own{n}"), file("boot", bios_name="boot.bin")]}
        for n in range(count)
    }
    return roster(sys={"kind": "bios", "files": [file("boot")]}, **games)


@pytest.mark.parametrize("count", [1, 2, 60])
def test_one_missing_bios_archive_is_one_step(count: int) -> None:
    files = {f"sets/game{n}.zip/own{n}.bin": f"own{n}" for n in range(count)} | {"drawer/b": "boot"}
    done = remedies(many(count), [f"game{n}" for n in range(count)], files, None)
    assert [(one.to, one.replaces) for one in done.packed] == [("sets/sys.zip", None)]
    assert (done.loose, done.displaced) == ((), ())


def test_clones_on_an_empty_card_share_their_parents_archive() -> None:
    files = {f"drawer/{what}": what for what in ("both", "kid1", "boot", "tone")}
    now, _ = carried_out(files, remedies(FAMILY, ["kid"], files, None))
    assert {place for place in now if place.startswith("sets/")} == {
        "sets/mum.zip/both.bin", "sets/kid.zip/kid1.bin", "sets/sys.zip/boot.bin", "sets/tone.zip/tone.bin",
    }  # fmt: skip


def test_a_relative_that_lies_in_another_folder_is_written_there() -> None:
    here = cabinet({"sets/kid.zip/kid1.bin": "kid1", **MUM, "bios/sys.zip/old.bin": "old!", "bios/tone.zip/t": "tone"},
                   {"b": "boot"}, too=("bios",))  # fmt: skip
    done = pack_sets(FAMILY, [audit_set(FAMILY, "kid", here)], here, HowPacked())
    assert [(one.to, one.replaces) for one in done.packed] == [("bios/sys.zip", "bios/sys.zip")]


def test_two_archives_of_one_name_are_told_with_their_folders() -> None:
    here = cabinet({**BIOS, **MUM, "sets/kid.zip/kid1.bin": "junk"}, {"pack/kid.zip/kid1.bin": "kid1"})
    (problem,) = audit_set(FAMILY, "kid", here).problems
    assert "kid1.bin in pack/kid.zip" in say_all(problem.facts)
    both = cabinet({**BIOS, **MUM, "sets/kid.zip/kid1.bin": "kid1", "more/kid.zip/kid1.bin": "kid1"}, too=("more",))
    assert "sets/kid.zip, more/kid.zip" in say_all(audit_set(FAMILY, "kid", both).packing)


def everything(made: Roster, wanted: list[str], files: Files) -> dict[str, str]:
    here = arranged(files)
    return {name: audit_set(made, name, here).state for name in wanted}


ORDER = ("ready", "limited", "blocked")


@settings(max_examples=200)
@given(st.data())
def test_no_smaller_plan_reaches_the_same_states(data: st.DataObject) -> None:
    """Without a style each step is needed by a set that did not run, and no archive of a set that runs is written again
    but for what another lacks."""
    clones = [f"kid{n}" for n in range(data.draw(st.integers(0, 3)))]
    with_bios = data.draw(st.booleans())
    listed = [file("boot", bios_name="boot.bin")] if with_bios and data.draw(st.booleans()) else []
    games: dict[str, Any] = {"mum": {"files": [file("mum1"), file("both"), *listed]}}
    for name in clones:
        own = [file(f"{name}x")] if data.draw(st.booleans()) else []
        games[name] = {"parent": "mum", "files": [*own, file("both", parent_name="both.bin"), *listed]}
    for one in games.values() if with_bios else ():
        one["bios"] = "sys"
    made = roster(sys={"kind": "bios", "files": [file("boot")]}, **games)
    contents = ["mum1", "both", "boot", *(f"{name}x" for name in clones)]
    folders = ["drawer", "drawer/a.zip", *(f"sets/{name}.zip" for name in ("sys", *games))]
    places = {what: data.draw(st.lists(st.sampled_from(folders), max_size=2, unique=True)) for what in contents}
    files = {f"{folder}/{what}.bin": what for what, group in places.items() for folder in group}
    wanted = data.draw(st.lists(st.sampled_from(list(games)), unique=True, min_size=1))
    before = everything(made, wanted, files)
    done = remedies(made, wanted, files, None)
    after = everything(made, wanted, carried_out(files, done)[0])
    for name in wanted:
        assert ORDER.index(after[name]) <= ORDER.index(before[name])
        missing = [one["name"][:-4] for one in games[name]["files"]] + (["boot"] if with_bios else [])
        assert (after[name] == "ready") == all(places[what] for what in missing)
    places_written = [one.to for one in done.packed] + [one.to for one in done.loose]
    assert len(set(places_written)) == len(places_written)
    for step in (*done.packed, *done.loose):
        less = structs.replace(
            done,
            packed=tuple(one for one in done.packed if one is not step),
            loose=tuple(one for one in done.loose if one is not step),
        )
        assert everything(made, wanted, carried_out(files, less)[0]) != after, step


PARENTS, CLONES, TWINS = "a" * 40, "b" * 40, "c" * 40


def with_discs(folder: str, lying: dict[str, str], drawer: dict[str, str]) -> tuple[Roster, Any, Any]:
    """A parent and two clones whose disc images have one name, with images by place and the digest in their headers."""
    made = roster(
        mum={"discs": [{"name": "game", "sha1": PARENTS}]},
        kid={"parent": "mum", "discs": [{"name": "game", "sha1": CLONES}]},
        twin={"parent": "mum", "discs": [{"name": "game", "sha1": TWINS}]},
    )
    here, away = (
        {place: held(place, sha1, rig=rig) for place, sha1 in each.items()}
        for each, rig in ((lying, "den"), (drawer, ""))
    )
    headers = [(one, DiscHeader(sha1=sha1)) for group, each in ((here, lying), (away, drawer))
               for one, sha1 in zip(group.values(), each.values(), strict=True)]  # fmt: skip
    arcade = Arcade(rosters="*", folder="sets", disc_folder=folder)
    return made, cabinet({}), Discs(arcade, "sets", here, headers, "den")


def test_a_clones_disc_of_its_parents_name_goes_to_a_folder_of_its_own() -> None:
    made, here, discs = with_discs("{set}", {"sets/mum/game.chd": PARENTS}, {"b": CLONES, "c": TWINS})
    audits = [audit_set(made, name, here, (), discs) for name in ("mum", "kid", "twin")]
    assert [one.state for one in audits] == ["ready", "blocked", "blocked"]
    assert [one.problems[0].verdict for one in audits[1:]] == ["astray", "astray"]
    done = pack_sets(made, audits, here, None, discs)
    assert [(one.to, one.replaces) for one in done.loose] == [("sets/kid/game.chd", None), ("sets/twin/game.chd", None)]


def test_where_all_discs_share_a_folder_no_image_is_put_over_another_sets() -> None:
    made, here, discs = with_discs("", {"sets/game.chd": PARENTS}, {"b": CLONES})
    done = pack_sets(made, [audit_set(made, name, here, (), discs) for name in ("mum", "kid")], here, None, discs)
    assert done.loose == ()
    assert "in the place of a disc image of mum" in done.waiting[0].reason
    made, here, discs = with_discs("", {}, {"b": CLONES, "c": TWINS})
    done = pack_sets(made, [audit_set(made, name, here, (), discs) for name in ("kid", "twin")], here, None, discs)
    assert [(one.to, one.owner) for one in done.loose] == [("sets/game.chd", "kid")]
    assert [one.set for one in done.waiting] == ["twin"]


TITLES = ("Reef", "REEF!", "Sand Bar", "Sandbar (Japan)", "Kiln 2", "")


class Pack:
    """A random cabinet: families, some of whose games list their BIOS set's files, have no file, or share a title;
    packed in every way, with faults, and one game lying there under the name that an old release gave it."""

    def __init__(self, data: st.DataObject) -> None:
        draw = data.draw
        self.bios = ["boot", "font"][: draw(st.integers(0, 2))]
        self.own: dict[str, list[str]] = {}
        self.parent: dict[str, str] = {}
        self.has_bios: dict[str, bool] = {}
        self.needs: dict[str, set[str]] = {}
        self.title: dict[str, str] = {}
        games: dict[str, dict[str, Any]] = {}
        self.files: Files = {f"sets/sys.zip/{what}.bin": what for what in self.bios if draw(st.booleans())}
        for family in range(draw(st.integers(1, 3))):
            mum = f"f{family}"
            names = [mum, *(f"{mum}c{n}" for n in range(draw(st.integers(0, 3))))]
            shared = [f"{mum}s{n}" for n in range(draw(st.integers(0, 2)))]
            uses, lists = bool(self.bios) and draw(st.booleans()), draw(st.booleans())
            style = draw(st.sampled_from(["split", "merged", "merged folders", "full", "nowhere"]))
            for name in names:
                own = [f"{name}o{n}" for n in range(draw(st.integers(0, 2)))]
                self.own[name], self.title[name], self.has_bios[name] = own, draw(st.sampled_from(TITLES)), uses
                self.parent |= {name: mum} if name != mum else {}
                self.needs[name] = {*own, *shared, *(self.bios if uses else ())}
                listed = [file(what, bios_name=f"{what}.bin") for what in (self.bios if uses and lists else ())]
                told = [file(what, **({"parent_name": f"{what}.bin"} if name != mum else {})) for what in shared]
                games[name] = {"title": self.title[name], "files": [*map(file, own), *told, *listed]}
                games[name] |= {"parent": mum} if name != mum else {"bios": "sys"} if uses else {}
                home = mum if style.startswith("merged") else name
                inner = f"{name}/" if style == "merged folders" and name != mum else ""
                whole = [*own, *(shared if name == mum or style == "full" else ()),
                         *(self.bios if style == "full" and uses else ())]  # fmt: skip
                for what in whole if style != "nowhere" else ():
                    fault = draw(st.sampled_from(["", "", "", "gone", "junk", "renamed", "only held"]))
                    place = f"sets/{home}.zip/{inner}{what}"
                    match fault:
                        case "junk":
                            self.files[f"{place}.bin"] = f"junk {what}"
                        case "only held":
                            self.files[f"drawer/{what}"] = what
                        case "renamed" | "":
                            self.files[f"{place}.{'odd' if fault else 'bin'}"] = what
        self.made = roster("2", sys={"kind": "bios", "files": [file(what) for what in self.bios]}, **games)
        self.old = roster("1", **{f"old{name}": {"files": one["files"]} for name, one in games.items() if one["files"]})
        moves = [name for name in games if any(place.startswith(f"sets/{name}.zip/") for place in self.files)]
        self.moved = draw(st.sampled_from(["", *moves]))
        if self.moved:
            self.files = {
                place.replace(f"sets/{self.moved}.zip/", f"sets/old{self.moved}.zip/"): what
                for place, what in self.files.items()
            }
        if draw(st.booleans()):
            self.files["sets/stray.zip/x"] = draw(st.sampled_from(["nobody's", *next(iter(self.own.values()))]))

    def lying(self, files: Files, name: str) -> set[str]:
        """What is in the archives in which an emulator looks for a game."""
        path = [name, self.parent.get(name, name), *(["sys"] if self.has_bios[name] else [])]
        return {what for place, what in files.items() if place.split(".zip/")[0] in {f"sets/{one}" for one in path}}

    def states(self, files: Files) -> dict[str, str]:
        """A game runs when all that it needs is there."""
        return {name: "ready" if needs <= self.lying(files, name) else "blocked" for name, needs in self.needs.items()}


@settings(max_examples=250)
@given(st.data())
def test_random_packs_are_judged_as_a_second_reader_of_the_documents_judges_them(data: st.DataObject) -> None:
    pack = Pack(data)
    made, files = pack.made, pack.files
    here = arranged(files)
    archives = {place.split("/")[1].removesuffix(".zip") for place in files if place.startswith("sets/")}
    assert {name: audit_set(made, name, here).state for name in pack.needs} == pack.states(files)

    wanted = wanted_sets(None, made, here, [pack.old])
    for name, own in pack.own.items():
        kin = {name, pack.parent.get(name, name)}
        inside = [(place, what) for place, what in files.items() if place.split("/")[1].removesuffix(".zip") in kin]
        seen = any(what in own or place.rpartition("/")[2][:-4] in own for place, what in inside)
        if seen or (name in archives and name not in pack.parent.values()):
            assert name in wanted, "a set that lies there is in the answer"
        elif name not in archives and own:
            assert name not in wanted, "of a set nothing of whose own lies there nothing is said"
    if pack.moved and made.sets[pack.moved].files:
        assert f"old{pack.moved}" in wanted
        (problem,) = audit_set(made, f"old{pack.moved}", here, [pack.old]).problems
        assert made.sets[problem.subject.renamed].contents == made.sets[pack.moved].contents

    aside = lying_aside(made, here, wanted)
    told = {*wanted, *(pack.parent.get(name, "") for name in wanted), *aside.unwanted, "sys"}
    told |= {path.split("/")[1].removesuffix(".zip") for path, _ in aside.strays}
    assert archives <= told, "no archive is passed over"

    held = set(files.values())
    whole = set(whole_games(made, here.everything, []))
    assert whole == {name for name, needs in pack.needs.items() if needs and needs <= held}

    known = [name for name in wanted if name in pack.needs]
    now, attic = carried_out(files, remedies(made, known, files, None))
    after = pack.states(now)
    assert {name for name in known if after[name] == "ready"} == {name for name in known if pack.needs[name] <= held}
    assert held == {*now.values(), *attic.values()}, "nothing is lost"

    for name, title in pack.title.items():
        alike = {one for one, other in pack.title.items() if title_key(other) == title_key(title)}
        found = set(sets_called(made.sets, title)) if title else set()
        assert found <= alike
        assert not title or {one for one in alike if pack.parent.get(one) not in alike} <= found
        assert sets_called(made.sets, name.upper()) == [name]
