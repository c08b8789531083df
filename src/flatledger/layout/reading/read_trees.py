"""Reading what a layout says of trees: levels that nest, flat rows to nest, how far nodes open."""

from __future__ import annotations

from ...bounds import MOST_TAKEN
from ...language.nodes import FieldPath
from ..model.text import Item, Scalar
from ..model.tree_options import Names, Nest, Opening, OpensBy
from .forms import EXPRESSION, NAMES, SWITCH, TEXT, names_of, read_text, whole_number
from .read_source import SOURCE
from .reading import Form, Key, Reading, Section, either, object_schema, pairs_of, read_keys

# ---- levels that nest ------------------------------------------------------------------------


def _level(name: Scalar, where: str, reading: Reading) -> Names | None:
    """A level as it is named by a key."""
    names: Names | None = names_of(name, where, reading)
    return names


def _nests(item: Item, where: str, reading: Reading) -> tuple[tuple[Names, str], ...]:
    """Levels, each with the name of the member that holds further entries of it."""
    if not pairs_of(item):
        reading.fault(item, f"{where} names levels with what nests in them: {{tasks: subtasks}}")
    found = [
        (_level(name, where, reading), read_text(inner, f"`{name.text}`", reading).strip())
        for name, inner in pairs_of(item)
    ]
    return tuple((level, inner) for level, inner in found if level and inner)


NESTS = Form(_nests, {"type": "object", "additionalProperties": TEXT.schema})

# ---- flat rows -------------------------------------------------------------------------------

_NEST_KEYS: Section = {
    "into": Key(TEXT, "What the level of the nodes is called."),
    "key": Key(TEXT, "The field that identifies a row."),
    "parent": Key(TEXT, "The field with the identifier of the row above it."),
    "depth": Key(TEXT, "The field that says how deep a row stands."),
    "numbering": Key(TEXT, "The field with its number by place, such as 1.2."),
    "of": Key(NAMES, "The level whose entries are the rows, within each record."),
    "per": Key(TEXT, "The field for each value of which there is a record."),
}


def _nest(item: Item, where: str, reading: Reading) -> Nest | None:
    keys = reading.mapping(item, where, _NEST_KEYS)
    found = read_keys(keys, _NEST_KEYS, reading)
    ways = [way for way in ("parent", "depth", "numbering") if way in keys]
    if len(ways) != 1 or ("key" in keys) != ("parent" in keys):
        reading.fault(
            item,
            f"{where} says where a row belongs, in one way: {{into: parts, key: id, parent: "
            "within}, or {into: parts, depth: level}, or {into: parts, numbering: no}",
        )
        return None
    for one in ("per", "into"):
        if "of" in keys and one in keys:
            what = f"`of` makes a tree of a level that records have; `{one}` is for the rows of"
            reading.fault(keys[one], f"{what} the source: keep one of the two")
    of = found.get("of") or ()
    if "into" not in keys and not of:
        reading.fault(item, f"{where} names the level of the nodes: {{into: parts, …}}")
        return None
    into = found.pop("into", "") or "".join(of[-1:])
    place = (item.line, item.column, item.file)
    return Nest(into, **{**found, "of": of}, place=place)


NEST = Form(_nest, object_schema(_NEST_KEYS))

# ---- how far nodes are opened ----------------------------------------------------------------

_OPEN_KEYS: Section = {
    "to-depth": Key(whole_number(MOST_TAKEN, 1), "Down to which depth; 1 opens none."),
    "until": Key(EXPRESSION, "A condition: a node for which it is true is not opened."),
}


def _openings(item: Item, where: str, reading: Reading) -> tuple[Opening, ...]:
    if not pairs_of(item):
        reading.fault(item, f"{where} names levels: {{parts: {{to-depth: 2}}}}")
    found = [_opening(name, how, reading) for name, how in pairs_of(item)]
    return tuple(one for one in found if one is not None)


def _opening(name: Scalar, item: Item, reading: Reading) -> Opening | None:
    where = f"`open` of `{name.text}`"
    level = _level(name, where, reading)
    place = (name.line, name.column, name.file)
    if isinstance(item, Scalar):
        opened = SWITCH.read(item, where, reading)
        return Opening(level, None if opened else 1, place=place) if level else None
    found = read_keys(reading.mapping(item, where, _OPEN_KEYS), _OPEN_KEYS, reading)
    if not found:
        reading.fault(item, f"{where} takes yes, no, {{to-depth: 2}} or {{until: parts.bought}}")
    return Opening(level, **found, place=place) if level else None


OPEN = Form(
    _openings,
    {
        "type": "object",
        "additionalProperties": either(SWITCH.schema, object_schema(_OPEN_KEYS)),
    },
)

_OPENS_BY_KEYS: Section = {
    "key": Key(EXPRESSION, "The field of a node that names its definition."),
    "named-by": Key(TEXT, "The field of a definition that it is named by."),
    "definitions": Key(TEXT, "The file of the definitions; without it, the source's own records."),
    "source": Key(SOURCE, "How that file is read.", "reading"),
}


def _opens_by(item: Item, where: str, reading: Reading) -> OpensBy | None:
    keys = reading.mapping(item, where, _OPENS_BY_KEYS)
    found = read_keys(keys, _OPENS_BY_KEYS, reading)
    key = found.get("key")
    names = key.node.names() if key is not None and isinstance(key.node, FieldPath) else None
    if names is None or len(names) < 2 or not found.get("named_by"):
        reading.fault(
            item,
            f"{where} takes {{key: parts.part, named-by: no}}: a field of the nodes, and what "
            "names a definition",
        )
        return None
    file, place = found.get("definitions", ""), (item.line, item.column, item.file)
    return OpensBy(names[:-1], names[-1:], found["named_by"], file, found.get("reading"), place)


OPENS_BY = Form(_opens_by, object_schema(_OPENS_BY_KEYS))
