"""Names of files as other systems take them: what they cannot be, what form they come back in, whose they are.

Sources: Microsoft's "Naming Files, Paths, and Namespaces"; Unicode Standard Annex 15 (forms); Apple's "HFS Plus Volume
Format" (decomposed names).
"""

from __future__ import annotations

import codecs
import contextlib
import re
import unicodedata
from fnmatch import fnmatchcase
from functools import lru_cache

from gribble.core.base.paths import fold

_DEVICES = frozenset(
    {"con", "prn", "aux", "nul", "conin$", "conout$"}
    | {f"{name}{number}" for name in ("com", "lpt") for number in "123456789\u00b9\u00b2\u00b3"}
)
FORBIDDEN = '<>:"|?*\\'
"""What no name has on Windows, besides control characters."""
_ESCAPED = re.compile(r"%((?:[0-9A-F]{2}%)*[0-9A-F]{2})")


def is_device(name: str) -> bool:
    """Whether Windows takes a name for a device, whatever ending it has."""
    return name.partition(".")[0].rstrip(" ").lower() in _DEVICES


def composed(name: str) -> str:
    """A name in the form in which names are compared (NFC)."""
    return name if name.isascii() else unicodedata.normalize("NFC", name)


def is_like(name: str, pattern: str, *, folds: bool) -> bool:
    """Whether a name matches a pattern, in any case where the volume `folds`; alike on every system."""
    return fnmatchcase(fold(name), fold(pattern)) if folds else fnmatchcase(composed(name), composed(pattern))


_TRASH = re.compile(
    r"""\.trash(es|-\d+)? | \$recycle\.bin | recycler | recycled | \#recycle | @recycle | system\ volume\ information
    | \.spotlight-v\d+ | \.fseventsd | \.temporaryitems | \.documentrevisions-v\d+ | \.appledouble | @eadir
    | lost\+found | found\.\d{3} | \.snapshots?""",
    re.VERBOSE,
)
_TRASH_BEGINS = frozenset(".$@#rRsSlLfF")  # which most names do not, so that they are told at once
ODD_BEGINS = frozenset(".tTeEdD")
"""What the names of litter begin with, and those of work files: of all others nothing more has to be asked."""
_LITTER = frozenset({".ds_store", "thumbs.db", "ehthumbs.db", "desktop.ini", ".directory", ".localized"})


def is_trash(folder: str) -> bool:
    """Whether a folder of this name is a system's own: what was thrown away, its indexes, its snapshots."""
    return folder[:1] in _TRASH_BEGINS and _TRASH.fullmatch(folder.lower()) is not None


def is_litter(name: str) -> bool:
    """Whether a file of this name is what a system leaves beside the user's: pictures of a folder, forks, settings."""
    return name.startswith("._") or (name[:1] in ODD_BEGINS and name.lower() in _LITTER)


def escaped(path: str) -> str:
    """A relative path as every system can hold it: what one cannot is written %XX, as are its bytes in UTF-8."""
    return "/".join(_escaped(part) for part in path.split("/"))


def _escaped(name: str) -> str:
    put = "".join(_put(char) if char in FORBIDDEN or char == "%" or not _is_plain(char) else char for char in name)
    if put[-1:] in (".", " ") and put:
        put = put[:-1] + _put(put[-1])
    return _put(put[0]) + put[1:] if is_device(put) else put


def _is_plain(char: str) -> bool:
    return char >= " " and not "\ud800" <= char <= "\udfff"


def _put(char: str) -> str:
    return "".join(f"%{byte:02X}" for byte in char.encode("utf-8", "surrogatepass"))


def unescaped(path: str) -> str:
    """The path that was `escaped`."""

    def char(found: re.Match[str]) -> str:
        try:
            return bytes.fromhex(found[1].replace("%", "")).decode("utf-8", "surrogatepass")
        except UnicodeDecodeError:
            return found[0]

    return _ESCAPED.sub(char, path)


ANY_NAME = "gribble.any-name"
"""How names are written as bytes and read again, by its name in `codecs`: a byte of a name that is not UTF-8 as itself,
half of a pair in UTF-16 (Windows, 7z) as 0xFF before its three bytes, 0xFF itself as two."""
_HALF = 3


def _any_name(error: UnicodeError) -> tuple[str | bytes, int]:
    if isinstance(error, UnicodeEncodeError):
        code = ord(error.object[error.start])
        if 0xDC80 <= code < 0xDCFF:
            return bytes([code - 0xDC00]), error.start + 1
        return b"\xff" + (b"\xff" if code == 0xDCFF else chr(code).encode("utf-8", "surrogatepass")), error.start + 1
    assert isinstance(error, UnicodeDecodeError)
    data, at = error.object, error.start
    if data[at] != 0xFF:
        return chr(0xDC00 + data[at]), at + 1
    if data[at + 1 : at + 2] == b"\xff":
        return "\udcff", at + 2
    with contextlib.suppress(UnicodeDecodeError):
        half = data[at + 1 : at + 1 + _HALF].decode("utf-8", "surrogatepass")
        if len(half) == 1 and "\ud800" <= half <= "\udfff":
            return half, at + 1 + _HALF
    return "\udcff", at + 1


codecs.register_error(ANY_NAME, _any_name)


SAID_OF = "\x1f"
"""What is in a title's key between the title and what is said of it in brackets."""


_ARTICLE = re.compile(
    r"(.+?), (the|an?|der|die|das|el|los|las|il|le|la|les)(?=\s?[-–:]|\s?$)(.*)", re.IGNORECASE | re.DOTALL
)
"""An article behind the title that it belongs to, as lists in the order of the alphabet have it."""
_NUMERALS = {"ii": "2", "iii": "3", "iv": "4", "vi": "6", "vii": "7", "viii": "8", "ix": "9", "and": ""}


def title_key(title: str) -> str:
    """What a title is found by: without capitals, accents, signs and blanks, its article first, its number in digits,
    what is in brackets at its end set apart. An "and" is as good as the sign for it."""
    said, *more = re.split(r"(?<=.)[(\[]", title, maxsplit=1)
    if moved := _ARTICLE.fullmatch(said):
        said = f"{moved[2]} {moved[1]} {moved[3]}"
    return SAID_OF.join(map(_key_of, (said, *more)))


def _key_of(text: str) -> str:
    words = words_of(text).split()
    return "".join(_NUMERALS.get(word, word) for word in words) or "".join(words)


def words_of(text: str) -> str:
    """The words of a title without capitals, accents and signs, a blank between two."""
    shown = "".join(sign for sign in unicodedata.normalize("NFKD", text) if not unicodedata.combining(sign))
    return " ".join(re.sub(r"[\W_]+", " ", shown.casefold()).split())


_VERSION = re.compile(r"[\s._-]*\bv?\d+([._-]\d+)*[a-z]?$|[\s_-]+v?\d.*$")
_BUILD = re.compile(
    r"(?<=\w)[\s._-]+(?:x(?:86|64)|x86_64|amd64|arm64|win(?:32|64|dows)?|linux|mac(?:os)?|nightly|git|dev|beta|master|main"
    r"|release|stable|latest|portable|build)(?=[\s._-]|$).*"
)


@lru_cache(maxsize=4096)
def plain(name: str) -> str:
    """A name folded, without punctuation, accents and a version or build at its end, by which a folder is told to be
    called like an emulator: "Plover 1.3 (x64)", "plover-nightly" and "plover" are alike."""
    word = "".join(char for char in unicodedata.normalize("NFKD", name) if not unicodedata.combining(char))
    word = re.sub(r"[(\[].*?[)\]]", "", word.casefold()).strip()
    return re.sub(r"[\W_]+", "", _VERSION.sub("", _BUILD.sub("", word))) or re.sub(r"[\W_]+", "", word)
