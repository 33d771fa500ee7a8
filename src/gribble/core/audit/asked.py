"""Which sets of an arcade emulator a question asks for."""

from __future__ import annotations

from collections.abc import Collection, Container, Iterable, Mapping

from msgspec import structs

from gribble.core.audit.layout import called
from gribble.core.base.errors import GribbleError
from gribble.core.base.names import title_key
from gribble.core.base.paths import fold
from gribble.core.base.suggest import suggest
from gribble.core.catalogue.config import one_place
from gribble.core.catalogue.families import set_called, sets_called
from gribble.core.catalogue.rosters import Load, load_roster, with_others
from gribble.core.records.config import Config, Rig, Scope
from gribble.core.records.findings import EmulatorAudit, RigAudit, SetAudit
from gribble.core.records.place import Fitted
from gribble.core.records.rig_seen import RigSeen
from gribble.core.records.roster import ArcadeWorld, Content, Roster, SetKind, Sets
from gribble.core.records.sheet import Need, Sheet

MOST_TOLD = 5
"""How many sets of one title are told apart."""


def sets_meant(
    arcades: Iterable[ArcadeWorld],
    word: str,
    emulators: Container[str] = (),
    also: Iterable[str] = (),
    load: Load = load_roster,
) -> list[str]:
    """The set that a word means in each roster that is in use, or else of other releases: a name or a title.

    Raises GribbleError, with the nearest name of a set or of `also`, for what no roster knows; for the name of one of
    the `emulators`, which is told for what it is; and for a title that several sets of a roster have.
    """
    arcades, also = tuple(arcades), tuple(also)
    in_use = list({one.roster.path: one.roster.sets for one in arcades if one.roster}.values())
    found = _named(in_use, word)
    if not found:
        others = [other.sets for one in arcades for other in with_others(one, load).others]
        found = _named(others, word) or _titled(in_use, word) or _titled(others, word)
    if not found and not also and word in emulators:
        raise GribbleError(f"'{word}' is an emulator, not a set", fix=f"gribble check {word} shows its sets.")
    if not found:
        raise _unknown_set(word, in_use, also)
    if several := next((one for one in found if len(one[1]) > 1), None):
        raise _several_sets(word, *several)
    return [group[0] for _, group in found]


def _several_sets(word: str, sets: Sets, names: list[str]) -> GribbleError:
    """What is to be said of a title that several sets have."""
    told = "; ".join(sets[name].described for name in names[:MOST_TOLD])
    more = f"; and {len(names) - MOST_TOLD} more" if len(names) > MOST_TOLD else ""
    return GribbleError(
        f"'{word}' is the title of {len(names):,} sets: {told}{more}", fix=f"Name one of them: {names[0]}"
    )


def _named(rosters: Iterable[Sets], word: str) -> list[tuple[Sets, list[str]]]:
    """The set of a name in each roster that has it."""
    return [(sets, [name]) for sets in rosters if (name := set_called(sets, word))]


def _titled(rosters: Iterable[Sets], word: str) -> list[tuple[Sets, list[str]]]:
    """The sets that a word could mean by their titles, in each roster that has some."""
    return [(sets, group) for sets in rosters if (group := sets_called(sets, word))]


def _unknown_set(word: str, in_use: list[Sets], also: tuple[str, ...]) -> GribbleError:
    """The error for a word that no roster knows, with the nearest name, or the titles in which it stands."""
    known, key = sorted({*also, *(name for sets in in_use for name in sets)}), title_key(word)
    near = suggest(word, known, most=0)
    everyone = (one for sets in in_use for one in sets.values()) if key and not near else ()
    if titled := [one for one in everyone if key in title_key(one.title)]:
        near = f"; did you mean {' or '.join(one.described for one in titled[:MOST_TOLD])}?"
    near = near or suggest(word, known)
    return GribbleError(
        f"'{word}' is not {'an emulator and not ' if also else ''}a set in any roster{near}",
        fix="gribble sets check --verbose lists every set that is wanted.",
    )


def unknown_here(rigs: Iterable[RigSeen], names: Collection[str]) -> bool:
    """Whether some sets are asked for that no roster in use knows."""
    return any(not any(name in sets for sets in _in_use(rigs)) for name in names)


def sets_asked(rigs: Iterable[RigSeen], names: Collection[str]) -> dict[tuple[str, str], tuple[str, ...]]:
    """Which of some sets each arcade emulator is asked for, by rig and emulator: those that it wants or whose roster
    knows them; what no roster in use knows, those of which another release knows it."""
    rigs = tuple(rigs)
    known = {name for name in names if not unknown_here(rigs, [name])}

    def concerns(fitted: Fitted, arcade: ArcadeWorld, name: str) -> bool:
        own = arcade.roster.sets if arcade.roster else {}
        if name in own or name in (fitted.installed.wanted or ()):
            return True
        return name not in known and any(name in other.sets for other in arcade.others)

    return {
        (rig.name, fitted.emulator): tuple(name for name in names if concerns(fitted, arcade, name))
        for rig in rigs
        for fitted in rig.emulators
        if (arcade := rig.arcade.get(fitted.emulator))
    }


def _in_use(rigs: Iterable[RigSeen]) -> list[Container[str]]:
    return [arcade.roster.sets for rig in rigs for arcade in rig.arcade.values() if arcade.roster]


def users_of(rigs: Iterable[RigSeen], contents: Collection[Content]) -> dict[tuple[str, str], frozenset[str]]:
    """The sets of each arcade emulator that could use one of some contents, by rig and emulator."""
    return {
        (rig.name, emulator): _users_of(arcade.roster, contents)
        for rig in rigs
        for emulator, arcade in rig.arcade.items()
        if arcade.roster
    }


def _users_of(roster: Roster, contents: Collection[Content]) -> frozenset[str]:
    """The sets that list one of some contents, and those that such a BIOS set or device belongs to."""
    listing = list(roster.sets.having(contents))
    users = {one.set for one in listing}
    if all(one.kind is SetKind.GAME for one in listing):
        return frozenset(users)
    more = -1
    while more != len(users):  # a clone takes BIOS and devices from its parent, a device may need others
        more = len(users)
        for one in roster.sets.outlines():
            if one.bios in users or one.parent in users or not users.isdisjoint(one.devices):
                users.add(one.set)
    return frozenset(users)


def sets_of(audits: tuple[RigAudit, ...]) -> list[tuple[RigAudit, EmulatorAudit, SetAudit]]:
    """Every audited set with its rig and emulator."""
    return [(rig, emulator, one) for rig in audits for emulator in rig.emulators for one in emulator.sets]


def meant(config: Config, sheets: Mapping[str, Sheet], scope: Scope) -> Scope:
    """The scope with rigs and emulators by their names, where they are named otherwise: in another case, or by a title
    or a machine. Raises GribbleError if several fit."""
    on_rigs = {name for rig in config.rig.values() for name in rig.emulators}
    there = [sheet for name, sheet in sheets.items() if name in on_rigs]

    def rig(word: str) -> str:
        folded = [name for name in config.rig if fold(name) == fold(word)]
        return folded[0] if word not in config.rig and len(folded) == 1 else word

    def emulator(word: str) -> str:
        found = [] if word in on_rigs or word in config.rig else called(word, there)
        if len(found) > 1:
            names = [one.emulator for one in found]
            raise GribbleError(f"'{word}' could be {' or '.join(names)}", fix=f"Name one of them: {names[0]}")
        return found[0].emulator if found else word

    return structs.replace(
        scope,
        rigs=tuple(map(rig, scope.rigs)),
        emulators=tuple(dict.fromkeys(map(emulator, scope.emulators))),
        releases={emulator(word): release for word, release in scope.releases.items()},
    )


def read_preferred(words: Iterable[str], config: Config, sheets: Mapping[str, Sheet]) -> dict[str, str]:
    """The needs, by their ids, for which NEED or NEED=LABEL asks for another content, each with the label or nothing.
    Raises GribbleError for a need or a label that no sheet of an emulator on the rigs has."""
    on_rigs = {name for rig in config.rig.values() for name in rig.emulators}
    needs = [need for name, sheet in sheets.items() if name in on_rigs for need in sheet.need if not need.key]
    found = {}
    for word in words:
        name, _, label = word.partition("=")
        named = [need for need in needs if fold(name) in (fold(need.id), fold(need.title))]
        if not named:
            near = suggest(name, [need.id for need in needs], most=0)
            raise GribbleError(f"'{name}' is not a need of your emulators{near}", fix="gribble needs lists them.")
        found[named[0].id] = _label_of(label, name, named) if label else ""
    return found


def _label_of(label: str, name: str, needs: Iterable[Need]) -> str:
    """A label as the sheets write it, of a content that the needs of a name take. Raises GribbleError."""
    contents = [accept for need in needs for accept in need.accept]
    labels = [word for one in contents for word in (one.label, one.version) if word]
    if right := next((one for one in labels if fold(one) == fold(label)), ""):
        return right
    raise GribbleError(
        f"'{label}' is not a content of {name}{suggest(label, labels)}", fix=f"--prefer {name} takes the first."
    )


def check_scope(config: Config, scope: Scope, sheets: Container[str] = ()) -> None:
    """Raise GribbleError where a scope names a rig or emulator that the configuration does not have; one of which there
    is a sheet is told with how it is entered."""
    emulators = sorted({name for rig in config.rig.values() for name in rig.emulators})
    asked = (*scope.emulators, *scope.releases)
    for words, known, what in ((scope.rigs, list(config.rig), "rig"), (asked, emulators, "emulator on your rigs")):
        if unknown := next((one for one in words if one not in known), None):
            raise _not_known(unknown, known, what, config, scope, sheets)
    chosen = {name: rig.emulators for name, rig in config.rig.items() if not scope.rigs or name in scope.rigs}
    for word in asked:
        if not any(word in there for there in chosen.values()):
            others = ", ".join(name for name, rig in config.rig.items() if word in rig.emulators)
            raise GribbleError(f"{word} is not on {' or '.join(chosen)}", fix=f"It is on {others}.")
    if scope.at is not None:
        _check_at(config, scope, scope.at)


def _not_known(
    word: str, known: list[str], what: str, config: Config, scope: Scope, sheets: Container[str]
) -> GribbleError:
    """What is wrong with a word that names no rig or emulator of the configuration."""
    if word in sheets:
        first = next(iter(scope.rigs or config.rig), "RIG")
        return GribbleError(
            f"{word} has a sheet, but it is on no rig in gribble.toml",
            fix=f"gribble rigs enter {word} --rig {first} enters it.",
        )
    if word in config.rig:
        return GribbleError(f"'{word}' is a rig, not an emulator", fix=f"Name it so: --rig {word}")
    return GribbleError(
        f"'{word}' is not a known {what}{suggest(word, known)}", fix="gribble rigs shows the rigs and their emulators."
    )


def _check_at(config: Config, scope: Scope, at: str) -> None:
    """Raise GribbleError where it is not one rig that is said to be somewhere else today, or another one is there."""
    if len(scope.rigs or config.rig) != 1:
        raise GribbleError("--at says where one rig is, so it needs the rig", fix="Name the rig too: --rig NAME.")
    for name, rig in config.rig.items():
        if name not in (scope.rigs or config.rig) and one_place(at, rig.at):
            raise GribbleError(
                f"--at {at} is already the folder of rig {name}", fix="Name the folder of the rig that you mean."
            )


def rig_root(name: str, rig: Rig, scope: Scope) -> str:
    """Where a rig's root is today."""
    here = scope.at is not None and (not scope.rigs or name in scope.rigs)
    return scope.at if here and scope.at is not None else rig.at
