"""What a file is to a need: an accepted content, one it only could be, or no such thing, and why."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from msgspec import Struct

from gribble.core.audit.judging.keys import judge_keys
from gribble.core.base.budget import KEYS_BYTES, size_words
from gribble.core.records.findings import Proof, Verdict
from gribble.core.records.fitted import Fitted
from gribble.core.records.holding import FileKey, Holding, key_of
from gribble.core.records.keyfile import KeyFile, KeysJudgement
from gribble.core.records.readings import Readings
from gribble.core.records.sheet import Accept, Level, Need, Reject
from gribble.core.survey.matching import KnownContents, is_content

IN_USE = "in use, differs from a fresh one"
"""What is said of a file that changes by being used."""


class Judgement(Struct, frozen=True, kw_only=True):
    """What a file is to a need. `fault` says what speaks against it, and `verdict` what that makes it."""

    accept: Accept | None = None
    proof: Proof = Proof.NONE
    fault: str = ""
    verdict: Verdict = Verdict.IMPOSTER
    reason: str = ""

    @property
    def accepted(self) -> bool:
        """Whether nothing speaks against it."""
        return not self.fault


class Judge:
    """Judges files by known contents, and key files by what was read of them."""

    def __init__(self, known: KnownContents, readings: Readings, no_dumps: Mapping[FileKey, str]) -> None:
        """`no_dumps` say of files that were looked into what they plainly are, if they are no dumps."""
        self._known = known
        self._no_dumps = no_dumps
        self._key_files = readings.key_files
        self._by_key = {key_of(holding): file for holding, file in readings.key_files}

    def judge(self, fitted: Fitted, need: Need, holding: Holding) -> Judgement:
        """What a file is to a need."""
        if need.key:
            return self._judge_keys(need, holding)
        for accept in need.accept:
            if is_content(accept, holding.size, holding.digests):
                return Judgement(accept=accept, proof=proof_of(accept, holding))
        if why := self.rejected(need, holding):
            return Judgement(proof=Proof.DIGEST, fault=why)
        undigested = [accept for accept in need.accept if accept.strongest() is None]
        for accept in undigested:
            if accept.size in (None, holding.size):
                return Judgement(accept=accept)
        if not need.accept and need.id not in fitted.unmeetable:
            return Judgement()
        if need.changes:
            fault = self._no_image(need, holding)
            return Judgement(proof=Proof.DIGEST, fault=fault) if fault else Judgement(reason=IN_USE)
        told = any(accept.strongest() for accept in need.accept)
        return Judgement(proof=Proof.DIGEST if told else Proof.NONE, fault=self.say_wrong(need, holding))

    def rejected(self, need: Need, holding: Holding) -> str:
        """What a file is that a need rejects, and why; empty for another one."""
        known = (one for one in need.reject if is_content(one, holding.size, holding.digests))
        return next((_say_reject(one) for one in known), "")

    def _no_image(self, need: Need, holding: Holding) -> str:
        """Why a file cannot be one that was changed by being used; empty where it may be."""
        if holding.size == 0:
            return "it is empty"
        if self._known.matches(holding.size, holding.digests):
            return self.say_wrong(need, holding)
        return self._no_dumps.get(key_of(holding), "")

    def say_wrong(self, need: Need, holding: Holding) -> str:
        """What a file that no accept fits really is, as far as that is known."""
        if known := self.known_as(holding):
            return known
        if need.key:
            return self._judge_keys(need, holding).fault or "it is a key file already"
        sizes = sorted({accept.size for accept in need.accept if accept.size is not None})
        if sizes and holding.size not in sizes and len(sizes) == len({accept.size for accept in need.accept}):
            wanted = " or ".join(f"{size:,}" for size in sizes)
            return f"it has {holding.size:,} bytes where {wanted} are right"
        if not need.accept:
            return "no content known works with this release"
        return "no sheet knows its content"

    def known_as(self, holding: Holding) -> str:
        """What a file really is; empty where no sheet knows it."""
        for other in self._known.matches(holding.size, holding.digests):
            label = f" ({other.content.label})" if other.content.label else ""
            return f"it is really {other.emulator}'s {other.need.called}{label}"
        return ""

    def _judge_keys(self, need: Need, holding: Holding) -> Judgement:
        judged = self.keys(need, holding)
        if judged is None:
            large = holding.size > KEYS_BYTES
            why = f"it is larger than {size_words(KEYS_BYTES)}, which no key file is" if large else "it cannot be read"
            return Judgement(fault=why)
        verdict = Verdict(judged.verdict)
        if verdict in (Verdict.DAMAGED, Verdict.IMPOSTER):
            return Judgement(proof=Proof.DIGEST, fault=judged.reason, verdict=verdict)
        return Judgement(proof=Proof.DIGEST if verdict is Verdict.SOUND else Proof.NONE, reason=judged.reason)

    def keys(self, need: Need, holding: Holding) -> KeysJudgement | None:
        """A holding measured against a keys need; None where it was not read as a key file."""
        file = self._by_key.get(key_of(holding))
        return judge_keys(need, file) if file else None

    def names(self, holding: Holding) -> frozenset[str]:
        """Every name that a key file holds, known to a sheet or not."""
        file = self._by_key.get(key_of(holding))
        return frozenset(file.entries) if file else frozenset()

    def best_keys(self, need: Need, required: frozenset[str], keep: frozenset[str]) -> tuple[Holding, KeyFile] | None:
        """The nearest key file that is sound for a need, has the `required` names besides, and loses none to `keep`.

        Where none has all that is required, the one that comes nearest to it.
        """
        best: tuple[int, Holding, KeyFile] | None = None
        for holding, file in self._key_files:
            judged = judge_keys(need, file)
            if judged.verdict != Verdict.SOUND or not keep <= file.entries.keys():
                continue
            lacking = len(required - judged.usable)
            if best is None or lacking < best[0]:
                best = (lacking, holding, file)
        return best[1:] if best else None

    def best_keys_with(self, need: Need, names: frozenset[str]) -> Holding | None:
        """The nearest key file in which nothing speaks against some names."""
        for holding, file in self._key_files:
            if names <= judge_keys(need, file).usable:
                return holding
        return None

    def covering(self, need: Need, required: frozenset[str], first: Holding | None) -> tuple[Holding, ...]:
        """Loose key files that together have every key a need must have and `required` ones; none where that fails.

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


def _say_reject(reject: Reject) -> str:
    the = "" if reject.label.startswith("version ") else "the "
    name = f"it is {the}{reject.label}" if reject.label else "it is a content known not to work"
    return f"{name}: {reject.why}".rstrip(". ") if reject.why else name
