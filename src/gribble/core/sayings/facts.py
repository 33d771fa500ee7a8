"""Facts to sentences, without a capital or a full stop, to be joined."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from gribble.core.base.budget import KEYS_BYTES, size_words
from gribble.core.records import facts as f
from gribble.core.records.findings import RootFinding
from gribble.core.records.keyfile import KeyFinding, KeysJudgement, KeyVerdict
from gribble.core.records.recipes import MOST_BYTES, SWAPS, Damage, Mending, Recipe
from gribble.core.records.sheet import Level


def say(fact: f.Fact) -> str:
    """The sentence for a fact."""
    return _SAYINGS[type(fact)](fact)


def say_all(facts: Iterable[f.Fact]) -> str:
    """The sentences for some facts, as one text."""
    text = ""
    for fact in facts:
        text += ("; " if text and not text.endswith(": ") else "") + say(fact)
    return text


def damage_words(recipe: Recipe, length: int) -> str:
    """What has happened to a file of a length in bytes: "is cut short"; it follows the name of the file."""
    return _DAMAGE[recipe.damage](recipe, length)


def mend_words(mend: Mending) -> str:
    """What has happened to the file that a content can be made from; it follows the name of the file."""
    return damage_words(mend.recipe, mend.holding.size)


def keys_words(judged: KeysJudgement) -> str:
    """What a key file was found to be, measured against a need."""
    if judged.fault:
        return f"it {judged.fault}"
    wanted = judged.wanted
    wrong = [one.key.name for one in wanted if one.verdict is KeyVerdict.IMPOSTER]
    lacking = [one for one in wanted if not one.usable]
    unproven = ", ".join(one.key.name for one in wanted if one.verdict is KeyVerdict.UNPROVEN)
    if wrong:
        reason = f"{', '.join(wrong)} {'is' if len(wrong) == 1 else 'are'} not the right one"
    elif lacking and any(one.key.level is Level.MUST for one in lacking):
        reason = "; ".join(f"{one.key.name} {key_words(one)}" for one in lacking)
    elif unproven:
        reason = f"{unproven}: the sheet gives no fingerprint to prove it"
    elif lacking or not wanted:
        reason = "nothing in it can be proven"
    else:
        reason = f"{len(wanted)} of {len(wanted)} keys proven"
    if judged.unknown:
        reason += f"; {judged.unknown} {'name' if judged.unknown == 1 else 'names'} that the sheet does not know"
    return reason


def key_words(found: KeyFinding) -> str:
    """What is true of one key in a file, to follow its name; empty for a sound one."""
    entry, right = found.entry, found.key.bytes
    if entry is None:
        return "is missing"
    where = f"(line {', '.join(map(str, entry.lines))})"
    match found.verdict:
        case KeyVerdict.CONFLICTING:
            return f"stands there with different values {where}"
        case KeyVerdict.MALFORMED:
            return f"{entry.fault or f'has {entry.bytes} bytes where {right} are right'} {where}"
        case KeyVerdict.UNPROVEN:
            return "the sheet gives no fingerprint"
        case KeyVerdict.IMPOSTER:
            return f"is not the right one {where}"
        case _:
            return ""


def root_words(found: RootFinding) -> str:
    """What is true of a demand on a rig's root, with what it is said of."""
    what = {"volume": "the volume ", "label": "the volume's label "}.get(found.subject.demand, "")
    return f"{what}{say_all(found.facts)}"


def fix_words(refusal: f.Fact) -> str:
    """What a person can do where a plan cannot."""
    return _FIXES[type(refusal)](refusal)


def refusal_words(refusal: f.Fact) -> str:
    """Why a plan does not do something, and what the person can do about it."""
    return f"{say(refusal)}; {fix_words(refusal)}"


def _some(names: tuple[str, ...]) -> str:
    return f"{', '.join(names[:3])}{', …' if len(names) > 3 else ''}"


def _of_many(one: f.OneOfMany) -> str:
    parts = [f"{one.right} of {one.wanted} files right"]
    parts += [f"{len(names)} {verdict} ({_some(names)})" for verdict, names in one.wrong]
    parts += [f"{len(one.surplus)} too many there ({_some(one.surplus)})"] if one.surplus else []
    return "; ".join(parts)


def _really(one: f.Really) -> str:
    return f"it is really {one.emulator}'s {one.need}{f' ({one.label})' if one.label else ''}"


def _rejected(one: f.Rejected) -> str:
    the = "" if one.label.startswith("version ") else "the "
    name = f"it is {the}{one.label}" if one.label else "it is a content known not to work"
    words = f"{name}: {one.why}".rstrip(". ") if one.why else name
    return f"{one.name} there: {words}" if one.name else words


def _spared(one: f.Spared) -> str:
    match one.how:
        case "accepted":
            return f"you accept the gap of {one.by}, and one of them is enough"
        case "there":
            return f"{one.by} is there, and one of the {one.of} is enough"
        case "chosen":
            return f"{one.by} is chosen, and one of the {one.of} is enough"
        case "as well":
            return f"would do as well as {one.by}; one of the {one.of} is enough"


def _held_away(one: f.HeldAway) -> str:
    right = "right content, " if one.right else ""
    since = f" {one.since}" if one.since else ""
    by_name = ", by its name; what it is, is seen when it is here" if one.by_name else ""
    return f"{right}held in {one.source}, away{since}{by_name}{f': {one.file}' if one.file else ''}"


def _no_value(one: f.NoValue) -> str:
    set_in = f"set it once in {one.set_in} itself; " if one.set_in else ""
    should = "" if one.should is None else f" and should say {one.should}"
    return f"{one.file} {one.why}; {set_in}it is for {one.aim}{should}"


def _leads_to(one: f.LeadsTo) -> str:
    says = f"it says {one.value}, which leads to"
    match one.there:
        case "folder":
            return f"{says} {one.path}"
        case "file":
            return f"{says} {one.path}, the right file"
        case "place":
            return f"{says} {one.path}, where {one.name} belongs"
        case "nothing":
            return f"{says} {one.path}, where nothing is"
        case "spelled":
            return f"{says} {one.path}; it is spelled {one.name} there"
        case "other folder":
            return f"{says} {one.path or 'the root'}, not to {one.name}"
        case "wrong":
            return f"{says} {one.path}, but {say(one.fault) if one.fault else 'which cannot be proven'}"


def _demanded(one: f.Demanded) -> str:
    is_volume = one.demand == "volume"
    there, wanted = (one.there, one.wanted) if is_volume else (f'"{one.there}"', f'"{one.wanted}"')
    if not one.there:
        return f"must be {wanted}; what it is cannot be seen from here (rig.{one.rig}.{one.demand} may say it)"
    if one.verdict == "sound":
        return f"is {there}, as it must be"
    if one.verdict == "unproven":
        return f"is {there}, and must be {wanted}; whether case matters cannot be seen from here"
    fix = "it has to be formatted anew, which Gribble never does" if is_volume else "rename it"
    return f"is {there}, but must be {wanted}: {fix}"


def _cannot_read(one: f.CannotRead) -> str:
    return f"{one.why or 'this release cannot read it.'} It reads {', '.join(one.reads).lower()}."


def _not_listed(one: f.NotListed) -> str:
    files = f"{one.count} files" if one.count > 1 else "1 file"
    return f"{files} {f'in {one.ending}' if one.ending else 'without an ending'}, of which the sheet says nothing"


def _no_id(one: f.NoId) -> str:
    end = "" if one.size is None else f", where it has {one.size:,} bytes"
    return f"holds no id at byte {one.offset} to {'know its partner by' if one.partner else f'be known by{end}'}"


def _wants_partner(one: f.WantsPartner) -> str:
    if one.by_id:
        shown = f"wants a {one.name} with the id {one.id}"
        shown += f"; {one.namesake[0]} there is for {one.namesake[1]}" if one.namesake else ""
    else:
        shown = f"wants {one.name}{f' (its id is {one.id})' if one.id else ''}"
    if one.spelled:
        return f"{shown}, which is spelled {one.spelled} there"
    return (
        f"{shown} {one.where}; it is held as {one.held}" if one.held else f"{shown} {one.where}, which is nowhere here"
    )


def _unknown_set(one: f.UnknownSet) -> str:
    if one.known_as:
        return f"release {one.release} knows it as {one.known_as}"
    others = f"; release {', '.join(one.others)} does" if one.others else ""
    return f"release {one.release} knows no such set{others}"


def _roster_gap(one: f.RosterGap) -> str:
    if one.role == "circle":
        return f"the parents of {one.name} run in a circle"
    return f'its {one.role} "{one.name}" is not in the roster'


def _other_content(one: f.OtherContent) -> str:
    if one.release:
        bad = f"it is the one of release {one.release}"
    elif one.size is not None:
        bad = f"it has {one.size:,} bytes where {one.right:,} are right"
    elif one.weak:
        bad = "its CRC-32 is the right one, but its stronger digest is not"
    else:
        bad = "its content is another one"
    return f"in {one.archive}'s archive: {bad}" if one.archive else bad


_SAYINGS: dict[type[f.Fact], Callable[[Any], str]] = {
    f.InPlace: lambda one: (
        "right content, right name" if one.proven else "right name; the sheet gives no digest to prove it"
    ),
    f.InUse: lambda _: "in use, differs from a fresh one",
    f.WrongName: lambda _: "right content, wrong name",
    f.OtherCase: lambda one: (
        "right content; the name differs in case, which this volume forgives"
        + (", but not the device" if one.minds else "")
    ),
    f.Elsewhere: lambda one: f"right content, but {f'in the attic of run {one.attic}' if one.attic else 'not here'}",
    f.Nowhere: lambda one: f"nowhere here{', by its name' if one.by_name else ''}",
    f.NoneWorks: lambda _: "no content known works with this release",
    f.OnlyItsName: lambda one: f"{one.name} is held, but no digest can prove it; place --by-name takes it",
    f.Namesakes: lambda one: (
        f"{len(one.paths)} files have its name, and nothing tells which is right: {_some(one.paths)}"
    ),
    f.WrongNamesake: lambda one: (
        f"{one.path} has its name, but {say(one.why)}"
        f"{' (it may hold the same, packed again, which is no proof)' if one.archive else ''}"
    ),
    f.Damaged: lambda one: f"{one.name or 'it'} {damage_words(one.recipe, one.size)}",
    f.Beside: lambda one: f"the right one lies beside it as {one.name}",
    f.NoFile: lambda one: f"{one.name} {one.what}",
    f.LooseEnd: lambda one: f"{one.name} is a link that leads nowhere",
    f.Unexamined: lambda one: f"{one.why}; make it readable, then check again",
    f.Surplus: lambda one: (
        f"{say(one.really) if one.really else 'it is no file of this need'}, and nothing else may lie here"
    ),
    f.OneOfMany: _of_many,
    f.Really: _really,
    f.Rejected: _rejected,
    f.Empty: lambda _: "it is empty",
    f.OtherSize: lambda one: (
        f"it has {one.size:,} bytes where {' or '.join(f'{size:,}' for size in one.right)} are right"
    ),
    f.SizeMistaken: lambda one: (
        f"right by its digest; the sheet says {one.said:,} bytes, but it has {one.size:,}: there the sheet is wrong"
    ),
    f.Unknown: lambda _: "no sheet knows its content",
    f.KeysAlready: lambda _: "it is a key file already",
    f.KeysUnread: lambda one: (
        f"it is larger than {size_words(KEYS_BYTES)}, which no key file is" if one.too_large else "it cannot be read"
    ),
    f.Keys: lambda one: keys_words(one.judged),
    f.Disguised: lambda one: f"it is a {one.kind} archive under another name",
    f.WebPage: lambda _: "it is a web page (a download that went wrong?)",
    f.OneByte: lambda one: f"it holds nothing but bytes of {one.value:02X}",
    f.PlainText: lambda _: "it is plain text",
    f.LikeKeys: lambda one: f"it is a key file like {one.emulator}'s {one.need}, but {keys_words(one.judged)}",
    f.TooLarge: lambda _: f"it is too large to be diagnosed (limit: {MOST_BYTES >> 20} MiB)",
    f.NotLookedAt: lambda one: f"its content was not looked at: {one.why}",
    f.LacksKeys: lambda one: f"but it has no {', '.join(one.names)}, which the firmware requires",
    f.Requires: lambda one: f"it requires {', '.join(one.names)}, which no key file in place has",
    f.RequiredBy: lambda one: f"{one.need} requires it",
    f.Accepted: lambda _: "you accept this gap",
    f.Spared: _spared,
    f.WorksHere: lambda one: (
        one.name + " works with this release" + (f", and requires {', '.join(one.keys)}" if one.keys else "")
    ),
    f.WouldFit: lambda one: f"{' or '.join(one.names)} would fit this release, but is not held",
    f.HasKeys: lambda one: f"{'this key file' if one.held else 'no key file that is held'} has {', '.join(one.names)}",
    f.WorksWith: lambda one: f"{one.name} works with release {one.releases} of {one.emulator}",
    f.Contended: lambda one: (
        f"{' and '.join(one.by)} {'wants' if len(one.by) == 1 else 'want'} {one.place} for another content"
    ),
    f.FolderSpelled: lambda one: (
        f"{'right content, but ' if one.right else ''}the folder is spelled {one.there}, and the device finds only "
        f"{one.wanted}"
    ),
    f.IsFolder: lambda one: f"{one.path} is a folder",
    f.IsThing: lambda one: f"{one.path} {one.what}",
    f.FileAbove: lambda one: f"{one.path} is a file where a folder is wanted",
    f.LinkOut: lambda one: f"{one.path} is a link that leads out of the rig, to {one.to}",
    f.InSource: lambda one: f"{one.path} is a source ({one.where}), and sources are never written",
    f.HeldAway: _held_away,
    f.SettingsUnread: lambda one: (
        f"{one.file} {one.why}{f'; start {one.start} once, so that it writes it' if one.start else ''}"
    ),
    f.NoValue: _no_value,
    f.NotToldHere: lambda one: f"it says {one.value}, which {one.why}",
    f.SaysNothing: lambda _: "it says nothing",
    f.LeadsOut: lambda one: f"it says {one.value}, which {one.why}",
    f.LeadsTo: _leads_to,
    f.IsFor: lambda one: f"it is for {one.what}",
    f.NoWayThere: lambda one: f"no path that begins so leads to {one.target}: set it in {one.emulator} itself",
    f.Demanded: _demanded,
    f.RootSpelled: lambda one: (
        f"the folder {one.there} is called {one.wanted} by the device, which compares names exactly: rename it"
    ),
    f.GamesSpelled: lambda one: f"the device, which compares names exactly, calls it {one.wanted}: rename it",
    f.DiscWrong: lambda one: f"{f'{one.file}: ' if one.file else ''}{one.why}",
    f.CannotRead: _cannot_read,
    f.MustBeZipped: lambda _: "lies loose, but games must be zipped here",
    f.MustBeLoose: lambda one: f"is an archive, but games must lie loose here; unpack {one.member}",
    f.HoldsRefused: lambda one: (
        f"holds {one.ending} files: {one.why or 'they cannot be read'} it reads {', '.join(one.reads)}"
    ),
    f.TooLargeToRead: lambda one: f"has {one.size:,} bytes; the largest that can be read has {one.most:,}",
    f.WantsFolder: lambda one: f"should lie in a folder of its own{f', called like {one.named}' if one.named else ''}",
    f.FolderNamed: lambda one: f'its folder "{one.there}" must be called like {one.named}',
    f.NothingReadable: lambda one: f"holds nothing that can be read; it reads {', '.join(one.reads)}",
    f.NotListed: _not_listed,
    f.NoId: _no_id,
    f.PartnerNamed: lambda one: f"its partner would be {one.name}, which {one.fault}",
    f.WantsPartner: _wants_partner,
    f.PartnerWhy: lambda one: one.why,
    f.Orphan: lambda one: f"belongs to no {' or '.join(one.each)} here; it does nothing by itself",
    f.OldUpdate: lambda one: f"is version {one.version}; {one.newer} is there as well, and is enough",
    f.NoVersion: lambda one: f"holds no version at byte {one.offset}",
    f.UnknownSet: _unknown_set,
    f.OtherVariant: lambda one: (
        f"runs with variant {one.variant} of {one.owner}, not {one.wished}; choose it in the emulator"
    ),
    f.ArchiveSpelled: lambda one: (
        f"{one.there} is spelled otherwise than {one.wanted}, and the device minds: rename it"
    ),
    f.Plays: lambda one: (
        f"this release does not play it{' well' if one.well else ''}{f': {one.note}' if one.note else ''}"
    ),
    f.RosterGap: _roster_gap,
    f.PoorDump: lambda one: f"the only {one.what} known is a poor one",
    f.NotRead: lambda _: "its content was not read; gribble check --reread does",
    f.Whose: lambda one: f"its {one.role} {one.name}: ",
    f.BadArchive: lambda one: f"{one.name} {one.why or 'is an archive that this emulator cannot read'}",
    f.OtherContent: _other_content,
    f.HeldAt: lambda one: (
        f"not where the emulator looks, but held: {one.place}" if one.only else f"a right one is held: {one.place}"
    ),
    f.NotInRelease: lambda one: f"nowhere here; your {one.archive} is release {one.release}'s, which has no such file",
    f.SeveralArchives: lambda one: f"several archives of this set lie there: {', '.join(one.names)}",
    f.ShouldBeCalled: lambda one: f"{one.name} should be called {one.right}",
    f.DiscBelongs: lambda one: f"the disc belongs at {one.place}",
    f.SamplesByName: lambda one: f"its {one.files} sound samples are told by their names alone",
    f.DiscSays: lambda one: f"{one.name} {one.fault}" if one.fault else "by its header it is another image",
}
"""The sentence for each kind of fact."""

_FIXES: dict[type[f.Fact], Callable[[Any], str]] = {
    f.Contended: lambda _: "give one of them a folder of its own in gribble.toml, or ignore it there",
    f.FolderSpelled: lambda one: f"rename it to {one.wanted}",
    f.IsFolder: lambda _: "move it away",
    f.IsThing: lambda _: "move it away",
    f.FileAbove: lambda _: "move it away",
    f.LinkOut: lambda _: "put the file there yourself, or a folder in the link's place",
    f.InSource: lambda _: "put the file there yourself, or take it out of the sources",
}
"""What a person can do about each kind of fact for which a plan refuses a remedy."""


def _padded(recipe: Recipe, length: int) -> str:
    where = "in front" if recipe.start else "at its end"
    return f"is padded {where} with {length - recipe.size:,} bytes of {recipe.value:02X}"


def _stripped(recipe: Recipe, length: int) -> str:
    where = "front" if recipe.start else "end"
    return f"has lost {recipe.size - length:,} bytes of {recipe.value:02X} at its {where}"


def _wrapped(recipe: Recipe, length: int) -> str:
    behind = length - recipe.size - recipe.start
    return f"carries {recipe.start:,} bytes in front and {behind:,} at its end that do not belong to it"


def _text_mode(recipe: Recipe, _: int) -> str:
    done = "has lost its carriage returns" if recipe.value else "has a carriage return before each line feed"
    return f"{done}: it went through a text-mode transfer"


_DAMAGE: dict[Damage, Callable[[Recipe, int], str]] = {
    Damage.HEADER: lambda recipe, length: (
        f"carries {length - recipe.size:,} bytes in front that do not belong to it (a copier's header?)"
    ),
    Damage.TRAILER: lambda recipe, length: (
        f"carries {length - recipe.size:,} bytes at its end that do not belong to it"
    ),
    Damage.WRAPPED: _wrapped,
    Damage.REPEATED: lambda recipe, length: f"holds the content {length // recipe.size} times over",
    Damage.PADDED: _padded,
    Damage.STRIPPED: _stripped,
    Damage.SWAPPED: lambda recipe, _: f"has its bytes swapped {SWAPS[recipe.value]}",
    Damage.WOVEN: lambda recipe, _: (
        "holds the even bytes and the odd bytes one after the other" + (", odd ones first" if recipe.start else "")
    ),
    Damage.UNWOVEN: lambda _, __: "has its two halves woven into one another",
    Damage.HALVES: lambda _, __: "has its two halves in the wrong order",
    Damage.JOINED_HALF: lambda recipe, _: (
        f"is the {'second' if recipe.start else 'first'} half; the other half is held too"
    ),
    Damage.WOVEN_HALF: lambda recipe, _: (
        f"holds only the {'odd' if recipe.start else 'even'} bytes; the others are held too"
    ),
    Damage.TEXT_MODE: _text_mode,
    Damage.LOCKED: lambda _, __: "is locked by a key file that is held",
    Damage.FLIPPED: lambda recipe, _: f"has one flipped bit (bit {recipe.start % 8} of byte {recipe.start // 8:,})",
    Damage.CUT: lambda recipe, length: f"is cut short: it is the first {length:,} of {recipe.size:,} bytes",
}
"""What has happened to a file, by its length in bytes."""
