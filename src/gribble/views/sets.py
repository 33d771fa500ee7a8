"""The answers of `gribble sets`, for the terminal and as `sets/1`, with a set's family as a tree; and the list of the
sets that are wanted as `wanted/1`, with what a change makes of it.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator
from typing import Any

from rich.text import Text

from gribble.core.answers.needed import Tree
from gribble.core.answers.next import next_for_sets
from gribble.core.answers.wishing import Look
from gribble.core.base.amounts import count, size
from gribble.core.placing.gaps import set_gaps
from gribble.core.records.findings import EmulatorAudit, Home, RigAudit, SetAudit, State
from gribble.core.records.steps import Gap
from gribble.core.sayings.facts import say, say_all
from gribble.core.sayings.remedies import archive_words
from gribble.views.causes import named
from gribble.views.check import show_next, show_sets
from gribble.views.check_json import aside_json, set_json
from gribble.views.looks import QUIET, with_title
from gribble.views.needs import TAKE_ALONG, TO_GET, known_by
from gribble.views.screen import Screen, state, styled, verdict


def show_checked(
    screen: Screen, audits: tuple[RigAudit, ...], *, verbose: bool, only: frozenset[str] = frozenset()
) -> None:
    """The answer first, then each arcade emulator with the sets that do not run; `only` are the verdicts by which they
    were chosen."""
    sets = [one for rig in audits for emulator in rig.emulators for one in emulator.sets]
    if only and not sets:
        screen.say(f"No set has a file that is {' or '.join(sorted(only))}.")
        return
    tally = Counter(one.state for one in sets)
    parts = [f"{tally[kind]:,} {kind}" for kind in (State.READY, State.LIMITED, State.BLOCKED) if tally[kind]]
    screen.say(styled(count(len(sets), "set"), "bold"), f": {', '.join(parts) or 'none wanted, and none there'}")
    for rig in audits:
        for emulator in rig.emulators:
            if emulator.sets or emulator.arcade.note:
                screen.out.print()
                release = f" {emulator.release}" if emulator.release else ""
                screen.say(styled(emulator.title + release, "bold"), styled(f"  on {rig.rig}", QUIET))
                show_sets(screen, emulator, verbose=verbose, on=f" --rig {rig.rig}")
        if rig.away:
            screen.out.print()
            screen.say(styled(rig.rig, "bold"), f" is away: {rig.away}. Gribble cannot check its sets now.")
    show_next(screen, next_for_sets(audits))


def sets_json(audits: tuple[RigAudit, ...]) -> dict[str, Any]:
    """`sets/1`."""
    return {
        "gribble": "sets/1",
        "rigs": [
            {
                "rig": rig.rig,
                "emulators": [
                    {
                        "emulator": one.emulator,
                        "release": one.release,
                        "note": one.arcade.note,
                        "sets": [set_json(rig.rig, each) for each in one.sets],
                        "aside": aside_json(one.arcade.aside),
                    }
                    for one in rig.emulators
                    if one.sets or one.arcade.note
                ],
            }
            for rig in audits
        ],
    }


def show_family(screen: Screen, tree: Tree, *, verbose: bool) -> None:
    """A set with its parent, BIOS set and devices, each file held or missing."""
    one, emulator, found = tree.family.one, tree.emulator, tree.found
    facts = ", ".join(fact for fact in (str(one.year or ""), one.maker) if fact)
    screen.say(styled(f"{one.set}  {one.title}", "bold"), styled(f"  {facts}", QUIET), "  ", state(found.state))
    release = f" {emulator.release}" if emulator.release else ""
    screen.say(styled(f"for {emulator.title}{release} on {tree.rig}", QUIET))
    if one.note:
        screen.say(one.note)
    for role, relative in tree.relatives():
        screen.say(
            f"{'  ' if role else ''}{role}{' ' if role else ''}", styled(relative.set, "bold"), f"  {relative.title}"
        )
        rows: list[tuple[str | Text, ...]] = [
            (
                styled(f"· {file.verdict}", QUIET) if file.verdict in ("undumped", "spared") else verdict(file.verdict),
                file.name,
                file.kind or (size(file.size) if file.size is not None else ""),
                file.reason,
            )
            for file in tree.files(relative)
        ]
        screen.grid(rows, indent=4)
    for problem in found.problems:
        if not problem.subject.file:
            screen.say(verdict(problem.verdict), f"  {say_all(problem.facts)}")
    for note in map(say, found.packing):
        screen.say(styled(f"note: {note}", QUIET))
    faults = {(problem.subject.owner, problem.subject.file) for problem in found.problems}
    screen.say(f"{count(tree.needed, 'file')} needed, {len(faults):,} of them wrong.")
    gaps = list(set_gaps(tree.rig, emulator, [found]))
    for home, problems in found.to_get.items():
        words = archive_words(home, problems, emulator.release)
        screen.grid([(TO_GET, Text.assemble(styled(words), *_files_of(home, gaps, verbose)))])
    if found.fixable:
        screen.next(f"gribble sets pack {one.set} --rig {tree.rig}", "builds it from files that you have")
    elif gaps:
        screen.next(*TAKE_ALONG)


def _files_of(home: Home, gaps: Iterable[Gap], verbose: bool) -> Iterator[Text]:
    """The files of an archive that has to be got, with what each is known by, where everything is told."""
    for gap in gaps if verbose else ():
        if gap.home == home:
            yield styled(f"\n· {gap.file}{known_by(gap)}")


def show_unknown(screen: Screen, rig: str, emulator: EmulatorAudit, one: SetAudit) -> None:
    """A set that the installed release does not know, and what leads on."""
    release = f" {emulator.release}" if emulator.release else ""
    screen.say(
        styled(one.set, "bold"), styled(f"  for {emulator.title}{release} on {rig}", QUIET), "  ", state(one.state)
    )
    for problem in one.problems:
        screen.say(verdict(problem.verdict), f"  {say_all(problem.facts)}")
        if problem.subject.renamed:
            screen.next(f"gribble sets show {problem.subject.renamed}", "what this release calls it")
        elif problem.subject.releases:
            words = f"--rig {rig} --as {emulator.emulator}={problem.subject.releases[0]}"
            screen.next(f"gribble check {emulator.emulator} {words}", "what that release would change")


def families_json(trees: list[Tree], unknown: Iterable[tuple[str, EmulatorAudit, SetAudit]]) -> dict[str, Any]:
    """`family/1`: each set asked for, on each rig, with its relatives and their files."""
    return {
        "gribble": "family/1",
        "families": [
            {
                "rig": tree.rig,
                "emulator": tree.emulator.emulator,
                "release": tree.emulator.release,
                **set_json(tree.rig, tree.found),
                "relatives": [
                    {
                        "set": relative.set,
                        "role": role or "itself",
                        "title": relative.title,
                        "files": [
                            {"name": file.name, "size": file.size, "verdict": file.verdict, "reason": file.reason}
                            for file in tree.files(relative)
                        ],
                    }
                    for role, relative in tree.relatives()
                ],
            }
            for tree in trees
        ]
        + [
            {
                "rig": rig,
                "emulator": emulator.emulator,
                "release": emulator.release,
                **set_json(rig, one),
                "relatives": [],
            }
            for rig, emulator, one in unknown
        ],
    }


NAMES_SHOWN = 24


def show_list(screen: Screen, look: Look) -> None:
    """The sets that are wanted now."""
    _say_counts(screen, look)
    if look.now:
        screen.say(f"  {_names(look, look.now)}")
    else:
        screen.next(
            "gribble sets wanted --held", "takes the sets that you have whole; --list FILE takes titles from a text"
        )


def show_picked(screen: Screen, look: Look) -> None:
    """What a change makes of the list: what comes to it and what leaves it, what nobody knows, and what is unclear."""
    _say_counts(screen, look)
    changes = (("+", look.added), ("-", look.removed))
    screen.grid([(f"{sign} {len(names):,}", _names(look, names)) for sign, names in changes if names])
    if look.is_same:
        screen.say(styled("  The list does not change.", QUIET))
    picked = look.picked
    if picked.unclear:
        screen.say(f"{count(len(picked.unclear), 'line')} could mean several sets. Name the one that you mean:")
        screen.grid(
            [(wish.words, "; ".join(look.sets[name].described for name in wish.sets)) for wish in picked.unclear]
        )
    if picked.unknown:
        screen.say(f"No set has such a name or title: {named(picked.unknown, NAMES_SHOWN)}")


def _say_counts(screen: Screen, look: Look) -> None:
    after = look.after
    held = sum(name in look.whole for name in after)
    screen.say(
        styled(f"{count(len(after), 'set')} wanted", "bold"),
        f" of {look.emulator} on {look.rig}{f'; you have {held:,} of them whole' if after else ''}",
    )


def _names(look: Look, names: Iterable[str]) -> str:
    return named((with_title(name, look.title(name)) for name in names), NAMES_SHOWN)


def wanted_json(look: Look) -> dict[str, Any]:
    """`wanted/1`: the list as it would be."""
    return {
        "gribble": "wanted/1",
        "rig": look.rig,
        "emulator": look.emulator,
        "wanted": [{"set": name, "title": look.title(name), "whole": name in look.whole} for name in look.after],
        "added": look.added,
        "removed": look.removed,
        "unclear": [{"line": wish.words, "sets": list(wish.sets)} for wish in look.picked.unclear],
        "unknown": list(look.picked.unknown),
    }
