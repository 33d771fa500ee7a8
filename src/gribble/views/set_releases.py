"""The answers of `sets match`, `sets compare`, `sets fit` and `check --as`, for the terminal, as JSON and as CSV."""

from __future__ import annotations

import csv
import io
from collections import Counter
from collections.abc import Iterable
from typing import Any

from rich.text import Text

from gribble.core.answers.changes import cost_of_release, release_effects
from gribble.core.answers.rosters import CardFit, Matched
from gribble.core.base.amounts import count, size
from gribble.core.base.cells import guarded_cell
from gribble.core.base.filewriter import Own
from gribble.core.records.findings import RigAudit
from gribble.core.records.holding import Holding
from gribble.core.records.roster import Roster
from gribble.core.records.set_remedies import Change, Cost, SetChange, cost_of
from gribble.core.sayings.remedies import say_holding
from gribble.views.causes import NAMES_SHOWN, named
from gribble.views.check_json import away_json
from gribble.views.looks import QUIET, shorten, with_title
from gribble.views.screen import Screen, state, styled

SHOWN = 40
"""How many sets are shown before the rest is folded."""
FILES_SHOWN = 3

_WORDS = {
    Change.SAME: "nothing to be done",
    Change.RENAMED: "the same under another name",
    Change.REPACK: "all there, but packed in another way",
    Change.HELD: "needs files that you have in another place",
    Change.OBTAIN: "needs files that you do not have",
    Change.GONE: "not in the new release",
    Change.NEW: "only in the new release",
}


def show_match(screen: Screen, found: list[Matched], *, verbose: bool) -> None:
    """The best release first, then each with its share; then the wanted sets that do not fit the installed one."""
    for number, one in enumerate(found):
        if number:
            screen.out.print()
        best = one.releases[0] if one.releases and one.releases[0].complete else None
        if best is None:
            screen.say(styled(f"{one.emulator}: your files do not complete a set of any release.", "bold"))
            continue
        installed = " (installed)" if best.release == one.installed else ""
        screen.say(styled(f"Your files fit {one.emulator} {best.release} best{installed}.", "bold"))
        rows: list[tuple[str | Text, ...]] = [
            (
                styled(match.release, "bold" if match.release == one.installed else ""),
                f"{match.share:.0%}",
                f"{match.complete:,} of the {count(match.sets, 'set')} that you have files of are complete",
                styled("installed" if match.release == one.installed else "", QUIET),
            )
            for match in one.releases
        ]
        screen.grid(rows)
        odd = [name for name, releases in one.wanted.items() if one.installed not in releases]
        odd = list(one.wanted) if verbose else odd
        if odd:
            screen.out.print()
            which = "" if verbose else " that are not complete for the installed release"
            screen.say(f"Wanted sets{which}, and the releases for which your files are right:")
            shown = odd if verbose else odd[:SHOWN]
            screen.grid([(name, one.titles.get(name, ""), ", ".join(one.wanted[name]) or "none") for name in shown])
            if len(shown) < len(odd):
                screen.say(styled(f"  and {len(odd) - len(shown):,} more (-v shows them)", QUIET))


def match_json(found: list[Matched]) -> dict[str, Any]:
    """`match/1`."""
    return {
        "gribble": "match/1",
        "releases": [
            {
                "emulator": match.emulator,
                "release": match.release,
                "complete": match.complete,
                "sets": match.sets,
                "share": round(match.share, 4),
                "installed": match.release == one.installed,
            }
            for one in found
            for match in one.releases
        ],
        "wanted": [
            {"emulator": one.emulator, "set": name, "releases": list(releases)}
            for one in found
            for name, releases in one.wanted.items()
        ],
    }


def show_compared(screen: Screen, old: Roster, new: Roster, changes: list[SetChange], *, verbose: bool) -> None:
    """What the update would cost, a line for each kind of change; then, where everything is told, each set."""
    title = f"{new.head.emulator} {old.head.release} to {new.head.release}: {count(len(changes), 'wanted set')}"
    screen.say(styled(title, "bold"))
    show_cost(screen, cost_of(changes))
    for change in Change if verbose else ():
        if group := [one for one in changes if one.change is change]:
            screen.out.print()
            screen.say(styled(change, "bold"), styled(f"  {_WORDS[change]}", QUIET))
            screen.grid([(one.set, _change_words(one, verbose)) for one in group])


def show_cost(screen: Screen, cost: Cost) -> None:
    """What another release would cost, a line for each kind."""
    nobody_has = f"{count(len(cost.archives), 'archive')} that you do not have"
    kinds = (
        (cost.better, "would run, and does not now", "would run, and do not now", cost.better),
        (cost.renamed, "gets another name", "get other names", cost.renamed),
        (cost.repacked, "is repacked from what you have", "are repacked from what you have", cost.repacked),
        (cost.lacking, f"needs {nobody_has}", f"need {nobody_has}", cost.archives),
        (cost.worse, "would not run any more", "would not run any more", cost.worse),
        (cost.gone, "is gone", "are gone", cost.gone),
        (cost.new, "is new", "are new", cost.new),
    )
    rows = [(f"{cost.same:,}", "does not change" if cost.same == 1 else "do not change")] if cost.same else []
    for sets, one, several, names in kinds:
        if sets:
            told = named((with_title(name, cost.titles.get(name, "")) for name in names), NAMES_SHOWN)
            rows.append((f"{len(sets):,}", f"{one if len(sets) == 1 else several}: {told}"))
    screen.grid(rows)


def _change_words(one: SetChange, verbose: bool) -> Text:
    text = Text.assemble(styled(one.title or one.set))
    if one.to and one.to != one.set:
        text.append_text(styled(f"  is now {one.to}"))
    shown = one.files if verbose else one.files[:FILES_SHOWN]
    for file in shown:
        whose = "" if file.owner in (one.set, one.to) else f" of {file.owner}"
        where = f"  {say_holding(file.held, file.held.rig or None, shorten)}" if file.held else "  not found"
        where += f", in {file.source}, which is away" if file.source else ""
        text.append_text(styled(f"\n{file.name}{whose}")).append_text(styled(where, QUIET))
    if len(shown) < len(one.files):
        text.append_text(styled(f"\nand {len(one.files) - len(shown)} more (-v shows them)", QUIET))
    return text


def compare_json(old: Roster, new: Roster, changes: list[SetChange]) -> dict[str, Any]:
    """`compare/1`."""
    tally = Counter(one.change for one in changes)
    return {
        "gribble": "compare/1",
        "emulator": new.head.emulator,
        "old": old.head.release,
        "new": new.head.release,
        "sets": [
            {
                "set": one.set,
                "title": one.title,
                "class": one.change,
                "to": one.to or None,
                "files": [
                    {
                        "file": file.name,
                        "owner": file.owner,
                        "found": _found(file.held),
                        "member": file.held.member if file.held else None,
                        **away_json(file.source),
                    }
                    for file in one.files
                ],
            }
            for one in changes
        ],
        "totals": {change: tally[change] for change in Change},
        "archives": list(cost_of(changes).archives),
    }


def _found(holding: Holding | None) -> str | None:
    return None if holding is None else holding.path if holding.rig else holding.where


_COLUMNS = ["set", "class", "to", "title", "file", "found", "member"]
CHANGES = Own(f"{','.join(_COLUMNS)}\n".encode(), "table of changes")


def compare_csv(changes: list[SetChange]) -> str:
    """One row for each set, and one more for each further file."""
    rows: list[list[str]] = []
    for one in changes:
        for file in one.files or (None,):
            found = (_found(file.held) or "") if file else ""
            member = (file.held.member or "") if file and file.held else ""
            rows.append([one.set, one.change, one.to, one.title, file.name if file else "", found, member])
    return written_csv(_COLUMNS, rows)


def written_csv(titles: list[str], rows: Iterable[list[str]]) -> str:
    """A table as CSV (RFC 4180, with LF). What a spreadsheet could take for a formula is kept from being one."""
    stream = io.StringIO()
    writer = csv.writer(stream, lineterminator="\n")
    writer.writerow(titles)
    for row in rows:
        writer.writerow([guarded_cell(cell) for cell in row])
    return stream.getvalue()


def show_fit(screen: Screen, found: CardFit, *, verbose: bool) -> None:
    """How many fit and how good that is; then what is left out, then what it rests on."""
    chosen, left = found.selection.chosen, found.selection.left_out
    total = len(chosen) + len(left)
    screen.say(
        styled(f"{len(chosen):,} of {count(total, 'wanted set')}", "bold"),
        f" fit into {found.budget:,} bytes: {size(found.selection.bytes)} used. {_how_good(found)}",
    )
    if not chosen and found.smallest:
        name, least = found.smallest
        screen.say(f"Not even the smallest set fits: {name} takes {least:,} bytes, with what it needs.")
    if left:
        screen.out.print()
        screen.say(styled("Left out", "bold"))
        shown = left if verbose else left[:SHOWN]
        screen.grid([(name, found.titles.get(name, ""), found.reasons.get(name, "no room")) for name in shown])
        if len(shown) < len(left):
            screen.say(styled(f"  and {len(left) - len(shown):,} more (-v shows them)", QUIET))
    if chosen:
        screen.out.print()
        screen.say(styled("Chosen", "bold"))
        shown = chosen if verbose else chosen[:SHOWN]
        more = f" and {len(chosen) - len(shown):,} more (-v shows them)" if len(shown) < len(chosen) else ""
        screen.say(f"  {', '.join(with_title(name, found.titles.get(name, '')) for name in shown)}{more}")
    screen.out.print()
    counted = f"Shared parents, BIOS sets and discs are counted once, files in whole clusters of {size(found.cluster)}."
    if found.estimated:
        counted += f" {count(found.estimated, 'archive')} that are not packed yet will take less than counted here."
    screen.say(styled(counted, QUIET))


def _how_good(found: CardFit) -> str:
    if found.selection.optimal:
        return "There is no better selection."
    return f"The best selection is at most {found.selection.gap:.2%} better; the search was cut short (--seconds)."


def fit_json(found: CardFit) -> dict[str, Any]:
    """`fit/1`."""
    return {
        "gribble": "fit/1",
        "chosen": list(found.selection.chosen),
        "left_out": list(found.selection.left_out),
        "reasons": found.reasons,
        "bytes": found.selection.bytes,
        "budget": found.budget,
        "cluster": found.cluster,
        "optimal": found.selection.optimal,
        "gap": round(found.selection.gap, 6),
    }


def show_changes(screen: Screen, before: tuple[RigAudit, ...], after: tuple[RigAudit, ...]) -> None:
    """What would change with another release, before the audit as of that release."""
    for change in release_effects(before, after):
        title = f"{change.now.title} {change.was.release} on {change.rig}, if it were {change.now.release}"
        screen.say(styled(title, "bold"), "  ", state(change.was.state), " to ", state(change.now.state))
        if change.now.arcade.note and change.now.arcade.note != change.was.arcade.note:
            screen.say(f"  {change.now.arcade.note}")
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
