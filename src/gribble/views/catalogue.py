"""The answers of `gribble catalogue`, for the terminal and as JSON; also what is said of catalogues that travel."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from pathlib import Path
from typing import Any

from msgspec import structs
from rich.text import Text

from gribble.core.answers.adding import Added
from gribble.core.answers.capture import KnownEmulator, proofs_of
from gribble.core.answers.changes import SheetEffect
from gribble.core.answers.comparing import SheetChanges
from gribble.core.answers.following import Update
from gribble.core.answers.lint import Remark
from gribble.core.answers.merging import Merged
from gribble.core.answers.refreshing import Refreshed
from gribble.core.base.amounts import count, size
from gribble.core.base.errors import GribbleError, MistakesError
from gribble.core.records.imported import SetsSeen, Tally
from gribble.core.records.published import Index
from gribble.core.records.roster import ArcadeSet, RosterHead, SetFile
from gribble.views.looks import DIGEST_NAMES, QUIET, VERDICTS, shorten
from gribble.views.screen import Screen, state, styled

LEFT_OVER_SHOWN = 8


# list


def show_list(screen: Screen, known: KnownEmulator) -> None:
    """A line for each sheet and roster."""
    if not known.sheets and not known.rosters:
        screen.say(
            "No sheets yet. gribble catalogue import makes one of a page, a table or a list, gribble catalogue capture "
            "of a setup that works."
        )
    rows: list[tuple[str | Text, ...]] = []
    for sheet in known.sheets:
        proofs = ", ".join(
            f"{number} by {DIGEST_NAMES.get(word, word)}" for word, number in proofs_of(sheet).most_common()
        )
        release = f" {sheet.release}" if sheet.release else ""
        machines = f" ({', '.join(sheet.machines)})" if sheet.machines else ""
        what = f"{count(len(sheet.need), 'need')}; contents: {proofs or 'none known'}"
        text = Text.assemble(styled(f"{sheet.title or sheet.emulator}{machines}"), "\n", styled(what, QUIET))
        rows.append((styled(sheet.emulator + release, "bold"), text))
    for head, sets, _ in known.rosters:
        rows.append((styled(f"{head.emulator} {head.release}", "bold"), styled(f"roster: {count(sets, 'set')}")))
    screen.grid(rows, indent=0)
    for mistake in known.mistakes:
        screen.say(f"cannot be used: {mistake}")


def list_json(known: KnownEmulator) -> dict[str, Any]:
    """`catalogues/1`."""
    return {
        "gribble": "catalogues/1",
        "sheets": [
            {
                "emulator": sheet.emulator,
                "title": sheet.title,
                "release": sheet.release or None,
                "machines": list(sheet.machines),
                "needs": len(sheet.need),
                "proofs": dict(proofs_of(sheet)),
            }
            for sheet in known.sheets
        ],
        "rosters": [
            {"emulator": head.emulator, "release": head.release, "sets": sets, "path": path}
            for head, sets, path in known.rosters
        ],
        "mistakes": [str(mistake) for mistake in known.mistakes],
    }


# lint


def show_lint(screen: Screen, remarks: list[Remark], *, strict: bool) -> None:
    """Mistakes first, then remarks, file by file."""
    mistakes = [remark for remark in remarks if remark.mistake]
    others = [remark for remark in remarks if not remark.mistake]
    if not remarks:
        screen.say("No mistakes and no remarks.")
    for title, chosen, colour in (("Mistakes", mistakes, "imposter"), ("Remarks", others, "unproven")):
        for file in dict.fromkeys(remark.file for remark in chosen):
            screen.say(styled(f"{title} in {shorten(file)}", "bold"))
            glyph, style = VERDICTS[colour]
            screen.grid([(Text(glyph, style=style), _spot(one)) for one in chosen if one.file == file])
            screen.out.print()
    if remarks:
        words = f"{count(len(mistakes), 'mistake')}, {count(len(others), 'remark')}"
        screen.say(words + ("" if strict or mistakes or not others else "; with --strict they count as mistakes"))


def _spot(remark: Remark) -> Text:
    if not remark.where:
        return styled(remark.what)
    return Text.assemble(styled(remark.where, "bold"), styled(f": {remark.what}"))


def lint_json(remarks: list[Remark]) -> dict[str, Any]:
    """`lint/1`."""
    return {
        "gribble": "lint/1",
        "remarks": [
            {"file": one.file, "where": one.where, "what": one.what, "mistake": one.mistake} for one in remarks
        ],
    }


# compare


def _effect_words(effect: SheetEffect) -> str:
    """What a new sheet means for an emulator on a rig."""
    held, obtain = effect.wanted
    stays = "stays" if effect.old.state == effect.new.state else "becomes"
    text = f"{effect.new.title} on {effect.rig} {stays} {effect.new.state}"
    parts = []
    if held:
        parts.append(f"needs {count(len(held), 'file')} that you have ({', '.join(held)})")
    if obtain:
        parts.append(f"needs {count(len(obtain), 'file')} that you do not have ({', '.join(obtain)})")
    if sets := list(effect.sets):
        told = ", ".join(f"{one.subject} becomes {one.now}" for one in sets[:LEFT_OVER_SHOWN])
        more = f" and {len(sets) - LEFT_OVER_SHOWN:,} more" if len(sets) > LEFT_OVER_SHOWN else ""
        parts.append(f"{count(len(sets), 'set')} change ({told}{more})")
    return f"{text}; {' and '.join(parts)}" if parts else text


def show_compare(screen: Screen, changes: tuple[SheetChanges, ...], effects: list[SheetEffect]) -> None:
    """What it means for the rigs first, then what has changed."""
    if not changes:
        screen.say("Nothing differs.")
        return
    show_effects(screen, effects)
    if effects:
        screen.out.print()
    for one in changes:
        screen.say(styled(one.emulator, "bold"), f"  {one.change}")
        _show_parts(screen, one)


def show_effects(screen: Screen, effects: Iterable[SheetEffect]) -> None:
    """What a new sheet or roster means for the rigs, a line each."""
    screen.grid([(state(effect.new.state), f"{_effect_words(effect)}.") for effect in effects], indent=0)


def _show_parts(screen: Screen, one: SheetChanges) -> None:
    """The needs of a sheet that differ, and what else does."""
    named = [(need.change, need.need, need.title, need.words) for need in one.needs]
    named += [(part.change, part.part, part.name, part.words) for part in one.parts]
    rows: list[tuple[str | Text, ...]] = []
    for change, name, title, words in named:
        lines = [styled(title, "bold")] if title else []
        rows.append((change, name, Text("\n").join([*lines, *map(styled, words)])))
    screen.grid(rows)


def compare_json(changes: tuple[SheetChanges, ...], effects: list[SheetEffect]) -> dict[str, Any]:
    """`sheets/1`."""
    return {
        "gribble": "sheets/1",
        "emulators": changes_json(changes),
        "rigs": [
            {
                "rig": effect.rig,
                "emulator": effect.new.emulator,
                "was": effect.old.state,
                "is": effect.new.state,
                "held": effect.wanted[0],
                "obtain": effect.wanted[1],
            }
            for effect in effects
        ],
    }


def changes_json(changes: Iterable[SheetChanges]) -> list[dict[str, Any]]:
    """What has changed in sheets."""
    return [
        {
            "emulator": one.emulator,
            "change": one.change,
            "needs": [{"need": need.need, "change": need.change, "words": list(need.words)} for need in one.needs],
            "parts": [structs.asdict(part) for part in one.parts],
        }
        for one in changes
    ]


# add and import


def show_added(screen: Screen, added: Added, folder: Path, *, leads_on: bool) -> None:
    """What is new in the catalogue, and where the former version is; and that a lint has remarks, if it `leads_on`."""
    where = shorten(str(folder.absolute()))
    if not added.new and not added.replaced:
        screen.say(f"{where} has all of it already. Nothing was changed.")
        return
    screen.say(f"{where}: {count(len(added.new), 'new file')}, {count(len(added.replaced), 'file')} replaced.")
    rows = [("new", name, "") for name in added.new]
    rows += [("replaced", name, f"kept as {added.kept[name]}" if name in added.kept else "") for name in added.replaced]
    screen.grid(rows)
    if added.remarks:
        mistakes = sum(one.mistake for one in added.remarks)
        told = count(mistakes, "mistake") if mistakes else "no mistakes"
        remarks = f"{count(len(added.remarks) - mistakes, 'remark')}, {told}"
        if leads_on:
            screen.next(f"gribble catalogue lint {where}", remarks)
        else:
            screen.say(f"gribble catalogue lint {where} has {remarks}.")


def show_preview_sets(screen: Screen, sets: list[ArcadeSet]) -> None:
    """Sets as they were understood."""
    for one in sets:
        relatives = {"parent": one.parent, "BIOS": one.bios, "devices": ", ".join(one.devices)}
        facts = [str(one.year or ""), one.maker, *(f"{word} {name}" for word, name in relatives.items() if name)]
        facts += [f"variants {', '.join(one.variants)}" if one.variants else ""]
        facts += ["" if one.kind == "game" else one.kind, "" if one.plays == "yes" else f"plays: {one.plays}"]
        screen.say(styled(one.set, "bold"), f"  {one.title}  ", styled(", ".join(filter(None, facts)), QUIET))
        rows = [_file_row(file) for file in one.files[:6]]
        rows += [(disc.name, "disc", f"SHA-1 {disc.sha1}" if disc.sha1 else "no digest") for disc in one.discs]
        screen.grid(rows)
        if len(one.files) > 6:
            screen.say(styled(f"  and {len(one.files) - 6} more files", QUIET))


def _file_row(file: SetFile) -> tuple[str, str, str]:
    """A file of a set: name, size, and what tells it."""
    word = file.strongest()
    marks = [
        f"{DIGEST_NAMES[word]} {file.get(word)}" if word else "no digest",
        f"is {file.parent_name} of the parent" if file.parent_name else "",
        f"is {file.bios_name} of the BIOS set" if file.bios_name else "",
        "" if file.state == "good" else str(file.state),
        "optional" if file.optional else "",
    ]
    return file.name, size(file.size) if file.size is not None else "size unknown", ", ".join(filter(None, marks))


_REFRESHED = {
    "unchanged": "has not changed since {date}.",
    "nothing new": "has changed since {date}, but says nothing new.",
    "changed": "has changed since {date}.",
}


def show_refreshed(screen: Screen, looked: Refreshed) -> None:
    """What a list says now and did not before, and what that does to the rigs."""
    one, error = looked.followed, looked.error
    head = styled(one.called, "bold")
    if error:
        screen.say(head, f"  {error.what}. {error.fix}")
        for mistake in error.mistakes if isinstance(error, MistakesError) else ():
            screen.say(f"  {mistake}")
        return
    screen.say(head, f"  {one.origin.list_} {_REFRESHED[looked.word].format(date=one.origin.date)}")
    if looked.renewed is None:
        return
    told = looked.renewed.told
    if not looked.renewed.base:
        screen.say("What it said before is not kept any more, so what is new there is only added.")
    show_effects(screen, looked.effects)
    for change in looked.changes:
        _show_parts(screen, change)
    if told.differs and isinstance(one.head, RosterHead):
        names = ", ".join(told.sets[:LEFT_OVER_SHOWN]) + (" …" if len(told.sets) > LEFT_OVER_SHOWN else "")
        screen.say(f"{count(told.needs, 'new set')}, {count(told.changed, 'set')} changed: {names}.")
    show_left(screen, told)


def refresh_json(looked: list[Refreshed]) -> dict[str, Any]:
    """`refresh/1`."""
    return {
        "gribble": "refresh/1",
        "lists": [
            {
                "emulator": one.followed.head.emulator,
                "file": str(one.followed.path),
                "list": one.followed.origin.list_,
                "date": one.followed.origin.date,
                "state": one.word,
                "changes": compare_json(one.changes, list(one.effects)),
                "new": told.needs,
                "changed": told.changed,
                "gone": told.gone,
                "yours": told.yours,
                "done": one.done,
                **({"error": one.error.what, "fix": one.error.fix} if one.error else {}),
            }
            for one in looked
            for told in [one.renewed.told if one.renewed else Merged()]
        ],
    }


_KINDS = ("clone", "BIOS set", "device", "undumped file", "poor dump", "disc", "list of sound samples")
_SEVERAL = {"list of sound samples": "lists of sound samples"}
MANY_SETS = 50
"""Of so many sets of an export some are clones."""


def show_sets_met(screen: Screen, seen: SetsSeen, first: Collection[ArcadeSet]) -> None:
    """What else is in a list whose first sets were shown: the last, the oddest, and how many there are of what."""
    shown = [one.set for one in first]
    for words, one in (("the last", seen.last), ("the one least like the others", seen.odd)):
        if one is not None and shown and one.set not in shown:
            screen.say(f"{words}:")
            show_preview_sets(screen, [one])
            shown.append(one.set)
    told = ", ".join(count(seen.counts[what], what, _SEVERAL.get(what, "")) for what in _KINDS if seen.counts[what])
    sets = count(seen.counts["set"], "set")
    screen.say(f"{sets}, among them {told}." if told else f"{sets}, of which none is a clone, a BIOS set or a device.")
    if seen.counts["set"] >= MANY_SETS and not seen.counts["clone"]:
        screen.tell(
            f"note: of {seen.counts['set']:,} sets none has a parent: is there a column that says it, and is not taken?"
        )


def show_merged(screen: Screen, name: str, found: Merged) -> None:
    """What became of a list that was brought into a sheet that was there."""
    changed = f", {count(found.changed, 'value')} changed" if found.changed else ""
    screen.say(
        f"{name}: {count(found.needs, 'new need')} and {count(found.accepts, 'new accept')}{changed}; "
        f"{found.known} known already."
    )
    show_left(screen, found)


def show_left(screen: Screen, found: Merged) -> None:
    """What a list no longer has, and what it says otherwise than somebody wrote by hand: both stay."""
    for words, names in (("No longer on the list, but kept", found.gone), ("Changed by you, and left so", found.yours)):
        if names:
            more = f" and {len(names) - LEFT_OVER_SHOWN:,} more" if len(names) > LEFT_OVER_SHOWN else ""
            screen.say(f"{words}: {', '.join(names[:LEFT_OVER_SHOWN])}{more}.")


def show_tally(screen: Screen, tally: Tally) -> None:
    """What was left over, dropped and not understood, on standard error."""
    if tally.left_over:
        names = [f"{name} ({number:,})" for name, number in tally.left_over.most_common(LEFT_OVER_SHOWN)]
        more = len(tally.left_over) - len(names)
        screen.tell(f"left over, in the first records: {', '.join(names)}{f' and {more} more' if more else ''}")
    if tally.duplicates:
        screen.tell(f"{count(tally.duplicates, 'record')} on the list twice, taken once")
    if tally.bad:
        screen.tell(f"{count(tally.bad, 'content')} left out: the list says that the content is bad or not dumped")
    if tally.unsure:
        screen.tell(f"{count(tally.unsure, 'year')} left out: the list marks it as a guess")
    if tally.spoiled:
        what = count(tally.spoiled, "digest")
        screen.tell(f"{what} left out: spoiled by a spreadsheet, and the list has better ones beside")
    for mistake in tally.mistakes:
        screen.tell(mistake)


NAMES_SHOWN, MISTAKES_SHOWN = 12, 5


def show_offer(screen: Screen, index: Index, theirs: Iterable[str], mine: Iterable[str], fetched: int) -> None:
    """What a catalogue has, what of its emulators is new, and what one has already."""
    theirs, mine = list(theirs), set(mine)
    files = f"{count(len(index.files), 'file')}, {size(fetched)} fetched"
    screen.say(styled(index.title, "bold"), styled(f"  number {index.number} of {index.date}: {files}", QUIET))
    new = [name for name in theirs if name not in mine]
    both = [name for name in theirs if name in mine]
    rows: list[tuple[str, str]] = []
    if new:
        rows.append(("new to you", _named(new)))
    if both:
        rows.append(("you have", f"{_named(both)}: your own sheets come first, and Gribble goes on using them"))
    screen.grid(rows)


def _named(names: Iterable[str]) -> str:
    names = list(names)
    more = f" and {len(names) - NAMES_SHOWN} more" if len(names) > NAMES_SHOWN else ""
    return f"{', '.join(names[:NAMES_SHOWN])}{more}"


def show_update(screen: Screen, one: Update) -> None:
    """What is new in a followed catalogue, and what that does to the rigs."""
    if one.error:
        screen.say(styled(one.name, "bold"), f"  {_why(one.error)}")
        screen.say(f"  {one.error.fix}")
        return
    if one.version is None or one.offer is None:
        screen.say(styled(one.name, "bold"), f"  has nothing new: number {one.number}")
        return
    fetched = f", {size(one.fetched)} fetched" if one.fetched else ""
    head = f"  number {one.number} → {one.offer.index.number} of {one.offer.index.date}{fetched}"
    screen.say(styled(one.name, "bold"), styled(head, QUIET))
    if one.signed_by:
        screen.say(f"It is signed now, by {one.signed_by}. Gribble will refuse any other key.")
    if one.changes or not (one.rosters or one.lists or one.unused):
        show_compare(screen, one.changes, list(one.effects))
    else:
        show_effects(screen, one.effects)
    for each in one.rosters:
        parts = [(each.new, "new"), (each.changed, "changed"), (each.gone, "gone")]
        said = ", ".join(f"{number:,} {word}" for number, word in parts if number) or "only its first line differs"
        screen.say(styled(each.name, "bold"), f"  sets: {said}")
    if one.unused:
        screen.say(f"Changed too, but another sheet of yours comes first: {_named(one.unused)}.")
    for name in one.lists:
        screen.say(styled(name, "bold"), "  has other checksums")


def _why(error: GribbleError) -> str:
    """What is wrong; of many mistakes the first ones."""
    return "; ".join(map(str, error.mistakes[:MISTAKES_SHOWN])) if isinstance(error, MistakesError) else error.what


def update_json(found: Iterable[Update]) -> dict[str, Any]:
    """`update/1`."""
    return {
        "gribble": "update/1",
        "catalogues": [
            {
                "name": one.name,
                "from": one.number,
                "to": one.offer.index.number if one.version and one.offer else one.number,
                "fetched": one.fetched,
                "changes": {
                    "emulators": changes_json(one.changes),
                    "rosters": [each._asdict() for each in one.rosters],
                    "lists": list(one.lists),
                    "unused": list(one.unused),
                },
                "effects": [_effect_json(effect) for effect in one.effects],
                "done": one.done,
                **({"error": _why(one.error), "fix": one.error.fix} if one.error else {}),
            }
            for one in found
        ],
    }


def _effect_json(effect: SheetEffect) -> dict[str, Any]:
    held, obtain = effect.wanted
    return {
        "rig": effect.rig,
        "emulator": effect.new.emulator,
        "was": effect.old.state,
        "is": effect.new.state,
        "lacks": [*held, *obtain],
    }
