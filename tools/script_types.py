"""`python -m tools.script_types`: writes the scripts' types of facts and edits from their schemas."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from pydantic import TypeAdapter

from lazzik.core.scene.edits.every import AnyEdit
from lazzik.web.studio.facts import Facts

FILE = Path(__file__).parent.parent / "lazzik" / "web" / "static" / "lib" / "types.d.ts"

PLAIN = {"number": "number", "integer": "number", "string": "string", "boolean": "boolean", "null": "null"}

Schema = dict[str, Any]


def script_types() -> str:
    """The text of the file: a type for each schema, Facts as they are sent and Edit as it is received."""
    return "\n".join(_lines()) + "\n"


def _lines() -> Iterator[str]:
    yield "// Facts and edits as the scripts see them. Made by `python -m tools.script_types` from the schemas that"
    yield "// the server checks them by; a test keeps it so."
    facts = TypeAdapter(Facts).json_schema(mode="serialization")
    edits = TypeAdapter(AnyEdit).json_schema()
    named = facts.pop("$defs") | {"Facts": facts}
    yield from _all(named, whole=True)
    yield from _all(edits.pop("$defs"), whole=False)
    yield ""
    yield f"export type Edit = {type_of(edits)};"


def _all(named: dict[str, Schema], *, whole: bool) -> Iterator[str]:
    for name, schema in sorted(named.items()):
        yield ""
        yield f"export type {name} = {type_of(schema, whole=whole)};"


def type_of(schema: Schema, *, whole: bool = False) -> str:
    """A schema as a TypeScript type. With `whole`, every field is there, as in what the server sends; otherwise those
    with a default may be left out, save the one that tells what it is."""
    if "$ref" in schema:
        return str(schema["$ref"]).rsplit("/", 1)[-1]
    if "const" in schema:
        return json.dumps(schema["const"])
    if "enum" in schema:
        return " | ".join(json.dumps(value, ensure_ascii=False) for value in schema["enum"])
    if choices := schema.get("anyOf") or schema.get("oneOf"):
        return " | ".join(dict.fromkeys(type_of(choice, whole=whole) for choice in choices))
    if schema.get("type") == "array":
        if parts := schema.get("prefixItems"):
            return f"[{', '.join(type_of(part, whole=whole) for part in parts)}]"
        item = type_of(schema.get("items", {}), whole=whole)
        return f"({item})[]" if "|" in item else f"{item}[]"
    if schema.get("type") == "object":
        if "properties" in schema:
            return _fields(schema, whole=whole)
        return f"Record<string, {type_of(schema.get('additionalProperties', {}), whole=whole)}>"
    return PLAIN.get(schema.get("type", ""), "unknown")


def _fields(schema: Schema, *, whole: bool) -> str:
    needed = schema.get("required", [])
    rows = []
    for name, field in schema["properties"].items():
        there = whole or name in needed or "const" in field
        key = name if re.fullmatch(r"[A-Za-z_]\w*", name) else json.dumps(name)
        rows.append(f"  {key}{'' if there else '?'}: {type_of(field, whole=whole)};")
    return "{\n" + "\n".join(rows) + "\n}"


if __name__ == "__main__":
    FILE.write_text(script_types())
