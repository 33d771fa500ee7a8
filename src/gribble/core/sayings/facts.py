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
            return f"is there with different values {where}"
        case KeyVerdict.MALFORMED:
            return f"{entry.fault or f'is {entry.bytes} bytes long, not {right}'} {where}"
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
    parts = [f"{one.right} of {one.wanted} files are right"]
    parts += [f"{len(names)} {verdict} ({_some(names)})" for verdict, names in one.wrong]
    parts += [f"{len(one.surplus):,} that do not belong there ({_some(one.surplus)})"] if one.surplus else []
    return "; ".join(parts)


def _really(one: f.Really) -> str:
    return f"it is really {one.emulator}'s {one.need}{f' ({one.label})' if one.label else ''}"


def _rejected(one: f.Rejected) -> str:
    the = "" if one.label.startswith("version ") else "the "
    name = f"it is {the}{one.label}" if one.label else "it is known not to work"
    words = f"{name}: {one.why}".rstrip(". ") if one.why else name
    return f"{one.name} there: {words}" if one.name else words


def _spared(one: f.Spared) -> str:
    match one.how:
        case "accepted":
            return f"you chose to do without {one.by}, and one of these {one.of} is enough"
        case "there":
            return f"{one.by} is there, and one of these {one.of} is enough"
        case "chosen":
            return f"{one.by} is chosen, and one of these {one.of} is enough"
        case "as well":
            return f"works as well as {one.by}; one of these {one.of} is enough"


def _held_away(one: f.HeldAway) -> str:
    right = "right content, " if one.right else ""
    since = f" {one.since}" if one.since else ""
    by_name = "; only its name is known until that source is back" if one.by_name else ""
    return f"{right}in {one.source}, which is away{since}{by_name}{f': {one.file}' if one.file else ''}"


def _no_value(one: f.NoValue) -> str:
    set_in = f"set it once in {one.set_in} itself; " if one.set_in else ""
    should = "" if one.should is None else f" and should say {one.should}"
    return f"{one.file} {one.why}; {set_in}the setting is for {one.aim}{should}"


def _leads_to(one: f.LeadsTo) -> str:
    says = f"the setting is {one.value}, which leads to"
    match one.there:
        case "folder":
            return f"{says} {one.path}"
        case "file":
            return f"{says} {one.path}, the right file"
        case "place":
            return f"{says} {one.path}, where {one.name} belongs"
        case "nothing":
            return f"{says} {one.path}, and there is nothing"
        case "spelled":
            return f"{says} {one.path}, but it is spelled {one.name}"
        case "other folder":
            return f"{says} {one.path or 'the root'}, not to {one.name}"
        case "wrong":
            return f"{says} {one.path}, but {say(one.fault) if one.fault else 'which cannot be proven'}"


def _demanded(one: f.Demanded) -> str:
    is_volume = one.demand == "volume"
    there, wanted = (one.there, one.wanted) if is_volume else (f'"{one.there}"', f'"{one.wanted}"')
    if not one.there:
        say_it = f"say it as {one.demand} in [rig.{one.rig}] of gribble.toml"
        return f"must be {wanted}; Gribble cannot see what it is ({say_it})"
    if one.verdict == "sound":
        return f"is {there}, as it must be"
    if one.verdict == "unproven":
        return f"is {there}, and must be {wanted}; Gribble cannot see whether upper and lower case matter"
    fix = "format it yourself; Gribble never does that" if is_volume else "rename it"
    return f"is {there}, but must be {wanted}: {fix}"


def _cannot_read(one: f.CannotRead) -> str:
    return f"{one.why or 'this release cannot read it.'} It reads {', '.join(one.reads).lower()}."


def _not_listed(one: f.NotListed) -> str:
    files = f"{one.count} files" if one.count > 1 else "1 file"
    whose = f"{files} {f'that end in {one.ending}' if one.ending else 'without an ending'}"
    return f"{whose}; the sheet says nothing about {'them' if one.count > 1 else 'it'}"


def _no_id(one: f.NoId) -> str:
    end = "" if one.size is None else f", where it has {one.size:,} bytes"
    return f"has no id at byte {one.offset}{', by which its partner is known' if one.partner else end}"


def _wants_partner(one: f.WantsPartner) -> str:
    if one.by_id:
        shown = f"needs a {one.name} with the id {one.id}"
        shown += f"; {one.namesake[0]} there is for {one.namesake[1]}" if one.namesake else ""
    else:
        shown = f"needs {one.name}{f' (its id is {one.id})' if one.id else ''}"
    if one.spelled:
        return f"{shown}, which is spelled {one.spelled}"
    return (
        f"{shown} {one.where}; you have it as {one.held}" if one.held else f"{shown} {one.where}, which was not found"
    )


def _unknown_set(one: f.UnknownSet) -> str:
    if one.known_as:
        return f"release {one.release} calls this set {one.known_as}"
    others = f"; release {', '.join(one.others)} does" if one.others else ""
    return f"release {one.release} does not have this set{others}"


def _roster_gap(one: f.RosterGap) -> str:
    if one.role == "circle":
        return f"the parents of {one.name} run in a circle"
    return f'its {one.role} "{one.name}" is not in the roster'


def _other_content(one: f.OtherContent) -> str:
    if one.release:
        bad = f"it is from release {one.release}"
    elif one.size is not None:
        bad = f"it is {one.size:,} bytes long, not {one.right:,}"
    elif one.weak:
        bad = "its CRC-32 is right, but its stronger digest is wrong"
    else:
        bad = "its content is a different one"
    return f"in {one.archive}'s archive: {bad}" if one.archive else bad


_OTHER_KINDS = {
    "picture": "it is a picture",
    "document": "it is a document (PDF)",
    "shortcut": "it is a shortcut to something elsewhere, not the file itself",
    "pointer": "it is only a pointer to the file; fetch the file itself (git lfs pull)",
    "answer": "it is what a server says in place of a file (a download that went wrong?)",
    "torrent": "it is a torrent, with which the file can be fetched",
    "leftover": "it is a leftover of another system, which only says how to show a file or folder",
}
"""What a file is by its beginning, if it is no dump."""
_SAYINGS: dict[type[f.Fact], Callable[[Any], str]] = {
    f.InPlace: lambda one: (
        "right content, right name" if one.proven else "the name is right; the sheet has no digest to prove the content"
    ),
    f.InUse: lambda _: "the emulator has written to it since it was new",
    f.WrongName: lambda _: "right content, wrong name",
    f.OtherCase: lambda one: (
        "right content; the name differs only in upper and lower case, which is fine on this volume"
        + (", but not on the device" if one.minds else "")
    ),
    f.Elsewhere: lambda one: (
        f"right content, but {f'in the attic of run {one.attic}' if one.attic else 'in another place'}"
    ),
    f.Nowhere: lambda one: f"not found{' under this name' if one.by_name else ''}",
    f.NoneWorks: lambda _: "the sheet knows no file that works with this release",
    f.OnlyItsName: lambda one: f"you have {one.name}, but no digest can prove it; gribble place --by-name uses it",
    f.Namesakes: lambda one: (
        f"{len(one.paths):,} files have this name, and nothing shows which one is right: {_some(one.paths)}"
    ),
    f.WrongNamesake: lambda one: (
        f"{one.path} has this name, but {say(one.why)}"
        f"{' (it may be the same file, packed again, but that is no proof)' if one.archive else ''}"
    ),
    f.Damaged: lambda one: f"{one.name or 'it'} {damage_words(one.recipe, one.size)}",
    f.Beside: lambda one: f"the right file is next to it, as {one.name}",
    f.NoFile: lambda one: f"{one.name} {one.what}",
    f.LooseEnd: lambda one: f"{one.name} is a link that leads nowhere",
    f.Unexamined: lambda one: f"{one.why}; make it readable, then check again",
    f.Surplus: lambda one: (
        f"{say(one.really) if one.really else 'it does not belong to this need'}, and nothing else may be here"
    ),
    f.OneOfMany: _of_many,
    f.Really: _really,
    f.Rejected: _rejected,
    f.Empty: lambda _: "it is empty",
    f.OtherSize: lambda one: f"it is {one.size:,} bytes long, not {' or '.join(f'{size:,}' for size in one.right)}",
    f.SizeMistaken: lambda one: (
        f"right by its digest; the sheet says {one.said:,} bytes, but it has {one.size:,}: there the sheet is wrong"
    ),
    f.Unknown: lambda _: "no sheet knows this content",
    f.KeysAlready: lambda _: "it is a key file already",
    f.KeysUnread: lambda one: (
        f"it is larger than {size_words(KEYS_BYTES)}; a key file is never that large"
        if one.too_large
        else "it cannot be read"
    ),
    f.Keys: lambda one: keys_words(one.judged),
    f.Disguised: lambda one: f"it is a {one.kind} archive under another name",
    f.WebPage: lambda _: "it is a web page (a download that went wrong?)",
    f.OtherKind: lambda one: _OTHER_KINDS[one.kind],
    f.OneByte: lambda one: f"it contains only the byte {one.value:02X}",
    f.PlainText: lambda _: "it is plain text",
    f.LikeKeys: lambda one: f"it is a key file like {one.emulator}'s {one.need}, but {keys_words(one.judged)}",
    f.TooLarge: lambda _: f"it is too large for Gribble to find out what is wrong (limit: {MOST_BYTES >> 20} MiB)",
    f.NotLookedAt: lambda one: f"its content was not read: {one.why}",
    f.LacksKeys: lambda one: f"but it does not have {', '.join(one.names)}, which the firmware needs",
    f.Requires: lambda one: f"it needs {', '.join(one.names)}, but no key file in place has it",
    f.RequiredBy: lambda one: f"{one.need} needs it",
    f.Accepted: lambda _: "you chose to do without it",
    f.Spared: _spared,
    f.WorksHere: lambda one: (
        one.name + " works with this release" + (f", and needs {', '.join(one.keys)}" if one.keys else "")
    ),
    f.WouldFit: lambda one: f"{' or '.join(one.names)} would work with this release, but you do not have it",
    f.HasKeys: lambda one: f"{'this key file' if one.held else 'no key file of yours'} has {', '.join(one.names)}",
    f.WorksWith: lambda one: f"{one.name} works with release {one.releases} of {one.emulator}",
    f.Contended: lambda one: (
        f"{' and '.join(one.by)} {'needs' if len(one.by) == 1 else 'need'} a different file at {one.place}"
    ),
    f.FolderSpelled: lambda one: (
        f"{'right content, but ' if one.right else ''}the folder is spelled {one.there}, and the device finds only "
        f"{one.wanted}"
    ),
    f.NamedOddly: lambda one: f"not every system takes the name {one.path}",
    f.IsFolder: lambda one: f"{one.path} is a folder",
    f.IsThing: lambda one: f"{one.path} {one.what}",
    f.FileAbove: lambda one: f"{one.path} is a file, but a folder is needed there",
    f.LinkOut: lambda one: f"{one.path} is a link that leads out of the rig, to {one.to}",
    f.InSource: lambda one: f"{one.path} is a source ({one.where}), and Gribble never writes to a source",
    f.HeldAway: _held_away,
    f.SettingsUnread: lambda one: (
        f"{one.file} {one.why}{f'; start {one.start} once, so that it writes this file' if one.start else ''}"
    ),
    f.NoValue: _no_value,
    f.NotToldHere: lambda one: f"the setting is {one.value}, which {one.why}",
    f.SaysNothing: lambda _: "the setting is empty",
    f.LeadsOut: lambda one: f"the setting is {one.value}, which {one.why}",
    f.LeadsTo: _leads_to,
    f.IsFor: lambda one: f"it should lead to {one.what}",
    f.NoWayThere: lambda one: f"no path of that kind leads to {one.target}: set it in {one.emulator} itself",
    f.Demanded: _demanded,
    f.RootSpelled: lambda one: (
        f"the folder {one.there} is called {one.wanted} by the device, which compares names exactly: rename it"
    ),
    f.GamesSpelled: lambda one: f"the device, which compares names exactly, calls it {one.wanted}: rename it",
    f.DiscWrong: lambda one: f"{f'{one.file}: ' if one.file else ''}{one.why}",
    f.CannotRead: _cannot_read,
    f.MustBeZipped: lambda _: "is not zipped, but games must be zipped here",
    f.MustBeLoose: lambda one: f"is an archive, but games must not be packed here; unpack {one.member}",
    f.HoldsRefused: lambda one: (
        f"has {one.ending} files in it: {one.why or 'they cannot be read.'} The emulator reads {', '.join(one.reads)}"
    ),
    f.TooLargeToRead: lambda one: f"has {one.size:,} bytes; the emulator reads at most {one.most:,}",
    f.WantsFolder: lambda one: f"should be in a folder of its own{f', called like {one.named}' if one.named else ''}",
    f.FolderNamed: lambda one: f'its folder "{one.there}" must be called like {one.named}',
    f.NothingReadable: lambda one: f"has nothing in it that the emulator can read; it reads {', '.join(one.reads)}",
    f.NotListed: _not_listed,
    f.NoId: _no_id,
    f.PartnerNamed: lambda one: f"its partner would be {one.name}, which {one.fault}",
    f.WantsPartner: _wants_partner,
    f.PartnerWhy: lambda one: one.why,
    f.Orphan: lambda one: f"there is no {' or '.join(one.each)} here that it belongs to; alone it does nothing",
    f.OldUpdate: lambda one: f"is version {one.version}; {one.newer} is there too, and is enough",
    f.NoVersion: lambda one: f"has no version at byte {one.offset}",
    f.UnknownSet: _unknown_set,
    f.OtherVariant: lambda one: (
        f"runs with the {one.variant} version of {one.owner}, not {one.wished}; choose {one.wished} in the emulator"
    ),
    f.ArchiveSpelled: lambda one: (
        f"{one.there} must be spelled {one.wanted}, since the device compares names exactly: rename it"
    ),
    f.Plays: lambda one: (
        f"this release does not play it{' well' if one.well else ''}{f': {one.note}' if one.note else ''}"
    ),
    f.RosterGap: _roster_gap,
    f.PoorDump: lambda one: f"the only known {one.what} is a poor one",
    f.NotRead: lambda _: "its content was not read; gribble check --reread reads it",
    f.Whose: lambda one: f"its {one.role} {one.name}: ",
    f.BadArchive: lambda one: f"{one.name} {one.why or 'is an archive that this emulator cannot read'}",
    f.OtherContent: _other_content,
    f.HeldAt: lambda one: (
        f"you have it, but not where the emulator looks: {one.place}"
        if one.only
        else f"you have a right one: {one.place}"
    ),
    f.NotInRelease: lambda one: (
        f"not found; your {one.archive} is from release {one.release}, which does not have this file"
    ),
    f.SeveralArchives: lambda one: f"there are several archives of this set: {', '.join(one.names)}",
    f.ShouldBeCalled: lambda one: f"{one.name} should be called {one.right}",
    f.DiscBelongs: lambda one: f"the disc belongs at {one.place}",
    f.SamplesByName: lambda one: f"its {one.files} sound samples were checked by name only",
    f.DiscSays: lambda one: f"{one.name} {one.fault}" if one.fault else "its header says that it is another image",
}
"""The sentence for each kind of fact."""

_FIXES: dict[type[f.Fact], Callable[[Any], str]] = {
    f.Contended: lambda _: "give one of them a folder of its own in gribble.toml, or ignore it there",
    f.FolderSpelled: lambda one: f"rename it to {one.wanted}",
    f.NamedOddly: lambda one: (
        f"move it to {one.to}" if one.to else "give it a short, plain name: letters, digits, dots and hyphens"
    ),
    f.IsFolder: lambda _: "move it away",
    f.IsThing: lambda _: "move it away",
    f.FileAbove: lambda _: "move it away",
    f.LinkOut: lambda _: "put the file there yourself, or a folder in the link's place",
    f.InSource: lambda _: "put the file there yourself, or take it out of the sources",
}
"""What a person can do about each kind of fact for which a plan refuses a remedy."""


def _padded(recipe: Recipe, length: int) -> str:
    where = "at its start" if recipe.start else "at its end"
    return f"is padded {where} with {length - recipe.size:,} extra bytes of {recipe.value:02X}"


def _stripped(recipe: Recipe, length: int) -> str:
    where = "start" if recipe.start else "end"
    return f"is missing {recipe.size - length:,} bytes of {recipe.value:02X} at its {where}"


def _wrapped(recipe: Recipe, length: int) -> str:
    behind = length - recipe.size - recipe.start
    return f"has {recipe.start:,} extra bytes at its start and {behind:,} at its end"


def _text_mode(recipe: Recipe, _: int) -> str:
    done = "has lost its carriage returns" if recipe.value else "has a carriage return before each line feed"
    return f"{done}: it was transferred in text mode"


_DAMAGE: dict[Damage, Callable[[Recipe, int], str]] = {
    Damage.HEADER: lambda recipe, length: f"has {length - recipe.size:,} extra bytes at its start (a copier's header?)",
    Damage.TRAILER: lambda recipe, length: f"has {length - recipe.size:,} extra bytes at its end",
    Damage.WRAPPED: _wrapped,
    Damage.REPEATED: lambda recipe, length: f"contains the right content {length // recipe.size} times",
    Damage.PADDED: _padded,
    Damage.STRIPPED: _stripped,
    Damage.SWAPPED: lambda recipe, _: f"has its bytes swapped {SWAPS[recipe.value]}",
    Damage.WOVEN: lambda recipe, _: (
        "has all its even bytes first and then all its odd bytes" + (", the odd ones first" if recipe.start else "")
    ),
    Damage.UNWOVEN: lambda _, __: "has its two halves mixed byte by byte",
    Damage.HALVES: lambda _, __: "has its two halves in the wrong order",
    Damage.JOINED_HALF: lambda recipe, _: (
        f"is the {'second' if recipe.start else 'first'} half; you have the other half too"
    ),
    Damage.WOVEN_HALF: lambda recipe, _: (
        f"holds only the {'odd' if recipe.start else 'even'} bytes; you have the others too"
    ),
    Damage.TEXT_MODE: _text_mode,
    Damage.LOCKED: lambda _, __: "is locked by a key file that is held",
    Damage.FLIPPED: lambda recipe, _: f"has one flipped bit (bit {recipe.start % 8} of byte {recipe.start // 8:,})",
    Damage.CUT: lambda recipe, length: f"is cut short: it is the first {length:,} of {recipe.size:,} bytes",
}
"""What has happened to a file, by its length in bytes."""
