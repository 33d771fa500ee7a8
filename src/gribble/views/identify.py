"""The answer of `gribble identify`, for the terminal and as `identify/1`."""

from __future__ import annotations

import shlex
from collections import Counter
from pathlib import Path
from typing import Any

from rich.text import Text

from gribble.core.answers.identify import Group, Identified, Match, WholeSet, group
from gribble.views.check import say_holding
from gribble.views.looks import DIGEST_NAMES, QUIET, count, shorten, size
from gribble.views.screen import Screen, remedy, styled, verdict

UNKNOWN_SHOWN = 8
SETS_SHOWN = 12


def show_identify(
    screen: Screen,
    files: tuple[Identified, ...],
    sets: tuple[WholeSet, ...],
    named: frozenset[Path],
    *,
    passed_over: int,
    only_needed: bool,
    verbose: bool,
) -> None:
    """Contents grouped by what they are, then the counts; how to look closer at one that was not `named`."""
    groups = group(files)
    sections = {
        "Needed": [one for one in groups if one.counts_as == "needed"],
        "Held already": [one for one in groups if one.counts_as == "held"],
        "Known not to work": [one for one in groups if one.counts_as == "rejected"],
    }
    for title, chosen in sections.items():
        if chosen and (title == "Needed" or not only_needed):
            screen.say(styled(title, "bold"))
            screen.grid([_row(one, verbose) for one in chosen])
            screen.out.print()
    if sets and not only_needed:
        screen.say(styled("Whole sets", "bold"))
        told = sets if verbose else sets[:SETS_SHOWN]
        screen.grid([(verdict("known"), one.set, _set_words(one)) for one in told])
        if len(told) < len(sets):
            screen.say(styled(f"  and {len(sets) - len(told):,} more (-v shows them)", QUIET))
        screen.out.print()
    damaged = [one for one in groups if one.counts_as == "damaged"]
    if damaged and not only_needed:
        screen.say(styled("Damaged", "bold"))
        screen.grid([_damaged_row(one.first) for one in damaged])
        screen.out.print()
    unknown = [one for one in groups if one.counts_as == "unknown"]
    if unknown and not only_needed:
        shown = unknown if verbose else unknown[:UNKNOWN_SHOWN]
        screen.say(styled("Unknown", "bold"))
        screen.grid([_unknown_row(one.first) for one in shown])
        if len(shown) < len(unknown):
            screen.say(styled(f"  and {len(unknown) - len(shown):,} more (-v shows them)", QUIET))
        closer = (one.first.holding for one in unknown if not one.first.no_dump)
        if other := next((one for one in closer if one.member is None and one.place not in named), None):
            path = shlex.quote(shorten(other.where))
            screen.say(styled(f"  naming one looks closer: gribble identify {path}", QUIET))
        screen.out.print()
    screen.say(_counts(groups, passed_over))


def _set_words(one: WholeSet) -> Text:
    full = "" if one.full else "; what it shares is in its relatives' archives"
    text = styled(f"{one.title or one.set}, of {one.emulator} {one.release}{full}")
    return text.append_text(styled(f"\nis {say_holding(one.holding, None)}", QUIET))


def _counts(groups: tuple[Group, ...], passed_over: int) -> str:
    """The counts that end the answer: "3 needed, 1 held already, 1 known not to work, 9 unknown"."""
    tally = Counter(one.counts_as for one in groups)
    text = f"{tally['needed']:,} needed, {tally['held']:,} held already"
    if tally["damaged"]:
        text += f", {tally['damaged']:,} damaged"
    if tally["rejected"]:
        text += f", {tally['rejected']:,} known not to work"
    text += f", {tally['unknown']:,} unknown"
    return f"{text}; {passed_over:,} passed over" if passed_over else text


def _row(one: Group, verbose: bool) -> tuple[str | Text, ...]:
    file = one.first
    first = file.matches[0]
    label = f" ({first.accept})" if first.accept else ""
    text = Text.assemble(styled(first.title + label, "bold"), styled(f"  {size(file.holding.size)}", QUIET))
    for match in file.matches:
        text.append("\n").append_text(styled(_match_words(match)))
    paths = [say_holding(copy.holding, None) for copy in one.files]
    shown = paths if verbose else paths[:1]
    more = f" and {count(len(paths) - 1, 'more copy', 'more copies')}" if len(paths) > len(shown) else ""
    for number, path in enumerate(shown):
        text.append("\n").append_text(styled(f"{'is' if not number else 'and'} {path}{more}", QUIET))
    return verdict(file.verdict), text


def _damaged_row(file: Identified) -> tuple[str | Text, ...]:
    mend, near = file.mend, file.near
    assert mend is not None
    assert near is not None
    path = say_holding(file.holding, None)
    label = f" ({mend.accept.label})" if mend.accept.label else ""
    text = Text.assemble(styled(path, "bold"), styled(f"  {size(file.holding.size)}", QUIET))
    text.append("\n").append_text(styled(mend.words))
    text.append("\n").append_text(styled(f"it should be {near.emulator}'s {near.need.title or near.need.id}{label}"))
    proof = f"proven by {DIGEST_NAMES[mend.accept.strongest() or 'crc32']}"
    if mend.partner:
        proof += f", with {say_holding(mend.partner, None)}"
    text.append("\n").append_text(styled(proof if mend.mendable else "proven by the right copy that is held", QUIET))
    if mend.mendable and file.holding.member is None:
        text.append("\n").append_text(remedy(f"gribble mend {shlex.quote(path)}"))
    elif mend.mendable:
        text.append("\n").append_text(remedy("gribble place mends it on the way"))
    return verdict(file.verdict), text


def _unknown_row(file: Identified) -> tuple[str | Text, ...]:
    text = Text.assemble(styled(say_holding(file.holding, None)), styled(f"  {size(file.holding.size)}", QUIET))
    if file.no_dump:
        text.append("\n").append_text(styled(file.no_dump))
    return verdict(file.verdict), text


def _match_words(match: Match) -> str:
    if match.rejected:
        return f"for {match.emulator}: {match.why or 'known not to work'}"
    where = f"{match.to} on {match.rig}" if match.rig else match.to
    if match.set:
        return f"{match.emulator} {'needs it in' if match.needed else 'has it, or does without, in'} {where}"
    if match.needed:
        return f"{match.emulator} needs it as {where}"
    if match.there or not match.rig:
        return f"{match.emulator} {'has' if match.there else 'wants'} it as {where}"
    return f"{match.emulator} takes it as {where}, but has what it needs"


def identify_json(
    files: tuple[Identified, ...], sets: tuple[WholeSet, ...], *, passed_over: int, only_needed: bool
) -> dict[str, Any]:
    """`identify/1` (DESIGN.md section 6)."""
    tally = Counter(one.counts_as for one in group(files))
    return {
        "gribble": "identify/1",
        "files": [_file_json(file) for file in files if file.needed or not only_needed],
        "sets": [
            {
                "path": one.holding.where,
                "emulator": one.emulator,
                "release": one.release,
                "set": one.set,
                "title": one.title,
                "full": one.full,
            }
            for one in sets
        ],
        "counts": {
            "needed": tally["needed"],
            "held": tally["held"],
            "rejected": tally["rejected"],
            "damaged": tally["damaged"],
            "unknown": tally["unknown"],
            "passed_over": passed_over,
        },
    }


def _file_json(file: Identified) -> dict[str, Any]:
    holding = file.holding
    return {
        "path": holding.where,
        "member": holding.member,
        "size": holding.size,
        **{name: holding.digests.get(name) for name in ("crc32", "md5", "sha1", "sha256")},
        "verdict": file.verdict,
        "matches": [
            {
                "emulator": match.emulator,
                **({"set": match.set, "file": match.need} if match.set else {"need": match.need}),
                "accept": match.accept or None,
                "rig": match.rig or None,
                "to": match.to,
                "needed": match.needed,
                "rejected": match.rejected,
                **({"why": match.why} if match.rejected else {}),
            }
            for match in file.matches
        ],
        "diagnosis": _diagnosis_json(file),
    }


def _diagnosis_json(file: Identified) -> dict[str, Any] | None:
    if file.no_dump:
        return {"damage": None, "words": file.no_dump, "mendable": False}
    mend, near = file.mend, file.near
    if mend is None or near is None:
        return None
    return {
        "damage": mend.recipe.damage,
        "words": mend.words,
        "mendable": mend.mendable,
        "proof": mend.accept.strongest() if mend.mendable else "a right copy that is held",
        "emulator": near.emulator,
        "need": near.need.id,
        "accept": mend.accept.label or None,
        "partner": mend.partner.where if mend.partner else None,
    }
