"""The words by which people head their columns and fill them, in eight languages, as words.toml has them."""

from __future__ import annotations

import re
import tomllib
import unicodedata
from pathlib import Path

from gribble.core.base.digests import HEX_LENGTHS
from gribble.core.base.regular import MOST_TEXT, read_text


def plain(text: str) -> str:
    """A text without accents, capitals and signs."""
    shown = unicodedata.normalize("NFKD", text.casefold().replace("ß", "ss"))
    shown = "".join(sign for sign in shown if not unicodedata.combining(sign) or sign in "\u3099\u309a")
    shown = unicodedata.normalize("NFKC", shown)
    shown = re.sub(r"[^\w○◯✓✔✅●×✗✘❌△⭕⚠🟢🟡🔴]+|_", " ", shown)
    return " ".join(shown.split()) or text.strip().casefold()


MOST_WORDS = 24
"""A head of more words is prose; only so many are looked at."""
_SAID = tomllib.loads(read_text(Path(__file__).with_name("words.toml"), MOST_TEXT, "utf-8"))
_HEADS = {field: frozenset(map(plain, words)) for field, words in _SAID["heads"].items()}
_MEANINGS: dict[str, dict[str, str]] = {
    what: {plain(phrase): word for word, phrases in words.items() for phrase in phrases}
    for what, words in _SAID["meanings"].items()
}
_PLAYS = dict(
    sorted(((one, word) for one, word in _MEANINGS["plays"].items() if len(one) > 3), key=lambda one: -len(one[0]))
)
"""What says in a sentence how something plays, the longest first: "not working" before "working"."""
SENTENCE = {kind: frozenset(words) for kind, words in _SAID["sentence"].items()}
"""The words with which a sentence that tells of a file begins: `acts`, and `others` beside them."""
STOP_WORDS = frozenset(_SAID["stop"]["words"])
"""Words in a title or the name of a file that are no name of an emulator."""
BLANKS = frozenset(_SAID["blanks"]["words"])
"""What people write where they have nothing to say."""
BINARY_UNITS = {word: int(bits) for bits, words in _SAID["units"].items() for word in words.split()}
"""How many bits the words for units stand for where a K is 1,024."""


LONGEST_HEAD = 200
"""What has more characters is prose; only so many are looked at."""
EXACT = 3
"""The points of a head that is a field's name."""


def head_points(head: str, field: str) -> int:
    """How surely a column's name names a field: 3 where it is its name, 2 where it has it among other words, else 0."""
    head = head[:LONGEST_HEAD]
    shown = plain(re.sub(r"[(\[].*?[)\]]", " ", head)) or plain(head)
    whole = plain(re.sub(r"(?<=[a-z])(?=[A-Z])", " ", head))
    if _HEADS[field] & {shown, whole, shown.replace(" ", "")}:
        return 3
    words = whole.split()[:MOST_WORDS]
    if field == "level" and head_points(head, "unneeded"):
        return 0  # "not required" turns the meaning round
    spans = {" ".join(words[at:end]) for at in range(len(words)) for end in range(at + 1, len(words) + 1)}
    asian = any(ord(sign) > 0x2E7F for sign in head) and any(
        one in shown for one in _HEADS[field] if len(one) > 1 and ord(one[0]) > 0x2E7F
    )
    least = 3 if field in HEX_LENGTHS else 4  # short words are in too many heads
    return 2 if spans & {one for one in _HEADS[field] if len(one) >= least} or asian else 0


def has_word(head: str, what: str) -> bool:
    """Whether one of some words is in a text, by itself."""
    words = plain(head[:200])
    return bool(_HEADS[what] & {words, *words.split()})


def is_label(text: str) -> bool:
    """Whether a text only says what is beside it: the kind of a digest, or that it is a size."""
    return any(head_points(text, field) == 3 for field in (*HEX_LENGTHS, "checked", "size"))


def level_said(text: str) -> str:
    """The level that a few words say, such as "Required files"; empty if they say none."""
    words = plain(text[:200]).split()
    spans = ((end - at, " ".join(words[at:end])) for at in range(len(words)) for end in range(at + 1, len(words) + 1))
    ordered = sorted(spans, reverse=True) if len(words) <= 4 else []  # the longest says it: "not required"
    return next((level for _, span in ordered if (level := _MEANINGS["level"].get(span))), "")


_IN_BRACKETS = re.compile(r"[(\[][^()\[\]]*[)\]]$")


def meaning(text: str, what: str) -> str:
    """The word of ours that a word stands for, whatever is in brackets behind it; empty if none does."""
    known = _MEANINGS[what]
    shown = known.get(plain(text)) or known.get(plain(_IN_BRACKETS.sub("", text.strip()[:200])), "")
    return shown or (_worst_said(text) if what == "plays" else "")


def _worst_said(text: str) -> str:
    """The worst that some words say of how something plays: "playable with glitches" is flawed."""
    said, shown = set(), f" {plain(text[:200])} "
    for phrase, word in _PLAYS.items():
        if f" {phrase} " in shown:
            said.add(word)
            shown = shown.replace(f" {phrase} ", " . ")
    return next((word for word in ("no", "flawed", "yes") if word in said), "")
