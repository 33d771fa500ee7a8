"""The answer of `gribble check` as `check/1`, and the parts of it that other answers have, too."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime
from typing import Any

from gribble.core.answers.looked import Since
from gribble.core.answers.next import Command
from gribble.core.records.findings import (
    Aside,
    EmulatorAudit,
    GameFinding,
    NeedFinding,
    PlaceFinding,
    RigAudit,
    SetAudit,
    SettingFinding,
    worst,
)
from gribble.core.records.holding import Away, Holding, Skipped
from gribble.core.sayings.facts import say, say_all
from gribble.views.looks import iso
from gribble.views.shell import written


def since_json(since: Since) -> dict[str, Any]:
    """What changed since an earlier check, as further keys of `check/1`; the time as ISO 8601 with its zone."""
    when = datetime.fromtimestamp(since.when).astimezone().isoformat(timespec="seconds") if since.when else None
    changes = [
        {"rig": one.rig, "emulator": one.emulator, one.kind: one.name, "was": one.was, "is": one.now}
        for one in since.changes
    ]
    return {"since": {"when": when, "changes": changes}}


def state_json(audits: tuple[RigAudit, ...], next_: Command | None, since: Since) -> dict[str, Any]:
    """`state/1`: each rig and emulator with its state, and the command that leads on."""
    return {
        "gribble": "state/1",
        "state": worst(found.state for found in audits),
        "rigs": [
            {
                "rig": found.rig,
                "root": found.root,
                "state": found.state,
                "away": found.away or None,
                "emulators": [
                    {"emulator": one.emulator, "release": one.release, "state": one.state} for one in found.emulators
                ],
            }
            for found in audits
        ],
        **since_json(since),
        "next": written(next_.words) if next_ else None,
    }


def check_json(
    audits: tuple[RigAudit, ...], away: tuple[Away, ...] = (), passed_over: Iterable[Skipped] = ()
) -> dict[str, Any]:
    """`check/1`, with the sources that are away, and every file that could not be looked into."""
    passed = [_passed_json(one) for one in passed_over]
    return {
        "gribble": "check/1",
        "state": worst(found.state for found in audits),
        "rigs": [
            {
                "rig": found.rig,
                "state": found.state,
                **({"away": found.away} if found.away else {}),
                "emulators": [_emulator_json(found.rig, emulator) for emulator in found.emulators],
            }
            for found in audits
        ],
        **({"away": [_source_json(one) for one in away]} if away else {}),
        **({"passed_over": passed} if passed else {}),
    }


def _passed_json(one: Skipped) -> dict[str, Any]:
    return {"path": one.path, "member": one.member or None, "reason": one.why}


def _source_json(one: Away) -> dict[str, Any]:
    return {"source": one.source, "at": one.at, "since": one.since or None, "files": one.files, "reason": one.why}


def _emulator_json(rig: str, emulator: EmulatorAudit) -> dict[str, Any]:
    return {
        "emulator": emulator.emulator,
        "release": emulator.release,
        "state": emulator.state,
        "note": emulator.note,
        "needs": [_finding_json(rig, finding) for finding in emulator.findings],
        "sets": [set_json(rig, one) for one in emulator.sets],
        "settings": [_setting_json(found) for found in emulator.settings],
        "root": [
            {"demand": found.subject.demand, "verdict": found.verdict, "reason": say_all(found.facts)}
            for found in emulator.root
        ],
        "media": [_game_json(rig, found) for found in emulator.games or ()],
        "spare": list(emulator.spare),
    }


def _game_json(rig: str, found: GameFinding) -> dict[str, Any]:
    loose = found.subject.fix.loose if found.subject.fix else ()
    use = loose[0].holding if loose else None
    return {
        "rule": found.subject.rule,
        "file": found.subject.file,
        "verdict": found.verdict,
        "remedy": found.remedy,
        "reason": say_all(found.facts),
        "use": {"path": _path_json(rig, use), "member": use.member} if use else None,
    }


def _finding_json(rig: str, finding: NeedFinding) -> dict[str, Any]:
    answer = {
        "need": finding.need.id,
        "level": finding.need.level,
        "kind": finding.need.kind,
        **place_json(rig, finding, finding.chief),
        "reason": say_all(finding.facts),
        "ignored": finding.ignored,
        "spared": say(finding.spared) if finding.spared else None,
        "lacks": list(finding.lacks),
        "ways": [
            {"change": way.change, "words": say(way.fact), "held": _path_json(rig, way.held) if way.held else None}
            for way in finding.ways
        ],
    }
    if finding.required_by:
        answer["required_by"] = finding.required_by
    if finding.redundant:
        answer["redundant"] = [{"path": one.path, "accept": accept.called or None} for one, accept in finding.redundant]
    if len(finding.places) > 1:
        answer["places"] = [place_json(rig, finding, place) for place in finding.places]
    return answer


def set_json(rig: str, one: SetAudit) -> dict[str, Any]:
    """One set of `check/1` and `sets/1`."""
    return {
        "set": one.set,
        "title": one.title,
        "state": one.state,
        "problems": [
            {
                "file": problem.subject.file,
                "owner": problem.subject.owner,
                "verdict": problem.verdict,
                "remedy": problem.remedy,
                "proof": problem.proof,
                "reason": say_all(problem.facts),
                "found": _path_json(rig, problem.found) if problem.found else None,
                "member": problem.found.member if problem.found else None,
                **away_json(problem.source),
            }
            for problem in one.problems
        ],
        "packing": list(map(say, one.packing)),
    }


def aside_json(aside: Aside) -> dict[str, Any]:
    """What else lies where the sets do, of `sets/1`."""
    strays = [{"path": path, "set": whose or None} for path, whose in aside.strays]
    return {"strays": strays, "unwanted": list(aside.unwanted), "others": list(aside.others)}


def _setting_json(found: SettingFinding) -> dict[str, Any]:
    return {
        "file": found.subject.file,
        "key": found.subject.setting.key,
        "need": found.subject.setting.need,
        "folder": found.subject.setting.folder,
        "verdict": found.verdict,
        "remedy": found.remedy,
        "value": found.subject.value,
        "wanted": found.subject.wanted or None,
        "reason": say_all(found.facts),
    }


def place_json(rig: str, finding: NeedFinding, place: PlaceFinding) -> dict[str, Any]:
    """One place: `found` is relative to the rig's root for files on it, absolute for others."""
    found, use = place.found, place.use
    return {
        "verdict": finding.verdict_at(place),
        "remedy": place.remedy,
        "accept": (place.accept.called or None) if place.accept else None,
        "expected": place.expected,
        "found": _path_json(rig, found) if found else None,
        "member": found.member if found else None,
        "proof": place.proof,
        "reason": say_all(place.facts),
        "use": {"path": _path_json(rig, use), "member": use.member} if use else None,
        **({"by_name": True} if place.by_name else {}),
        **({"proven": iso(place.proven)} if place.proven else {}),
        **away_json(place.source),
    }


def away_json(source: str) -> dict[str, Any]:
    """What is said of a finding that a source which is away can fill."""
    return {"away": True, "source": source} if source else {}


def _path_json(rig: str, holding: Holding) -> str:
    return holding.path if holding.rig == rig else holding.where
