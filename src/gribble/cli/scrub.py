"""`gribble scrub`: what was proven once is read again, so that what changed without a new date is noticed."""

from __future__ import annotations

import os
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Annotated, Optional

import typer

from gribble.cli.command import Call, command
from gribble.cli.options import VerboseOption
from gribble.cli.session import Session
from gribble.cli.surveying import open_index, survey_with
from gribble.core.answers.scrub import Scrub, with_copies
from gribble.core.audit.world import World
from gribble.core.base.amounts import read_bytes, read_days
from gribble.core.base.errors import ExitCode
from gribble.core.records.rig_seen import RigSeen
from gribble.core.records.scrubbed import Found, Limits
from gribble.core.survey.facts import Facts
from gribble.core.survey.matching import KnownContents
from gribble.core.survey.scrubbing import Scrubber
from gribble.views.scrub import scrub_json, show_scrub

NS_A_DAY = 86_400 * 10**9


@command("scrub", takes="json config")
def scrub(
    call: Call,
    paths: Annotated[
        Optional[list[str]],  # noqa: UP045
        typer.Argument(metavar="PATH...", help="Only these files and folders.", show_default=False),
    ] = None,
    bytes_: Annotated[
        str, typer.Option("--bytes", metavar="SIZE", help="Read at most so much: 50GB, 20GiB.", show_default=False)
    ] = "",
    older: Annotated[
        str,
        typer.Option(
            "--older-than", metavar="DAYS", help="Only what was last read so long ago: 90d, 6w.", show_default=False
        ),
    ] = "",
    everything: Annotated[bool, typer.Option("--all", help="Files that no sheet knows, too.")] = False,
    verbose: VerboseOption = False,
) -> int:
    """Read again what was proven once, to find rot.

    The oldest proof first; what changed without a new date is told.

    It reads sources, rigs in folders and their attics, and changes nothing in them. What it has no time for, because of
    --bytes or Ctrl-C, it goes on with next time. Files that are rotten are told with a good copy, if one is held.

    Example: gribble scrub --bytes 50GB
    """
    budget = read_bytes(bytes_) if bytes_ else None
    before = time.time_ns() - read_days(older) * NS_A_DAY if older else None
    places = [str(call.environment.path(path)) for path in paths or ()]
    with Session(call) as session:
        known = session.loaded.known
        world, _ = survey_with(session, [place for place in places if _is_outside(place, session)], told=0)
        session.notes.aside(*_left_out(world))
        index = open_index(session)
        try:
            with session.screen.bar("Scrubbing") as bar:
                scrubber = Scrubber(
                    index,
                    _roots(world, session, places),
                    lambda facts: _could_be_known(facts, known),
                    about=frozenset(places) or None,
                    listener=bar,
                )
                limits = Limits(bytes=budget, before=before, everything=everything)
                done = scrubber.scrub(limits, "\0".join([str(everything), *sorted(places)]))
            proven = scrubber.proven() if done.findings else {}
            answer = Scrub(done, with_copies(done.findings, world, proven))
            if index.note:
                session.notes.aside(f"note: {index.note}")
        finally:
            index.close()
        if call.json:
            session.screen.json(scrub_json(answer))
        else:

            def called(one: Found) -> str:
                return next((match.need.called for match in known.matches(one.size, one.digests)), "")

            show_scrub(session.screen, answer, called, verbose=verbose)
        if done.stopped:
            return ExitCode.INTERRUPTED
        return ExitCode.ATTENTION if done.findings else ExitCode.CLEAN


def _left_out(world: World) -> Iterator[str]:
    """What is not read: rigs over the network, and what is away."""
    names = [f"{one.name} ({'away' if one.away else 'over the network'})" for one in world.rigs if _is_far(one)]
    names += [f"{one.source} (away)" for one in world.away]
    if names:
        yield f"note: left out: {', '.join(names)}"


def _is_far(rig: RigSeen) -> bool:
    return bool(rig.away) or "://" in rig.root


def _roots(world: World, session: Session, places: list[str]) -> list[tuple[Path, str]]:
    """The folders that are here, each with the path by which the index knows it: sources, rigs, and what was named."""
    away = {one.at for one in world.away}
    sources = [one for one in session.loaded.config.sources if one.known_at not in away]
    roots = [(Path(one.at), one.known_at) for one in sources if os.path.isdir(one.at)]
    roots += [(Path(rig.root), rig.root) for rig in world.rigs if not _is_far(rig)]
    outside = [Path(place) for place in places if _is_outside(place, session)]
    folders = dict.fromkeys(place if os.path.isdir(place) else place.parent for place in outside)
    return roots + [(folder, str(folder)) for folder in folders]


def _is_outside(place: str, session: Session) -> bool:
    """Whether a place lies in no source and on no rig."""
    config = session.loaded.config
    roots = [one.at for one in config.sources] + [rig.at for rig in config.rig.values() if not rig.far]
    return not any(Path(place).is_relative_to(root) for root in roots)


def _could_be_known(facts: Facts, known: KnownContents) -> bool:
    """Whether a member of an archive could be a content that a sheet or a roster knows."""
    sizes = facts.sketch.sizes if facts.sketch else [one.size for one in facts.members or () if one.size is not None]
    concerned = known.concerned()
    return any(size in concerned for size in sizes)
