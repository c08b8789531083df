"""Lists that are read as the field is declared whose values are looked up in them."""

from __future__ import annotations

from typing import Any

from .field_values import FieldReader
from .matching import ListWatch
from .ordering import told_apart


class ReadList:
    """A list whose values are read as the field is declared that is looked up in it; what can't be
    read so is no value of it."""

    def __init__(self, watch: ListWatch, reader: FieldReader) -> None:
        self._watch = watch
        found = ((told_apart(reader.quick[text]), text) for text in watch.values)
        self._texts: dict[Any, list[str]] = {}
        for value, text in found:
            if value is not None:
                self._texts.setdefault(value, []).append(text)

    def __contains__(self, value: object) -> bool:
        texts = self._texts.get(told_apart(value), ())
        self._watch.met.update(texts)
        return bool(texts)
