"""Digests of a content, and the algorithms they are made by."""

from __future__ import annotations

from msgspec import Struct

ALGORITHMS = ("crc32", "md5", "sha1", "sha256")
"""Digest algorithms, weakest first."""


HEX_LENGTHS = {"crc32": 8, "md5": 32, "sha1": 40, "sha256": 64}
"""Length of each algorithm's digest in hexadecimal digits."""


def with_zeros(text: str, length: int) -> str:
    """The text of a digest with the zeros in front that fall away where a program takes it for a number; the text as it
    is where nothing of it is left, since it could have been any power of ten."""
    return text.rjust(length, "0") if text.strip("0") else text


class Digests(Struct, frozen=True, kw_only=True, gc=False):
    """Digests of one content in lower-case hexadecimal; absent ones are None."""

    crc32: str | None = None
    md5: str | None = None
    sha1: str | None = None
    sha256: str | None = None

    def get(self, algorithm: str) -> str | None:
        """The digest of this algorithm, if known."""
        digest: str | None = getattr(self, algorithm)
        return digest

    def strongest(self) -> str | None:
        """The strongest algorithm that has a digest here."""
        if self.sha256:
            return "sha256"
        if self.sha1:
            return "sha1"
        return "md5" if self.md5 else "crc32" if self.crc32 else None

    def agrees(self, other: Digests) -> bool:
        """Whether two share a digest and differ in none that both have."""
        shared = [name for name in self.known() if other.get(name)]
        return bool(shared) and all(self.get(name) == other.get(name) for name in shared)

    def known(self) -> dict[str, str]:
        """The digests that are known, by algorithm, weakest first."""
        if self is NO_DIGESTS:
            return {}
        pairs = (("crc32", self.crc32), ("md5", self.md5), ("sha1", self.sha1), ("sha256", self.sha256))
        return {name: digest for name, digest in pairs if digest}


NO_DIGESTS = Digests()
"""What is known of a content that nobody has read."""


class DiscHeader(Struct, frozen=True):
    """What a disc image says of itself; `fault` says why it says nothing that helps, `unknown` that it may be right."""

    sha1: str = ""
    fault: str = ""
    unknown: bool = False
