"""Records of lists, whatever format they were read from: values by name, and records inside."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from msgspec import Struct

from gribble.core.base.errors import GribbleError

Advance = Callable[[int], None]
"""Is told of bytes read."""

HEADING = "heading"
"""Under this name a record of a table has what is above the table."""

SECTION = "section"
"""Under this name a record of `key = value` has the name of its section, or its number."""


class NoRecordsError(GribbleError):
    """Nothing was found in a list that could be taken over, read as it was."""


class Node(Struct, eq=False, array_like=True):
    """One record, or one inside another: values by name (attributes as `@name`) and inner nodes by name.

    `rows` are inner records of which nothing but some attributes is wanted (`FieldMap.row_keys`): these, and no nodes.
    """

    tag: str
    attributes: dict[str, Any]
    children: list[Node] = []
    rows: list[tuple[str | None, ...]] = []
    text: str = ""

    def values(self, path: str) -> list[str]:
        """Every value at a path: `@name`, `inner`, `inner/@name`; `.` is the node's own text."""
        if path[0] == "^":  # what the record is in says so
            return [self.attributes[path]] if path in self.attributes else []
        if "/" not in path and path[0] not in "@." and not self.children and path in self.attributes:  # a column
            return [self.attributes[path]]
        way, _, last = path.rpartition("/")
        nodes = self.inner(way) if way else [self]
        if last.startswith("@"):
            name = last[1:]
            return [node.attributes[name] for node in nodes if name in node.attributes]
        if last == ".":
            return [node.text.strip() for node in nodes]
        return [child.text.strip() for node in nodes for child in node.children if child.tag == last]

    def inner(self, path: str) -> list[Node]:
        """Every inner node at a path; the node itself at an empty one."""
        if path and "/" not in path:
            return [child for child in self.children if child.tag == path]
        nodes = [self]
        for word in path.split("/") if path else ():
            nodes = [child for node in nodes for child in node.children if child.tag == word]
        return nodes

    def names(self, prefix: str = "") -> Iterator[str]:
        """Every path at which it has a value."""
        mark = "@" if self.tag or self.children else ""  # columns are called by their name alone
        yield from (f"{prefix}{mark}{name}" for name in self.attributes)
        for child in self.children:
            if child.text.strip():
                yield prefix + child.tag
            yield from child.names(f"{prefix}{child.tag}/")


def flat(values: dict[str, Any]) -> Node:
    """A node of columns; a column is reached by its name, with or without an @."""
    return Node("", values)
