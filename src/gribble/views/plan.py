"""Plans, runs and their history, for the terminal and as `plan/1` and `history/1`."""

from __future__ import annotations

from collections.abc import Mapping
from itertools import groupby
from typing import Any, assert_never

from rich.text import Text

from gribble.core.base.amounts import count, size
from gribble.core.base.paths import base, parent
from gribble.core.placing.displaced import Kept
from gribble.core.placing.journal import Run
from gribble.core.records.findings import Home, RigAudit
from gribble.core.records.holding import in_words
from gribble.core.records.steps import (
    Bring,
    Copy,
    Displace,
    Extract,
    Gap,
    Mend,
    Pack,
    Plan,
    Point,
    Rename,
    Step,
    Write,
    Writing,
)
from gribble.core.sayings.facts import say_all
from gribble.core.sayings.remedies import archive_kind, archive_state
from gribble.views.looks import DIGEST_NAMES, QUIET, VERDICTS, shorten, zoned
from gribble.views.screen import Screen, remedy, state, styled, verdict

LINES_SHOWN = 10
"""How many gaps, and how many refusals, a plan shows before it folds the rest."""
STEPS_SHOWN = 16
"""Of more steps on a rig than so many a few of each kind are shown, and the others are counted."""
ALIKE_SHOWN = 2
STEPS_IN_ALL = 24
"""A plan of more steps is told by kind, a line for each."""
NAMES_IN_BRIEF = 10
NAMES_SHOWN = 6
GAPS_IN_FULL = 4
"""Of so many files to be got each is told with what it is known by."""
MEMBERS_SHOWN = 4
"""How many new members of an archive a plan names."""

_GLYPHS = {
    "copy": "+",
    "extract": "↑",
    "rename": "≈",
    "displace": "×",
    "mend": "◐",
    "point": "→",
    "pack": "▣",
    "write": "✎",
}


def show_plan(
    screen: Screen, plan: Plan, audits: tuple[RigAudit, ...], *, verbose: bool = False, narrowed: bool = False
) -> None:
    """What would be done, rig by rig; what cannot be; what is still to obtain; which rigs are away.

    Of many steps alike a few are shown.
    """
    brief = len(plan.steps) > STEPS_IN_ALL and not verbose
    most = max(len(plan.obtain), len(plan.refused)) if verbose else LINES_SHOWN
    if plan.steps:
        attic = sum(step.displaces is not None for step in plan.steps)
        kept = f"; {count(attic, 'file')} {'goes' if attic == 1 else 'go'} to the attic" if brief and attic else ""
        words = f", {size(plan.bytes)} to write{kept}. Nothing is deleted."
        screen.say(styled(count(len(plan.steps), "step"), "bold"), words)
    elif plan.away or any(found.away for found in audits):
        screen.say(styled("Gribble has nothing to do with the files that you have", "bold"), ".")
    else:
        _say_nothing(screen, plan, () if narrowed else audits)
    for rig in dict.fromkeys(step.rig for step in plan.steps):
        steps = list(plan.on(rig))
        screen.out.print()
        made = next((f"  NEW FOLDER {shorten(found.root)}" for found in audits if found.rig == rig and found.new), "")
        screen.say(styled(rig, "bold"), made, styled(f"  {count(len(steps), 'step')}" if brief else "", QUIET))
        screen.grid(_kind_rows(steps) if brief else _step_rows(steps, rig, verbose))
    if brief:
        screen.say(styled("\nTo see each file with its source: gribble plan EMULATOR, --rig RIG, or -v for all", QUIET))
    _show_refused(screen, plan, most)
    refused = {(one.rig, one.emulator, one.need) for one in plan.refused}
    show_gaps(screen, plan.obtain, refused, verbose=verbose)
    show_awaited(screen, plan.away, most)
    _show_left_out(screen, audits, emulators=bool(plan.steps))


def _show_refused(screen: Screen, plan: Plan, most: int) -> None:
    """What cannot be done, but for what is told as a gap."""
    gaps = {(one.rig, one.emulator, one.subject) for group in (plan.obtain, plan.away) for one in group}
    refused = [one for one in plan.refused if (one.rig, one.emulator, one.need) not in gaps]
    if refused:
        screen.out.print()
        screen.say(styled("For you to decide", "bold"))
        screen.grid([(f"{one.emulator}: {one.need}", one.reason) for one in refused[:most]])
        if len(refused) > most:
            screen.say(styled(f"  and {len(refused) - most:,} more (gribble plan -v shows them)", QUIET))


def _show_left_out(screen: Screen, audits: tuple[RigAudit, ...], *, emulators: bool) -> None:
    """The rigs, and `emulators`, for which nothing is planned, each with the reason."""
    for found in audits:
        left = [f"{found.rig} is away: {found.away}"] if found.away else []
        left += [
            f"{one.emulator} on {found.rig}: {one.unknown.why}" for one in found.emulators if emulators and one.unknown
        ]
        for words in left:
            screen.out.print()
            screen.say(f"{words}, so nothing is planned for it.")


def _say_nothing(screen: Screen, plan: Plan, audits: tuple[RigAudit, ...]) -> None:
    """That there is no step, and which emulators do not run all the same."""
    left = [(found.rig, one) for found in audits for one in found.unready]
    if plan.obtain or plan.refused or not left:
        screen.say(styled("Nothing to do", "bold"), ".")
        return
    screen.say(styled("Gribble can do nothing here", "bold"), ". Only you can change what is left.")
    for rig, one in left:
        why = f": {one.unknown.why}" if one.unknown else ""
        screen.say("  ", state(one.state), f"  {one.title} on {rig}{why}")
    rig, one = left[0]
    screen.next(f"gribble why {one.emulator} --rig {rig}", "tells you why it does not run, first things first")


def _kind_rows(steps: list[Step]) -> list[tuple[str | Text, ...]]:
    """The steps on a rig by kind, a row for each: what is put there, changed or displaced."""
    kinds: dict[str, list[Step]] = {}
    for step in steps:
        kinds.setdefault(step.kind, []).append(step)
    rows: list[tuple[str | Text, ...]] = []
    for kind, alike in kinds.items():
        names = ", ".join(base(_place_of(step)) for step in alike[:NAMES_IN_BRIEF])
        more = f" and {len(alike) - NAMES_IN_BRIEF:,} more" if len(alike) > NAMES_IN_BRIEF else ""
        bytes_ = sum(step.bytes for step in alike)
        text = styled(names + more).append_text(styled(f"  {size(bytes_)}" if bytes_ else "", QUIET))
        rows.append((Text(f"{_GLYPHS[kind]} {kind}", style=VERDICTS["sound"][1]), text))
    return rows


def _step_rows(steps: list[Step], rig: str, verbose: bool) -> list[tuple[str | Text, ...]]:
    """The steps on a rig; of many a few of each kind, with how many others there are, where, and what shows them."""
    if verbose or len(steps) <= STEPS_SHOWN:
        return [step_row(step) for step in steps]
    kinds: dict[str, list[Step]] = {}
    for step in steps:
        kinds.setdefault(step.kind, []).append(step)
    rows: list[tuple[str | Text, ...]] = []
    for kind, alike in kinds.items():
        shown = alike if len(alike) <= ALIKE_SHOWN + 1 else alike[:ALIKE_SHOWN]
        rows += [step_row(step) for step in shown]
        if rest := alike[len(shown) :]:
            names = ", ".join(base(_place_of(step)) for step in rest[:NAMES_SHOWN])
            folders = len({parent(_place_of(step)) for step in rest})
            where = f" in {parent(_place_of(rest[0])) or 'the root'}" if folders == 1 else f" in {folders:,} folders"
            text = styled(f"{len(rest):,} more{where}: {names}{' …' if len(rest) > NAMES_SHOWN else ''}")
            text.append_text(styled(f"  {size(sum(step.bytes for step in rest))}", QUIET))
            text.append("\n").append_text(remedy(f"gribble plan --rig {rig} --only {kind} -v"))
            rows.append((Text(f"{_GLYPHS[kind]} {kind}", style=VERDICTS["sound"][1]), text))
    return rows


def _place_of(step: Step) -> str:
    """The path that a step is about."""
    return step.from_ if isinstance(step, Displace) else step.to


def show_gaps(
    screen: Screen, gaps: tuple[Gap, ...], refused: set[tuple[str, str, str]], *, verbose: bool = False
) -> None:
    """What only the user can get: files of needs, and archives of sets, whose files are told where everything is; of a
    set that is `refused` for it, some files are held."""
    if not gaps:
        return
    screen.out.print()
    screen.say(styled("To obtain", "bold"))
    files = [gap for gap in gaps if not gap.archive]
    archives: dict[tuple[str, str, Home], list[Gap]] = {}
    for gap in gaps:
        if gap.archive:
            archives.setdefault((gap.rig, gap.emulator, gap.home), []).append(gap)
    words_of = _gap_words if verbose or len(gaps) <= GAPS_IN_FULL else _gap_line
    rows: list[tuple[str | Text, ...]] = [(verdict(gap.verdict), gap.subject, words_of(gap)) for gap in files]
    for some in archives.values():
        text = _archive_words(some, refused)
        for gap in some if verbose else ():
            text.append("\n").append_text(styled(f"· {gap.file}: {_known(gap)}", QUIET))
        rows.append((verdict(some[0].verdict), some[0].archive, text))
    screen.grid(rows if verbose else rows[:LINES_SHOWN])
    if len(rows) > LINES_SHOWN and not verbose:
        words = f"{len(rows) - LINES_SHOWN:,} more"
        screen.say(styled(f"  and {words} (gribble plan -v, gribble report --csv FILE)", QUIET))


def show_awaited(screen: Screen, away: tuple[Bring, ...], most: int = LINES_SHOWN) -> None:
    """What each source that is away would bring."""
    for source in dict.fromkeys(one.source for one in away):
        brought = [one for one in away if one.source == source]
        total = size(sum(one.size for one in brought))
        screen.out.print()
        screen.say(styled(f"{source} is away", "bold"), f" and would bring {count(len(brought), 'file')}, {total}")
        rows = ((one, in_words(one.held.path, one.held.member)) for one in brought[:most])
        screen.grid([(f"{one.emulator}: {one.subject}", f"{base(one.to)}, there {where}") for one, where in rows])
        if len(brought) > most:
            screen.say(styled(f"  and {len(brought) - most:,} more (gribble plan -v shows them)", QUIET))


def _archive_words(some: list[Gap], refused: set[tuple[str, str, str]]) -> Text:
    """An archive to be got, and for which sets."""
    gap = some[0]
    part = "; not packed in part" if any((one.rig, one.emulator, one.subject) in refused for one in some) else ""
    sets = list(dict.fromkeys(one.title for one in some))
    titles = ", ".join(sets[:NAMES_SHOWN]) + (" …" if len(sets) > NAMES_SHOWN else "")
    text = styled(": ".join(filter(None, (archive_kind(gap.home, gap.release), archive_state(gap.home, some)))))
    return text.append_text(styled(f"\n{titles} for {gap.emulator} on {gap.rig}{part}", QUIET))


def _gap_line(gap: Gap) -> Text:
    """A file to be got, in two lines: for whom, and by what it is known for certain."""
    level = "" if gap.level == "must" else f", {gap.level}"
    bytes_ = f", {gap.size:,} bytes" if gap.size is not None else ""
    text = Text.assemble(styled(gap.file or gap.subject), styled(f"{bytes_}  {gap.emulator}{level}", QUIET))
    strongest = gap.digests.strongest()
    known = f"\n{DIGEST_NAMES[strongest]} {gap.digests.get(strongest)}" if strongest else ""
    return text.append_text(styled(known, QUIET))


def _gap_words(gap: Gap) -> Text:
    """The same with why."""
    level = "" if gap.level == "must" else f" ({gap.level})"
    text = Text.assemble(styled(gap.file or gap.subject, "bold"))
    text.append_text(styled(f"\n{gap.title} for {gap.emulator} on {gap.rig}{level}: {say_all(gap.facts)}"))
    return text.append_text(styled(f"\n{known}", QUIET)) if (known := _known(gap)) else text


def _known(gap: Gap) -> str:
    """All that a file to be got is known by."""
    known = [f"{gap.size:,} bytes"] if gap.size is not None else []
    return ", ".join([*known, *(f"{DIGEST_NAMES[name]} {digest}" for name, digest in gap.digests.known().items())])


def step_row(step: Step) -> tuple[str | Text, ...]:
    """One step as a row: its kind, and what it does."""
    return Text(f"{_GLYPHS[step.kind]} {step.kind}", style=VERDICTS["sound"][1]), step_words(step)


def step_words(step: Step) -> Text:
    """One step: where to, from what, and what goes to the attic for it."""
    match step:
        case Displace():
            return Text.assemble(styled(_shown(step.from_), "bold"), styled("  goes to the attic", QUIET))
        case Point():
            return _point_words(step)
        case Pack():
            return _pack_words(step)
        case Write():
            text = Text.assemble(styled(step.to, "bold"), *(styled(f"\n{line}") for line in step.text.splitlines()))
        case Rename() | Copy():
            text = Text.assemble(styled(step.to, "bold"), styled(f"\nfrom {_shown(step.from_)}"), _size_words(step))
        case Extract():
            what = _shown(step.from_, step.member)
            text = Text.assemble(styled(step.to, "bold"), styled(f"\nfrom {what}"), _size_words(step))
        case Mend():
            what = _shown(step.from_, step.member)
            if step.partner:
                what += f" and {_shown(step.partner, step.partner_member)}"
            text = Text.assemble(styled(step.to, "bold"), styled(f"\nfrom {what}"), _size_words(step))
        case _:
            assert_never(step)
    return text.append_text(_displaced_words(step))


def _shown(path: str, member: str | None = None) -> str:
    """A file as it is named, with the member of an archive before it."""
    source = shorten(path) if path.startswith("/") else path
    return in_words(source, member)


def _size_words(step: Step) -> Text:
    return styled(f"  {size(step.bytes)}" if step.bytes else "", QUIET)


def _displaced_words(step: Writing) -> Text:
    return styled(f"\nthe {base(step.replaces)} that is there now goes to the attic" if step.replaces else "")


def _point_words(step: Point) -> Text:
    text = Text.assemble(styled(step.to, "bold"))
    for point in step.points:
        text.append_text(styled(f"\n{point.key}: {point.value}")).append_text(styled(f"  not {point.was}", QUIET))
    return text.append_text(styled("\nthe current file goes to the attic"))


def _pack_words(step: Pack) -> Text:
    """An archive: how many members it gets, and from where those come that are new or have another name in it."""
    text = Text.assemble(styled(step.to, "bold"))
    if not step.members:
        return text.append_text(styled("\nan empty archive: its files are in the parent's"))
    text.append_text(styled(f"\n{count(len(step.members), 'file')}", ""))
    text.append_text(styled(f"  {size(step.bytes)}", QUIET))
    new = [one for one in step.members if (one.from_, one.member) != (step.replaces, one.name)]
    for member in new[:MEMBERS_SHOWN]:
        what = _shown("it" if member.from_ == step.replaces else member.from_, member.member)
        text.append_text(styled(f"\n{member.name} from {what}"))
    if len(new) > MEMBERS_SHOWN:
        text.append_text(styled(f"\nand {len(new) - MEMBERS_SHOWN:,} more", QUIET))
    surplus = "stays, although no wanted set needs it (gribble sets pack --lean leaves it out)"
    for names, words in ((step.surplus, surplus), (step.left_out, "of the old archive is left out")):
        more = len(names) - MEMBERS_SHOWN
        told = ", ".join(names[:MEMBERS_SHOWN]) + (f" and {more:,} more" if more > 0 else "")
        text.append_text(styled(f"\n{told} {words}" if names else ""))
    return text.append_text(_displaced_words(step))


def show_history(screen: Screen, runs: list[Run], away: Mapping[str, str]) -> None:
    """Every run, newest first; and the rigs that are away with their runs, each with the reason."""
    if runs:
        _show_runs(screen, runs)
    elif not away:
        screen.say("No runs yet. Gribble has placed nothing on these rigs.")
    for rig, why in away.items():
        screen.say(f"{rig} is away: {why}. Its list of runs is on it, so Gribble cannot show them now.")


def _show_runs(screen: Screen, runs: list[Run]) -> None:
    rows: list[tuple[str | Text, ...]] = [
        tuple(styled(title, "bold") for title in ("run", "rig", "when", "steps", "written", "state"))
    ]
    for run in runs:
        done = len(run.done)
        steps = f"{done}" if done == len(run.steps) else f"{done} of {len(run.steps)}"
        rows.append((str(run.number), run.rig, run.when, steps, size(run.bytes), run.state + "*" * bool(run.foreign)))
    screen.grid(rows, indent=0)
    for run in runs:
        if run.foreign:
            screen.say(f"* run {run.number} on {run.rig}: {run.foreign}. Gribble only shows it.")
            screen.next(f"gribble history --adopt {run.number}", "shows its steps, and asks whether you trust it")


def run_json(run: Run, refused: list[tuple[Step, str]]) -> dict[str, Any]:
    """A run as `history/1` has it, with how many steps it was to have, and those that were refused."""
    return {
        "run": run.number,
        "rig": run.rig,
        "when": zoned(run.when),
        "steps": len(run.done),
        "planned": len(run.steps),
        "bytes": run.bytes,
        "state": run.state,
        "failed": [{"step": step.kind, "to": step.place, "reason": reason} for step, reason in refused],
    }


def undone_json(run: Run, left: Mapping[str, str]) -> dict[str, Any]:
    """A run that was undone on a rig, or is being: how many steps, and what stays as it is."""
    return {
        "run": run.number,
        "rig": run.rig,
        "steps": len(run.back),
        "state": run.state,
        "left": [{"path": path, "reason": reason} for path, reason in left.items()],
    }


def history_json(runs: list[Run], away: Mapping[str, str]) -> dict[str, Any]:
    """`history/1`, with the rigs that are away with their runs."""
    return {
        "gribble": "history/1",
        "runs": [
            {
                "run": run.number,
                "rig": run.rig,
                "when": zoned(run.when),
                "steps": len(run.done),
                "bytes": run.bytes,
                "state": run.state,
                "foreign": bool(run.foreign),
            }
            for run in runs
        ],
        **({"away": [{"rig": rig, "reason": why} for rig, why in away.items()]} if away else {}),
    }


FILES_SHOWN = 8
"""How many files of one run are shown before the rest is folded."""


def show_attic(screen: Screen, kept: list[Kept], *, folded: bool = True) -> None:
    """How much there is, then run by run the files, the rest of a long list folded."""
    if not kept:
        screen.say("The attic is empty. No run has replaced a file.")
        return
    screen.say(styled(count(len(kept), "file"), "bold"), f" in the attic, {size(sum(one.size for one in kept))}.")
    for (run, rig, what), group in groupby(kept, key=lambda one: (one.run, one.rig, _what(one))):
        files = list(group)
        screen.out.print()
        weight = f"{count(len(files), 'file')}, {size(sum(one.size for one in files))}"
        screen.say(styled(f"run {run}  {rig}", "bold"), styled(f"  {what}: {weight}", QUIET))
        shown = files[:FILES_SHOWN] if folded and len(files) > FILES_SHOWN + 1 else files
        screen.grid([(one.path, size(one.size)) for one in shown])
        if len(shown) < len(files):
            screen.say(styled(f"  … and {len(files) - len(shown):,} more: gribble attic list --run {run}", QUIET))
    screen.next("gribble attic restore FILE", "brings one back; gribble attic empty deletes them, but asks first")


def _what(one: Kept) -> str:
    """Why a file is in the attic."""
    if one.undone:
        return "taken away by an undo"
    return "displaced" if one.needed else "displaced, and the run is undone"


def attic_json(kept: list[Kept]) -> dict[str, Any]:
    """`attic/1`."""
    return {
        "gribble": "attic/1",
        "files": [
            {
                "rig": one.rig,
                "run": one.run,
                "path": one.path,
                "size": one.size,
                "undone": one.undone,
                "needed": one.needed,
            }
            for one in kept
        ],
        "bytes": sum(one.size for one in kept),
    }
