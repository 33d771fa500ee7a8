"""The answer of `gribble needs`, for the terminal and as `needs/1`."""

from __future__ import annotations

from typing import Any

from msgspec import Struct
from rich.text import Text

from gribble.core.audit.audit import RigWorld
from gribble.core.audit.findings import Finding, Remedy, RigAudit
from gribble.core.catalogue.config import Fitted, fit_sheet
from gribble.core.catalogue.records import Accept, Need, Sheet
from gribble.core.catalogue.tables import suggest
from gribble.core.errors import GribbleError
from gribble.core.paths import join
from gribble.views.looks import DIGEST_NAMES, QUIET, VERDICTS, count, size
from gribble.views.screen import Screen, styled


class Wanted(Struct, frozen=True):
    """What one emulator needs: its fitted sheet, the rig it is on (if any) and the findings there by need."""

    fitted: Fitted
    rig: str = ""
    findings: dict[str, Finding] = {}

    def held(self, need: Need) -> bool | None:
        """Whether something held meets a need; None where no rig was looked at."""
        finding = self.findings.get(need.id)
        return None if finding is None else all(place.remedy is not Remedy.OBTAIN for place in finding.places)


def wanted_by_sheets(sheets: dict[str, Sheet], emulators: list[str]) -> list[Wanted]:
    """What the sheets ask for, whatever is installed. Raises GribbleError for an emulator without a sheet."""
    for emulator in emulators:
        if emulator not in sheets:
            raise GribbleError(f"no sheet for '{emulator}'{suggest(emulator, list(sheets))}")
    return [Wanted(fit_sheet(sheet)) for name, sheet in sorted(sheets.items()) if not emulators or name in emulators]


def wanted_on_rigs(rigs: tuple[RigWorld, ...], audits: tuple[RigAudit, ...]) -> list[Wanted]:
    """What the emulators in some audits ask for, with what is held."""
    fitted = {(rig.name, one.emulator): one for rig in rigs for one in rig.emulators}
    found = {
        (audit.rig, emulator.emulator): {finding.need.id: finding for finding in emulator.findings}
        for audit in audits
        for emulator in audit.emulators
    }
    return [Wanted(fitted[place], place[0], findings) for place, findings in found.items()]


def show_needs(screen: Screen, wanted: list[Wanted]) -> None:
    """A sheet to read before one starts: what is needed, for what, under which names."""
    for number, one in enumerate(wanted):
        if number:
            screen.out.print()
        fitted = one.fitted
        release = f" {fitted.release}" if fitted.release else ""
        screen.say(styled(fitted.title + release, "bold"), styled(f"  on {one.rig}" if one.rig else "", QUIET))
        if fitted.note:
            screen.say(f"  {fitted.note}")
        screen.grid([_row(one, need) for need in fitted.needs])
        held = [one.held(need) for need in fitted.needs]
        if None not in held:
            screen.say(f"  {sum(map(bool, held))} of {count(len(held), 'need')} held.")


def _row(one: Wanted, need: Need) -> tuple[str | Text, ...]:
    held = one.held(need)
    mark = "" if held is None else "● held" if held else "○ to get"
    colour = VERDICTS["sound" if held else "missing"][1]
    text = Text.assemble(styled(need.title or need.id, "bold"), styled(f"  {need.kind}, {need.level}", QUIET))
    lines = [f"as {join(one.fitted.folders[need.folder], need.name)}"]
    if need.any_name:
        lines[0] += " (any name will do)"
    elif need.aliases:
        lines.append(f"or named {', '.join(need.aliases)}")
    lines += [f"and as {join(one.fitted.folders[copy.folder], copy.name)}" for copy in need.also]
    if need.why:
        lines.append(need.why)
    lines += [_accept_words(accept) for accept in need.accept]
    for line in lines:
        text.append("\n").append_text(styled(line))
    return styled(mark, colour), styled(need.id), text


def _accept_words(accept: Accept) -> str:
    parts = [accept.label or accept.version or "accepted", accept.region or ""]
    if accept.size is not None:
        parts.append(f"{size(accept.size)} ({accept.size:,} bytes)")
    strongest = accept.strongest()
    if strongest:
        parts.append(f"{DIGEST_NAMES[strongest]} {accept.get(strongest)}")
    return "· " + ", ".join(part for part in parts if part)


def needs_json(wanted: list[Wanted]) -> dict[str, Any]:
    """`needs/1` (DESIGN.md section 12)."""
    return {
        "gribble": "needs/1",
        "emulators": [
            {
                "emulator": one.fitted.emulator,
                "release": one.fitted.release,
                "rig": one.rig or None,
                "needs": [_need_json(one, need) for need in one.fitted.needs],
            }
            for one in wanted
        ],
    }


def _need_json(one: Wanted, need: Need) -> dict[str, Any]:
    return {
        "need": need.id,
        "title": need.title or need.id,
        "level": need.level,
        "kind": need.kind,
        "names": list(need.names),
        "any_name": need.any_name,
        "folder": one.fitted.folders[need.folder],
        "also": [join(one.fitted.folders[copy.folder], copy.name) for copy in need.also],
        "why": need.why,
        "accepts": [
            {
                "label": accept.label or None,
                "region": accept.region,
                "version": accept.version,
                "size": accept.size,
                **accept.known(),
            }
            for accept in need.accept
        ],
        "held": one.held(need),
    }
