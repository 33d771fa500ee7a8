"""The audit of one small rig, and what it comes to."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from gribble.core.audit.judging.audit import audit
from gribble.core.audit.judging.case import Given
from gribble.core.audit.judging.keys import read_keys
from gribble.core.catalogue.config import fit_sheet
from gribble.core.placing.plan import make_plan
from gribble.core.records.config import Ask, Installed, Liking
from gribble.core.records.discs import Checked
from gribble.core.records.findings import RigAudit
from gribble.core.records.holding import Holding, key_of
from gribble.core.records.rig_seen import Readings, RigSeen, Unread
from gribble.core.records.sheet import Need, Sheet
from gribble.core.survey.holdings import HeldHere
from gribble.core.survey.matching import KnownContents
from tests.making import said
from tests.needs import held


def examine(
    needs: list[Need],
    files: dict[str, str],
    drawer: list[Holding] | None = None,
    *,
    regions: tuple[str, ...] = (),
    newest: bool = False,
    keys: dict[str, str] | None = None,
    release: str = "1",
    games: bool = False,
    ignore: tuple[str, ...] = (),
    settings: dict[tuple[str, str], bytes | Unread] | None = None,
    ids: dict[str, str] | None = None,
    rig: dict[str, Any] | None = None,
    more: Iterable[Holding] = (),
    folders: dict[str, str] | None = None,
    sheets: dict[tuple[str, str], tuple[Checked, ...]] | None = None,
    **sheet: Any,
) -> RigAudit:
    """The audit of one rig; `keys` are key files by path, those that begin with "drawer/" held in the drawer."""
    where = {"boot": "boot", "disk": "disk", **(folders or {})}
    made = Sheet(sheet=1, emulator="knot", folders=where, need=tuple(needs), **sheet)
    key_files = []
    for path, text in (keys or {}).items():
        on_rig = not path.startswith("drawer/")
        key_files.append((held(path.removeprefix("drawer/"), text, "den" if on_rig else ""), read_keys(text.encode())))
    own = [held(path, what, "den") for path, what in files.items()] + [one for one, _ in key_files if one.rig]
    fitted = fit_sheet(made, Installed(release=release, ignore=ignore), Liking(regions, newest))
    world = RigSeen(name="den", root="/den", emulators=(fitted,), holdings=HeldHere((*own, *more)), **(rig or {}))
    said_of = ids or {}
    told = [one for one in (*own, *(drawer or [])) if one.path in said_of]
    offset_ids = {(key_of(one), 4, 8): said_of[one.path] for one in told}
    readings = Readings(key_files=tuple(key_files), ids=offset_ids, settings=settings or {}, sheets=sheets or {})
    sources = [*(drawer or []), *(one for one, _ in key_files if not one.rig)]
    ask = Given(known=KnownContents([made]), readings=readings, ask=Ask(games=games))
    return audit([world], [HeldHere(sources)], ask)[0]


def verdicts(found: RigAudit) -> dict[str, tuple[str, str]]:
    return {f.need.id: (f.chief.verdict, f.chief.remedy) for f in found.emulators[0].findings}


def steps(found: RigAudit) -> list[tuple[str, str, str | None]]:
    return [(step.kind, *said(step, "from_", "to")) for step in make_plan([found]).steps]
