"""The answers of `gribble catalogue`, for the terminal and as JSON."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from rich.text import Text

from gribble.core.answers.adding import Added
from gribble.core.answers.capture import KnownEmulator, proofs_of
from gribble.core.answers.changes import SheetChanges, SheetEffect, cost_of_release, release_effects
from gribble.core.answers.lint import Remark
from gribble.core.base.amounts import count, size
from gribble.core.records.findings import RigAudit
from gribble.core.records.imported import Tally
from gribble.core.records.roster import ArcadeSet
from gribble.views.looks import DIGEST_NAMES, QUIET, VERDICTS, shorten
from gribble.views.screen import Screen, state, styled
from gribble.views.set_releases import show_cost

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
    """`catalogue/1`."""
    return {
        "gribble": "catalogue/1",
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
        screen.say("No mistakes, and nothing to remark on.")
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
        parts.append(f"wants {count(len(held), 'file')} that you have ({', '.join(held)})")
    if obtain:
        parts.append(f"wants {count(len(obtain), 'file')} to be obtained ({', '.join(obtain)})")
    return f"{text}; {' and '.join(parts)}" if parts else text


def show_compare(screen: Screen, changes: tuple[SheetChanges, ...], effects: list[SheetEffect]) -> None:
    """What it means for the rigs first, then what has changed."""
    if not changes:
        screen.say("Nothing differs in what is needed.")
        return
    screen.grid([(state(effect.new.state), f"{_effect_words(effect)}.") for effect in effects], indent=0)
    if effects:
        screen.out.print()
    for one in changes:
        screen.say(styled(one.emulator, "bold"), f"  {one.change}")
        rows: list[tuple[str | Text, ...]] = []
        for need in one.needs:
            text = Text.assemble(styled(need.title, "bold"))
            for word in need.words:
                text.append("\n").append_text(styled(word))
            rows.append((need.change, need.need, text))
        screen.grid(rows)


def compare_json(changes: tuple[SheetChanges, ...], effects: list[SheetEffect]) -> dict[str, Any]:
    """`sheets/1`."""
    return {
        "gribble": "sheets/1",
        "emulators": [
            {
                "emulator": one.emulator,
                "change": one.change,
                "needs": [{"need": need.need, "change": need.change, "words": list(need.words)} for need in one.needs],
            }
            for one in changes
        ],
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


# add and import


def show_added(screen: Screen, added: Added, folder: Path, *, leads_on: bool) -> None:
    """What is new in the catalogue, and where the former version is; and that a lint has remarks, if it `leads_on`."""
    where = shorten(str(folder.absolute()))
    if not added.new and not added.replaced:
        screen.say(f"{where} has all of it already; nothing was changed.")
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
        screen.say(
            styled(one.set, "bold"), f"  {one.title}  ", styled(", ".join(fact for fact in facts if fact), QUIET)
        )
        rows: list[tuple[str | Text, ...]] = []
        for file in one.files[:6]:
            word = file.strongest()
            digest = f"{DIGEST_NAMES[word]} {file.get(word)}" if word else "no digest"
            marks = [f"is {file.parent_name} of the parent" if file.parent_name else "",
                     f"is {file.bios_name} of the BIOS set" if file.bios_name else "",
                     "" if file.state == "good" else str(file.state), "optional" if file.optional else ""]  # fmt: skip
            size_ = size(file.size) if file.size is not None else "size unknown"
            rows.append((file.name, size_, ", ".join([digest, *(mark for mark in marks if mark)])))
        rows += [(disc.name, "disc", f"SHA-1 {disc.sha1}" if disc.sha1 else "no digest") for disc in one.discs]
        screen.grid(rows)
        if len(one.files) > 6:
            screen.say(styled(f"  and {len(one.files) - 6} more files", QUIET))


def show_tally(screen: Screen, tally: Tally) -> None:
    """What was left over, dropped and not understood, on standard error."""
    if tally.left_over:
        names = [f"{name} ({number:,})" for name, number in tally.left_over.most_common(LEFT_OVER_SHOWN)]
        more = len(tally.left_over) - len(names)
        screen.tell(f"left over, in the first records: {', '.join(names)}{f' and {more} more' if more else ''}")
    if tally.duplicates:
        screen.tell(f"{count(tally.duplicates, 'record')} that stood there twice, taken once")
    if tally.bad:
        screen.tell(f"{count(tally.bad, 'content')} left out: the list says of it that it is bad, or not dumped")
    if tally.unsure:
        screen.tell(f"{count(tally.unsure, 'year')} left out that the list marks as a guess")
    for mistake in tally.mistakes:
        screen.tell(mistake)


def show_changes(screen: Screen, before: tuple[RigAudit, ...], after: tuple[RigAudit, ...]) -> None:
    """What would change with another release, before the audit as of that release."""
    for change in release_effects(before, after):
        title = f"{change.now.title} {change.was.release} on {change.rig}, if it were {change.now.release}"
        screen.say(styled(title, "bold"), "  ", state(change.was.state), " to ", state(change.now.state))
        if change.now.sets_note and change.now.sets_note != change.was.sets_note:
            screen.say(f"  {change.now.sets_note}")
        elif not change.needs and not change.sets:
            what = "every need gets the same verdict" + (", every set the same state" if change.now.sets else "")
            screen.say(f"  Nothing changes: {what}.")
        screen.grid([(row.subject, f"{row.was} to {row.now}", row.reason) for row in change.needs])
        if change.sets:
            show_cost(screen, cost_of_release(change.was, change.now))
        screen.out.print()


def changes_json(before: tuple[RigAudit, ...], after: tuple[RigAudit, ...]) -> dict[str, Any]:
    """What would change with another release, as a key of `check/1`."""
    return {
        "changes": [
            {
                "rig": change.rig,
                "emulator": change.now.emulator,
                "release": [change.was.release, change.now.release],
                "state": [change.was.state, change.now.state],
                "needs": [
                    {"need": row.subject, "was": row.was, "is": row.now, "reason": row.reason} for row in change.needs
                ],
                "sets": [
                    {"set": row.subject, "was": row.was, "is": row.now, "reason": row.reason} for row in change.sets
                ],
            }
            for change in release_effects(before, after)
        ]
    }
