"""Writing a drafted field map: TOML with the reason of each guess beside it, to be corrected by a person."""

from __future__ import annotations

import json
from collections.abc import Iterator

from msgspec import structs

from gribble.core.catalogue.writing import quoted
from gribble.core.records.fieldmap import Field, Rules
from gribble.core.records.imported import Degree, Drafted, Guess


def write_map(drafted: Drafted, source: str) -> str:
    """The map's text; what is doubtful stands there as a comment."""
    made = drafted.made
    lines = [f"# The fields of {source}, as Gribble understands them. Correct what is wrong.", f"map = {made.map}"]
    for key in ("records", "format", "encoding", "delimiter", "table"):
        if value := getattr(made, key):
            lines.append(f"{key} = {value if isinstance(value, int) else quoted(str(value))}")
    top = getattr(made, drafted.to, {})
    lines += ["", f"[{drafted.to}]"] if top else []
    for key, value in top.items():
        named = drafted.named.get(key)
        lines.append(f"{key} = {quoted(str(value))}" + (f"  # from {named.source}" if named else ""))
    lines += ["", "[fields]", *_fields(drafted.guesses)]
    for name, inner, guesses in (("files", made.files, drafted.inner), ("discs", made.discs, drafted.discs)):
        if inner:
            lines += ["", f"[{name}]", f"records = {quoted(inner.records)}", *_fields(guesses)]
    if drafted.left:
        lines += ["", f"# Nothing is taken from: {', '.join(drafted.left)}"]
    return "\n".join(lines) + "\n"


def _fields(guesses: tuple[Guess, ...]) -> Iterator[str]:
    for one in guesses:
        samples = f"; such as {', '.join(one.samples)}" if one.samples else ""
        yield f"# {one.degree}: {one.reason}{samples}".replace("\n", " ")
        yield f"{'# ' if one.degree is Degree.DOUBTFUL else ''}{one.field} = {_rules(one.rules)}"


def _rules(rules: Rules) -> str:
    return _rule(rules[0]) if len(rules) == 1 else f"[{', '.join(map(_rule, rules))}]"


def _rule(rule: Field) -> str:
    """A rule in its shortest form."""
    if rule == Field(from_=rule.from_):
        return quoted(rule.from_)
    said = {**structs.asdict(rule), "from": rule.from_}
    default = structs.asdict(Field(from_=""))
    keys = ["from", *(key for key in default if key != "from_" and said[key] != default[key])]
    return f"{{ {', '.join(f'{key} = {_value(said[key])}' for key in keys)} }}"


def _value(value: object) -> str:
    if isinstance(value, dict):
        return f"{{ {', '.join(f'{quoted(word)} = {quoted(means)}' for word, means in value.items())} }}"
    if isinstance(value, tuple):
        return json.dumps(list(value), ensure_ascii=False)
    return quoted(value) if isinstance(value, str) else str(value).lower()
