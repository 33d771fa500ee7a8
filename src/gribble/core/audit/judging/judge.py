"""What a file is to a need: an accepted content, one it only could be, or no such thing, and why."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from msgspec import Struct

from gribble.core.audit.judging.keys import judge_keys
from gribble.core.base.budget import KEYS_BYTES
from gribble.core.records.facts import (
    BadArchive,
    Empty,
    Fact,
    InUse,
    Keys,
    KeysAlready,
    KeysUnread,
    NoneWorks,
    OneByte,
    OtherKind,
    OtherSize,
    Really,
    Rejected,
    Unknown,
    WebPage,
)
from gribble.core.records.findings import Proof, Verdict
from gribble.core.records.holding import FileKey, Holding, key_of
from gribble.core.records.keyfile import KeyFile, KeysJudgement
from gribble.core.records.place import Place
from gribble.core.records.rig_seen import Readings
from gribble.core.records.sheet import Accept, Level, Need, OtherRelease
from gribble.core.survey.matching import KnownContents, is_content

ENDINGS_OF = {
    "picture": (".png", ".gif", ".jpg", ".jpeg"),
    "document": (".pdf",),
    "shortcut": (".lnk", ".url", ".desktop"),
    "torrent": (".torrent",),
    "answer": (".txt", ".json", ".ini", ".cfg", ".log", ".md"),
}
"""What a file of another kind is called where a need may ask for it."""
MARKUP_ENDINGS = (".htm", ".html", ".xhtml", ".xml", ".svg")
"""Endings of files that begin as a saved page does."""


class Judgement(Struct, frozen=True, kw_only=True):
    """What a file is to a need. `fault` says what speaks against it, and `verdict` what that makes it; `note` what else
    is to be said of it."""

    accept: Accept | None = None
    proof: Proof = Proof.NONE
    fault: Fact | None = None
    verdict: Verdict = Verdict.IMPOSTER
    note: Fact | None = None

    @property
    def accepted(self) -> bool:
        """Whether nothing speaks against it."""
        return self.fault is None


def _has_ending(need: Need, endings: tuple[str, ...]) -> bool:
    return any(name.lower().endswith(endings) for name in need.names)


class Judge:
    """Judges files by known contents, and key files by what was read of them."""

    def __init__(self, known: KnownContents, readings: Readings, no_dumps: Mapping[FileKey, Fact]) -> None:
        """`no_dumps` say of files that were looked into what they plainly are, if they are no dumps."""
        self._known = known
        self._no_dumps = no_dumps
        self._key_files = readings.key_files
        self._by_key = {key_of(holding): file for holding, file in readings.key_files}

    def judge(self, place: Place, holding: Holding) -> Judgement:
        """What a file is to what is wanted at a place."""
        need = place.need
        if need.key:
            return self._judge_keys(need, holding)
        for accept in need.accept:
            if is_content(accept, holding.size, holding.digests):
                return Judgement(accept=accept, proof=proof_of(accept, holding))
        if why := self.rejected(need, holding):
            verdict = Verdict.UNFIT if self._of_other_release(need, holding) else Verdict.IMPOSTER
            return Judgement(proof=Proof.DIGEST, fault=why, verdict=verdict)
        undigested = [accept for accept in need.accept if accept.strongest() is None]
        fits = next((accept for accept in undigested if accept.size in (None, holding.size)), None)
        if fits or not (need.accept or place.unmeetable):
            return self._unprovable(need, holding, fits)
        if need.changes:
            fault = self._no_image(need, holding)
            return Judgement(proof=Proof.DIGEST, fault=fault) if fault else Judgement(note=InUse())
        told = len(undigested) < len(need.accept)
        return Judgement(proof=Proof.DIGEST if told else Proof.NONE, fault=self.wrong(need, holding))

    def _unprovable(self, need: Need, holding: Holding, fits: Accept | None) -> Judgement:
        """What a file is where no digest tells: accepted unless it is plainly no dump, and is not to be empty."""
        plainly = None if fits and fits.size == 0 else self.no_dump(need, holding)
        return Judgement(fault=plainly) if plainly else Judgement(accept=fits)

    def no_dump(self, need: Need, holding: Holding) -> Fact | None:
        """What a file plainly is if it is no dump, whatever the sheet knows; a text or a packed file may be what the
        need asks for, and so may markup, a picture or another kind where its name says so."""
        if holding.size == 0:
            return Empty()
        fact = self._no_dumps.get(key_of(holding))
        if isinstance(fact, WebPage):
            return None if _has_ending(need, MARKUP_ENDINGS) else fact
        if isinstance(fact, OtherKind):
            return None if _has_ending(need, ENDINGS_OF.get(fact.kind, ())) else fact
        return fact if isinstance(fact, OneByte | BadArchive) else None

    def rejected(self, need: Need, holding: Holding) -> Rejected | None:
        """What a file is that a need rejects, and why; None for another one."""
        known = (one for one in need.reject if is_content(one, holding.size, holding.digests))
        return next((Rejected(one.label, one.why) for one in known), None)

    def _of_other_release(self, need: Need, holding: Holding) -> bool:
        """Whether a file is a content that works with other releases alone."""
        others = (one for one in need.reject if isinstance(one, OtherRelease))
        return any(is_content(one, holding.size, holding.digests) for one in others)

    def _no_image(self, need: Need, holding: Holding) -> Fact | None:
        """Why a file cannot be one that was changed by being used; None if it may be."""
        if holding.size == 0:
            return Empty()
        if self._known.matches(holding.size, holding.digests):
            return self.wrong(need, holding)
        return self._no_dumps.get(key_of(holding))

    def wrong(self, need: Need, holding: Holding) -> Fact:
        """What a file that no accept fits really is, as far as that is known."""
        if known := self.known_as(holding):
            return known
        if need.key:
            return self._judge_keys(need, holding).fault or KeysAlready()
        sizes = sorted({accept.size for accept in need.accept if accept.size is not None})
        if sizes and holding.size not in sizes and len(sizes) == len({accept.size for accept in need.accept}):
            return OtherSize(holding.size, tuple(sizes))
        return Unknown() if need.accept else NoneWorks()

    def known_as(self, holding: Holding) -> Really | None:
        """What a file really is; None if no sheet knows it."""
        for other in self._known.matches(holding.size, holding.digests):
            return Really(other.emulator, other.need.called, other.content.label)
        return None

    def _judge_keys(self, need: Need, holding: Holding) -> Judgement:
        judged = self.keys(need, holding)
        if judged is None:
            return Judgement(fault=KeysUnread(too_large=holding.size > KEYS_BYTES))
        verdict = Verdict(judged.verdict)
        if verdict in (Verdict.DAMAGED, Verdict.IMPOSTER):
            return Judgement(proof=Proof.DIGEST, fault=Keys(judged), verdict=verdict)
        return Judgement(proof=Proof.DIGEST if verdict is Verdict.SOUND else Proof.NONE, note=Keys(judged))

    def keys(self, need: Need, holding: Holding) -> KeysJudgement | None:
        """A holding measured against a keys need; None if it was not read as a key file."""
        file = self._by_key.get(key_of(holding))
        return judge_keys(need, file) if file else None

    def names(self, holding: Holding) -> frozenset[str]:
        """Every name that a key file holds, known to a sheet or not."""
        file = self._by_key.get(key_of(holding))
        return frozenset(file.entries) if file else frozenset()

    def best_keys(self, need: Need, required: frozenset[str], keep: frozenset[str]) -> tuple[Holding, KeyFile] | None:
        """The key file that is sound for a need, has the `required` names besides, and loses none to `keep`; of several
        the one with the most keys that the need knows, of these the nearest.

        Where none has all that is required, the one that comes nearest to it.
        """
        best: tuple[tuple[int, int], Holding, KeyFile] | None = None
        known = {key.name for key in need.key} | required
        for holding, file in self._key_files:
            judged = judge_keys(need, file)
            if judged.verdict != Verdict.SOUND or not keep <= file.entries.keys():
                continue
            poor = len(required - judged.usable), -len(known & judged.usable)
            if best is None or poor < best[0]:
                best = (poor, holding, file)
        return best[1:] if best else None

    def best_keys_with(self, need: Need, names: frozenset[str]) -> Holding | None:
        """The nearest key file in which nothing speaks against some names."""
        for holding, file in self._key_files:
            if names <= judge_keys(need, file).usable:
                return holding
        return None

    def covering(self, need: Need, required: frozenset[str], first: Holding | None) -> tuple[Holding, ...]:
        """Loose key files that together have every key a need must have and `required` ones; none if that fails.

        The file in place (`first`) comes first, then whatever adds most.
        """
        lacking = {key.name for key in need.key if key.level is Level.MUST} | required
        files = [(one, judge_keys(need, file).usable) for one, file in self._key_files if one.member is None]
        files.sort(key=lambda pair: first is None or key_of(pair[0]) != key_of(first))
        chosen = []
        if first is not None and files and key_of(files[0][0]) == key_of(first):
            chosen.append(files[0][0])
            lacking -= files[0][1]
        while lacking and files:
            holding, usable = max(files, key=lambda pair: len(lacking & pair[1]))
            if not lacking & usable:
                return ()
            chosen.append(holding)
            lacking -= usable
        return tuple(chosen) if len(chosen) > 1 and not lacking else ()


def best_liked(accepts: Iterable[Accept], sound: list[tuple[Holding, Judgement]]) -> tuple[Holding, Judgement]:
    """Of several files that will do the one whose content stands first among some."""
    order = {id(accept): place for place, accept in enumerate(accepts)}
    return min(sound, key=lambda pair: order.get(id(pair[1].accept), len(order)))


def proof_of(accept: Accept, holding: Holding) -> Proof:
    """What it rests on that a holding is an accepted content."""
    return Proof.ARCHIVE if accept.strongest() == "crc32" and holding.carried else Proof.DIGEST
